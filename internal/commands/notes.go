package commands

import (
	"cmp"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

func (a *app) noteCommand() *cobra.Command {
	c := &cobra.Command{Use: "note", Short: "Write a note to everybody in a knot, and see whether it helped",
		Long: "A note goes to a knot, to one attempt's student, to an exercise or to the whole course. Students find\n" +
			"it beside their verdict, say whether it helped, and may answer.",
		Example: "  nimbus note add kelp-cooperative --exercise rope-means --code axis.other --output per_rope --later " +
			"--text 'Which axis must go?'"}
	c.AddCommand(a.noteAdd(), a.noteList(), a.noteShow(), a.noteEdit(), a.noteAnswer(), a.noteWithdraw(), a.noteKeep())
	return c
}

// textOf is the text that a flag gives, or with "-" the standard input.
func textOf(flag string) (string, error) {
	if flag != "-" {
		return flag, nil
	}
	text, err := io.ReadAll(io.LimitReader(os.Stdin, 1<<20))
	return string(text), err
}

// idOf reads the number of a thing that `nimbus THING list` lists.
func idOf(text, thing string) (uint64, error) {
	id, err := strconv.ParseUint(text, 10, 64)
	if err != nil {
		return 0, wrongUse("%q is no %s's number; `nimbus %s list` shows them", text, thing, thing)
	}
	return id, nil
}

// withNote does something with the note that the arguments COURSE NOTE name, and shows what came of it.
func (a *app) withNote(args []string, do func(c *client.Client, course string, id uint64) (any, error),
	show func(id uint64, v any)) error {
	id, err := idOf(args[1], "note")
	if err != nil {
		return err
	}
	return a.with(func(c *client.Client) (any, error) { return do(c, args[0], id) }, func(v any) { show(id, v) })
}

func (a *app) noteAdd() *cobra.Command {
	var n wire.NewNote
	c := &cobra.Command{
		Use: "add COURSE", Short: "Write a note", Args: cobra.ExactArgs(1),
		Example: "  nimbus note add kelp-cooperative --exercise rope-means --code axis.other --output per_rope --text " +
			"'Which axis must go?'\n  nimbus note add kelp-cooperative --attempt 217 --text -",
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			if n.Text, err = textOf(n.Text); err != nil {
				return err
			}
			return a.with(func(c *client.Client) (any, error) { return c.AddNote(cmd.Context(), args[0], n) }, func(v any) {
				p := v.(*wire.NotePage)
				a.printf("note %d reached %d\n", p.ID, p.Effect.Reached)
			})
		},
	}
	c.Flags().StringVar(&n.Text, "text", "", "what it says, in CommonMark; - reads it from standard input")
	c.Flags().StringVar(&n.Exercise, "exercise", "", "to everybody at this exercise, or with --code to a knot of it")
	c.Flags().StringVar(&n.Code, "code", "", "the code of the knot")
	c.Flags().StringVar(&n.Output, "output", "", "the output of the knot")
	c.Flags().Uint64Var(&n.Attempt, "attempt", 0, "to the student of this attempt alone")
	c.Flags().BoolVar(&n.Later, "later", false, "also to everybody who enters the knot while the note stands")
	c.Flags().StringSliceVar(&n.Groups, "group", nil, "to people of this group alone; may be repeated")
	return c
}

// noteLine shows a note with what it has come to.
func (a *app) noteLine(n *wire.TeamNote) {
	to := map[string]string{"course": "the course", "exercise": n.Exercise, "attempt": n.Student + " in " + n.Exercise,
		"knot": n.Exercise + ": " + cmp.Or(n.Says, n.Code)}[n.Kind]
	state := ""
	if n.Withdrawn != nil {
		state = "  (withdrawn)"
	}
	first, _, more := strings.Cut(n.Text, "\n")
	if more {
		first += " …"
	}
	a.printf("%5d  %s  %s to %s%s\n       “%s”\n", n.ID, n.Created.Local().Format(clock), n.Author, to, state, first)
	e := n.Effect
	parts := []string{"reached " + strconv.Itoa(e.Reached)}
	if n.Kind != "course" {
		parts = append(parts, "agreed "+strconv.Itoa(e.Agreed), "still "+strconv.Itoa(e.Still))
	}
	parts = append(parts, "answered "+strconv.Itoa(e.Answered))
	if e.Helped+e.Stuck > 0 {
		parts = append(parts, "helped "+strconv.Itoa(e.Helped), "still stuck "+strconv.Itoa(e.Stuck))
	}
	if e.Unread > 0 {
		parts = append(parts, a.paint("1", plural(e.Unread, "unread answer")))
	}
	a.printf("       %s\n", strings.Join(parts, " · "))
}

func (a *app) noteList() *cobra.Command {
	var q client.NoteQuery
	c := &cobra.Command{
		Use: "list COURSE", Short: "List a course's notes with what they have come to, newest first",
		Args:    cobra.ExactArgs(1),
		Example: "  nimbus note list kelp-cooperative --exercise rope-means",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.with(func(c *client.Client) (any, error) { return c.Notes(cmd.Context(), args[0], q) }, func(v any) {
				list := v.(*wire.TeamNotes).Notes
				for i := range list {
					a.noteLine(&list[i])
				}
				if len(list) == 0 {
					a.printf("No notes.\n")
				}
			})
		},
	}
	c.Flags().StringVar(&q.Exercise, "exercise", "", "of this exercise")
	c.Flags().StringVar(&q.Code, "code", "", "to the knot of this code")
	c.Flags().StringVar(&q.Output, "output", "", "and this output")
	c.Flags().BoolVar(&q.Withdrawn, "withdrawn", false, "those too that were withdrawn")
	return c
}

