package commands

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
)

// ticketFile remembers in a folder whose data it holds.
const ticketFile = ".ticket"

// heldTicket is what ticketFile holds.
type heldTicket struct {
	Service  string    `json:"service"`
	Course   string    `json:"course"`
	Exercise string    `json:"exercise"`
	Ticket   uint64    `json:"ticket"`
	Expires  time.Time `json:"expires"`
}

func (a *app) fetchCommand() *cobra.Command {
	var course, format, into string
	var shown bool
	c := &cobra.Command{
		Use:   "fetch EXERCISE",
		Short: "Take data of your own, to compute the answer with any tool",
		Long: "Takes a ticket: data for you alone, which nobody has seen, as files with a README that says what is\n" +
			"wanted. Compute the outputs with any tool you like, and hand them in with `nimbus attempt --results`.\n" +
			"Asked again, it gives the same data until they are used or their time is over.",
		Example: `  nimbus fetch rope-means --into rope-means
  nimbus fetch rope-means --format nc --course kelp-cooperative
  nimbus fetch rope-means --shown`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return a.fetch(c.Context(), course, args[0], format, into, shown)
		},
	}
	c.Flags().StringVar(&format, "format", check.Formats[0], "the files' format: "+strings.Join(check.Formats, ", "))
	c.Flags().StringVar(&into, "into", "", "the folder (default: one called as the exercise and the ticket)")
	c.Flags().BoolVar(&shown, "shown", false, "the shown data, which take no ticket")
	c.Flags().StringVar(&course, "course", "", "the course (default: your only one)")
	_ = c.RegisterFlagCompletionFunc("format", cobra.FixedCompletions(check.Formats, cobra.ShellCompDirectiveNoFileComp))
	return c
}

func (a *app) fetch(ctx context.Context, course, exercise, format, into string, shown bool) error {
	c, err := connect()
	if err != nil {
		return err
	}
	if course, err = courseOf(ctx, c, course); err != nil {
		return err
	}
	if err := knownFormat(format); err != nil {
		return err
	}
	var t *wire.Ticket
	if !shown {
		if t, err = c.MakeTicket(ctx, course, exercise); err != nil {
			return answered(err)
		}
	}
	if into == "" {
		into = exercise + "-shown"
		if t != nil {
			into = fmt.Sprintf("%s-ticket-%d", exercise, t.ID)
		}
	}
	names, err := a.takeData(ctx, c, course, exercise, format, into, t)
	if err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(struct {
			Folder string       `json:"folder"`
			Files  []string     `json:"files"`
			Ticket *wire.Ticket `json:"ticket"`
		}{into, names, withoutData(t)})
	}
	a.printf("%s has %s.\n", into, strings.Join(names, ", "))
	if t != nil {
		a.printf("Ticket %d, until %s: compute the outputs, write them beside the data, and hand them in with\n"+
			"  nimbus attempt %s --results %s\n", t.ID, t.Expires.Local().Format("2006-01-02 15:04"), exercise, into)
	}
	return nil
}

// withoutData is a ticket whose data are in files.
func withoutData(t *wire.Ticket) *wire.Ticket {
	if t == nil {
		return nil
	}
	out := *t
	out.Cases = []wire.ShownCase{}
	return &out
}

func knownFormat(format string) error {
	if !slices.Contains(check.Formats, format) {
		return wrongUse("--format is %q; it takes %s", format, strings.Join(check.Formats, ", "))
	}
	return nil
}

// takeData writes the data of a ticket, or of the shown cases, into a folder, and remembers the ticket there.
func (a *app) takeData(ctx context.Context, c *client.Client, course, exercise, format, into string,
	t *wire.Ticket) ([]string, error) {
	raw, err := c.Data(ctx, course, exercise, t, format)
	if err != nil {
		return nil, answered(err)
	}
	if err := os.MkdirAll(into, 0o755); err != nil {
		return nil, wrongUse("%s cannot be made: %v", into, underlying(err))
	}
	root, err := os.OpenRoot(into)
	if err != nil {
		return nil, wrongUse("%s cannot be opened: %v", into, underlying(err))
	}
	defer root.Close()
	var files []check.File
	if format == "nc" {
		files = []check.File{{Name: check.ReadmeFile, Body: []byte(check.ReadmeOf(raw))}, {Name: check.DataFile, Body: raw}}
	} else if err := check.Unzip(raw, func(name string, body []byte) error {
		files = append(files, check.File{Name: name, Body: body})
		return nil
	}); err != nil {
		return nil, unreachable(err)
	}
	if t != nil {
		note, err := json.MarshalIndent(heldTicket{c.Base(), course, exercise, t.ID, t.Expires}, "", "  ")
		if err != nil {
			return nil, err
		}
		files = append(files, check.File{Name: ticketFile, Body: note})
	}
	var names []string
	for _, f := range files {
		err := root.MkdirAll(filepath.FromSlash(filepath.Dir(f.Name)), 0o755)
		if err == nil {
			err = root.WriteFile(filepath.FromSlash(f.Name), f.Body, 0o644)
		}
		if err != nil {
			return nil, wrongUse("%s cannot be written: %v", filepath.Join(into, f.Name), underlying(err))
		}
		if f.Name != ticketFile {
			names = append(names, f.Name)
		}
	}
	return names, nil
}

