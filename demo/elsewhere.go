package demo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
)

// elsewhere is an answer of the story that a student computed with a tool of their own.
type elsewhere struct {
	at                         time.Duration
	student, exercise, program string
}

// answersElsewhere are run for real, each on data of its student's own: programs in awk, in the shell and in plain Go.
var answersElsewhere = []elsewhere{
	{-27*day - 2*time.Hour, "cato", "standard-scores", "scores-over-ropes.awk"},
	{-27*day - time.Hour, "fara", "standard-scores", "scores-columns.sh"},
	{-27*day + time.Hour, "cato", "standard-scores", "scores.awk"},
	{-26 * day, "juno", "standard-scores", "scores-over-ropes.awk"},
	{-26*day + 3*time.Hour, "oona", "standard-scores", "scores.awk"},
	{-25 * day, "juno", "standard-scores", "scores.awk"},
	{-5 * time.Hour, "levi", "pigment-mix", "pigments-shown.sh"},
	{-4*time.Hour - 20*time.Minute, "isla", "pigment-mix", "pigments-shown.sh"},
	{-4 * time.Hour, "levi", "pigment-mix", "pigments.go"},
	{-3 * time.Hour, "bena", "pigment-mix", "pigments.go"},
}

// Elsewhere is how many attempts of the story are computed with other tools.
func Elsewhere() int { return len(answersElsewhere) }

// elsewhere runs a student's program on a ticket's data, and hands in what it writes. A machine without what the
// program needs has the rest of the story.
func (p *player) elsewhere(ctx context.Context, x elsewhere) error {
	folder, err := os.MkdirTemp("", "nimbus-story-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	source, err := files.ReadFile("own-tools/" + x.program)
	if err != nil {
		return err
	}
	file := filepath.Join(folder, x.program)
	if err := os.WriteFile(file, source, 0o600); err != nil {
		return err
	}
	command := map[string][]string{".awk": {"awk", "-f", file}, ".sh": {"sh", file}, ".go": {"go", "run",
		file}}[path.Ext(x.program)]
	if _, err := exec.LookPath(command[0]); err != nil {
		return nil
	}
	c := p.clients[x.student]
	ticket, err := c.MakeTicket(ctx, CourseSlug, x.exercise)
	if err != nil {
		return err
	}
	written, err := compute(ctx, c, ticket, folder, command)
	if err != nil {
		return fmt.Errorf("%s by %s: %w", x.program, x.student, err)
	}
	got, err := c.HandInFiles(ctx, CourseSlug, x.exercise, client.Files{Ticket: &ticket.ID, Source: string(source),
		Files: written}, 20)
	if err == nil {
		p.told(HandedIn{Attempt{Exercise: x.exercise, Student: x.student, Name: x.program, At: x.at}, got})
	}
	return err
}

// compute runs a command on a ticket's data, and reads what it writes.
func compute(ctx context.Context, c *client.Client, ticket *wire.Ticket, folder string, command []string) ([]check.File,
	error) {
	raw, err := c.Data(ctx, ticket.Course, ticket.Exercise, ticket, "csv")
	if err != nil {
		return nil, err
	}
	in, out := filepath.Join(folder, "in"), filepath.Join(folder, "out")
	err = check.Unzip(raw, func(name string, body []byte) error {
		file := filepath.Join(in, filepath.FromSlash(name))
		return errors.Join(os.MkdirAll(filepath.Dir(file), 0o700), os.WriteFile(file, body, 0o600))
	})
	if err := errors.Join(err, os.MkdirAll(out, 0o700)); err != nil {
		return nil, err
	}
	run := exec.CommandContext(ctx, command[0], command[1:]...)
	run.Dir, run.Env = folder, append(os.Environ(), "NIMBUS_IN="+in, "NIMBUS_OUT="+out)
	if said, err := run.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w: %s", err, strings.TrimSpace(string(said)))
	}
	return check.ReadFolder(os.DirFS(out))
}

// inOrder puts deeds in the order of their times.
func inOrder(deeds []deed) []deed {
	slices.SortStableFunc(deeds, func(a, b deed) int { return int(a.at - b.at) })
	return deeds
}