// noteText shows a note with its threads and what it said before.
func (a *app) noteText(p *wire.NotePage) {
	a.noteLine(&p.TeamNote)
	a.printf("\n%s\n", p.Text)
	for _, t := range p.Threads {
		a.printf("\n%s (%s)\n", t.Display, t.Name)
		for _, m := range t.Lines {
			a.printf("  %s  %s: %s\n", m.At.Local().Format(clock), m.Author, m.Text)
		}
	}
	for _, h := range p.History {
		a.printf("\nuntil %s, when %s changed it:\n%s\n", h.At.Local().Format(clock), h.By, h.Text)
	}
}

func (a *app) noteShow() *cobra.Command {
	return &cobra.Command{
		Use: "show COURSE NOTE", Short: "Show a note with its answers and what it said before", Args: cobra.ExactArgs(2),
		Example: "  nimbus note show kelp-cooperative 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.withNote(args, func(c *client.Client, course string, id uint64) (any, error) {
				return c.Note(cmd.Context(), course, id)
			}, func(_ uint64, v any) { a.noteText(v.(*wire.NotePage)) })
		},
	}
}

func (a *app) noteEdit() *cobra.Command {
	var text string
	c := &cobra.Command{
		Use: "edit COURSE NOTE", Short: "Change a note's text; what it said before is kept", Args: cobra.ExactArgs(2),
		Example: "  nimbus note edit kelp-cooperative 1 --text 'Which axis must go, and which must stay?'",
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			if text, err = textOf(text); err != nil {
				return err
			}
			return a.withNote(args, func(c *client.Client, course string, id uint64) (any, error) {
				now, err := c.Note(cmd.Context(), course, id)
				if err != nil {
					return nil, err
				}
				return c.EditNote(cmd.Context(), course, id, now.Version, text)
			}, func(id uint64, v any) { a.printf("note %d is at version %d\n", id, v.(*wire.NotePage).Version) })
		},
	}
	c.Flags().StringVar(&text, "text", "", "what it says, in CommonMark; - reads it from standard input")
	return c
}

func (a *app) noteAnswer() *cobra.Command {
	var person, text string
	c := &cobra.Command{
		Use: "answer COURSE NOTE", Short: "Answer a student below a note", Args: cobra.ExactArgs(2),
		Example: "  nimbus note answer kelp-cooperative 1 --person ada --text 'The first one'",
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			if text, err = textOf(text); err != nil {
				return err
			}
			return a.withNote(args, func(c *client.Client, course string, id uint64) (any, error) {
				return c.AnswerStudent(cmd.Context(), course, id, person, text)
			}, func(_ uint64, v any) { a.noteText(v.(*wire.NotePage)) })
		},
	}
	c.Flags().StringVar(&person, "person", "", "whom")
	c.Flags().StringVar(&text, "text", "", "what, in CommonMark; - reads it from standard input")
	return c
}

func (a *app) noteWithdraw() *cobra.Command {
	return &cobra.Command{
		Use: "withdraw COURSE NOTE", Short: "Hide a note from students; it stays in the list", Args: cobra.ExactArgs(2),
		Example: "  nimbus note withdraw kelp-cooperative 1",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.withNote(args, func(c *client.Client, course string, id uint64) (any, error) {
				return map[string]uint64{"withdrawn": id}, c.WithdrawNote(cmd.Context(), course, id)
			}, func(id uint64, _ any) { a.printf("note %d is withdrawn\n", id) })
		},
	}
}

func (a *app) noteKeep() *cobra.Command {
	var folder string
	c := &cobra.Command{
		Use: "keep COURSE NOTE", Short: "Keep a note for the next class: a slip of the exercise in a course folder",
		Long: "Takes the note and an example of the mistake it is about, and adds them to the exercise as a slip:\n" +
			"whoever makes the mistake next time is told at once. The files are changed in the folder; publish\n" +
			"it afterwards.",
		Args:    cobra.ExactArgs(2),
		Example: "  nimbus note keep kelp-cooperative 1 --folder kelp",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.withNote(args, func(c *client.Client, course string, id uint64) (any, error) {
				return keepNote(cmd, c, course, id, folder)
			}, func(_ uint64, v any) {
				k := v.(*wire.KeptSlip)
				a.printf("%s has the slip, %s its program.\n", filepath.Join(folder, k.File), filepath.Join(folder, k.Slip))
			})
		},
	}
	c.Flags().StringVar(&folder, "folder", ".", "the course folder")
	return c
}

// keepNote asks for a slip twice: where the exercise's file is, and with its text as it is in the folder.
func keepNote(cmd *cobra.Command, c *client.Client, course string, id uint64, folder string) (*wire.KeptSlip, error) {
	k, err := c.KeepNote(cmd.Context(), course, id, "")
	if err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, wrongUse("%s cannot be opened: %v", folder, underlying(err))
	}
	defer root.Close()
	text, err := root.ReadFile(k.File)
	if err != nil {
		return nil, wrongUse("%s has no %s: %v; is it the course's folder?", folder, k.File, underlying(err))
	}
	if k, err = c.KeepNote(cmd.Context(), course, id, string(text)); err != nil {
		return nil, err
	}
	if there, err := root.ReadFile(k.Slip); err == nil && string(there) != k.Program {
		return nil, wrongUse("%s has a %s already, which %s does not name, and it is another program; move it away", folder,
			k.Slip, k.File)
	}
	err = errors.Join(root.MkdirAll(filepath.Dir(k.Slip), 0o755), root.WriteFile(k.Slip, []byte(k.Program), 0o644))
	if err == nil {
		err = root.WriteFile(k.File, []byte(k.Yaml), 0o644)
	}
	if err != nil {
		return nil, wrongUse("%s cannot be written: %v", folder, err)
	}
	return k, nil
}