// bringing is arrays to be handed in.
type bringing struct {
	folder string // or an archive, or one netCDF file
	ticket uint64 // 0: the one that the folder remembers, or else none
	source string // a file; "" for none
	files  []check.File
	text   string
	held   *uint64
}

// read reads the files once.
func (b *bringing) read() error {
	info, err := os.Stat(b.folder)
	if err != nil {
		return wrongUse("%s cannot be read: %v", b.folder, underlying(err))
	}
	switch ext := strings.ToLower(filepath.Ext(b.folder)); {
	case info.IsDir():
		if b.files, err = readFolder(b.folder); err != nil {
			return err
		}
		if err := b.remembered(); err != nil {
			return err
		}
	case info.Size() > check.MaxResultBytes:
		return wrongUse("%s has %d bytes; at most %d are read", b.folder, info.Size(), check.MaxResultBytes)
	default:
		raw, err := os.ReadFile(b.folder)
		if err != nil {
			return wrongUse("%s cannot be read: %v", b.folder, underlying(err))
		}
		if ext != ".zip" {
			b.files = []check.File{{Name: filepath.Base(b.folder), Body: raw}}
		} else if err := check.Unzip(raw, func(name string, body []byte) error {
			b.files = append(b.files, check.File{Name: name, Body: body})
			return nil
		}); err != nil {
			return wrongUse("%s: %v", b.folder, err)
		}
	}
	if b.ticket != 0 {
		b.held = &b.ticket
	}
	if b.source != "" {
		raw, err := os.ReadFile(b.source)
		if err != nil {
			return wrongUse("%s cannot be read: %v", b.source, underlying(err))
		}
		b.text = string(raw)
	}
	return nil
}

func readFolder(folder string) ([]check.File, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, wrongUse("%s cannot be opened: %v", folder, underlying(err))
	}
	defer root.Close()
	files, err := check.ReadFolder(root.FS())
	if err != nil {
		return nil, wrongUse("%s: %v", folder, err)
	}
	return files, nil
}

// remembered is the ticket that a folder of results, or the one above it, holds the data of.
func (b *bringing) remembered() error {
	for _, folder := range []string{b.folder, filepath.Dir(filepath.Clean(b.folder))} {
		raw, err := os.ReadFile(filepath.Join(folder, ticketFile))
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		var t heldTicket
		if err == nil {
			err = json.Unmarshal(raw, &t)
		}
		if err != nil || t.Ticket == 0 {
			return wrongUse("%s does not name a ticket; give it with --ticket", filepath.Join(folder, ticketFile))
		}
		b.held = &t.Ticket
		return nil
	}
	return nil
}

// send hands the files in.
func (b *bringing) send(ctx context.Context, c *client.Client, course, exercise string) (*wire.Attempt, error) {
	return c.HandInFiles(ctx, course, exercise, client.Files{Ticket: b.held, Source: b.text, Files: b.files}, 20)
}

// form prints the form of arrays: what is wrong first.
func (a *app) form(f *check.Form) {
	for _, l := range f.Arrays {
		switch {
		case l.Problem != "":
			a.printf("  ✗ %-28s %s; %s\n", l.Case+"/"+l.Output, l.Problem, l.Hint)
		case l.Found == nil:
			a.printf("  · %-28s left out\n", l.Case+"/"+l.Output)
		default:
			remark := ""
			if l.Remark != "" {
				remark = "  (" + l.Remark + ")"
			}
			a.printf("  ✓ %-28s %s %v%s\n", l.Case+"/"+l.Output, l.Found.Kind, l.Found.Shape, remark)
		}
	}
}

// problemForm prints the form that a hand-in was refused for, where it was for that.
func (a *app) problemForm(err error) {
	var p *client.Error
	if errors.As(err, &p) && p.Form != nil {
		a.form(p.Form)
	}
}

// shownFiles writes the data of an exercise folder's shown cases.
func shownFiles(p *check.Prepared, format, into string) error {
	files, err := p.Files(format, "The shown data.")
	if err != nil {
		return wrongUse("%v", err)
	}
	for _, f := range files {
		name := filepath.Join(into, filepath.FromSlash(f.Name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, f.Body, 0o644)); err != nil {
			return unreachable(err)
		}
	}
	return nil
}
