package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// Course is a course folder that was read.
type Course struct {
	Title     string
	Counting  int
	Digest    string  // "weekly", "daily" or "never"; "" when the course does not say
	Caught    float64 // the share of slips that publishing wants caught; 0 for no bar
	Takes     string  // which attempt counts: "best" or "last"
	Exercises []*Exercise
	Unlisted  []string // folders with an exercise that the course does not list
}

// Find returns an exercise by its folder's name; nil when there is none.
func (c *Course) Find(name string) *Exercise {
	for _, e := range c.Exercises {
		if e.Name == name {
			return e
		}
	}
	return nil
}

// Problem is one thing wrong with a course.
type Problem struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
	Hint    string `json:"hint"`
}

// String writes the problem on one line, as compilers do.
func (p Problem) String() string {
	return fmt.Sprintf("%s:%d:%d: %s (%s)", p.File, p.Line, p.Column, p.Message, p.Hint)
}

// Bounds on what a course folder may hold.
const (
	maxFileBytes = 8 << 20
	maxProblems  = 100
	// maxCells bounds the data of a whole course, read and drawn.
	maxCells = 12_000_000
)

var slug = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// Topics are the topics an exercise may name.
var Topics = []string{"slicing", "broadcasting", "masking", "axis-reduction", "matrix-algebra", "making",
	"element-wise", "statistics", "reshaping", "copying"}

// LoadCourse reads a course folder whole.
func LoadCourse(fsys fs.FS) (*Course, []Problem) {
	l := &loader{fsys: fsys}
	c := &Course{Takes: "best"}
	root := l.yaml("course.yaml")
	if root == nil {
		return nil, l.sorted()
	}
	m := l.mapping("course.yaml", root, Keys["course"]...)
	c.Title = l.required("course.yaml", root, m, "title")
	if n := m["counting"]; n != nil {
		counting := l.mapping("course.yaml", n, Keys["counting"]...)
		if from := counting["from"]; from == nil {
			l.at("course.yaml", n, "`counting` does not say where positions start", "write `counting: {from: 0}` or `{from: 1}`")
		} else if from.Value != "0" && from.Value != "1" {
			l.at("course.yaml", from, fmt.Sprintf("positions start at 0 or 1, and `from` is %s", shown(from)),
				"write `counting: {from: 0}`")
		} else if from.Value == "1" {
			c.Counting = 1
		}
	}
	if n := m["team"]; n != nil {
		team := l.mapping("course.yaml", n, Keys["team"]...)
		if d := team["digest"]; d != nil {
			c.Digest = l.word("course.yaml", d, "weekly", "daily", "never")
		}
		if share := team["caught"]; share != nil {
			if c.Caught = l.number("course.yaml", share, "the share of slips caught"); c.Caught > 1 {
				l.at("course.yaml", share, fmt.Sprintf("the share %s is above 1", shown(share)), "write 0.95 for 95 percent")
			}
		}
	}
	if n := m["grading"]; n != nil {
		if takes := l.mapping("course.yaml", n, Keys["grading"]...)["takes"]; takes != nil {
			c.Takes = l.word("course.yaml", takes, Takes...)
		}
	}
	names := l.list("course.yaml", root, m["exercises"], "exercises")
	seen := map[string]bool{}
	for _, n := range names {
		name := n.Value
		switch {
		case !slug.MatchString(name):
			l.at("course.yaml", n, fmt.Sprintf("%s is not the name of an exercise folder", shown(n)),
				"names are small letters, digits and single hyphens: `rope-means`")
			continue
		case seen[name]:
			l.at("course.yaml", n, fmt.Sprintf("the exercise `%s` is listed twice", name), "take one out")
			continue
		}
		seen[name] = true
		dir := path.Join("exercises", name)
		if info, err := fs.Stat(fsys, dir); err != nil || !info.IsDir() {
			l.at("course.yaml", n, fmt.Sprintf("the exercise `%s` has no folder", name),
				fmt.Sprintf("make `%s/exercise.yaml`, or take the name out", dir))
			continue
		}
		if e := l.exercise(dir, name, c.Counting); e != nil {
			c.Exercises = append(c.Exercises, e)
		}
	}
	c.Unlisted = l.unlisted(seen)
	if m["exercises"] != nil && len(names) == 0 {
		l.at("course.yaml", m["exercises"], "the course lists no exercises",
			"list the folders' names: `exercises: [rope-means]`")
	}
	return c, l.sorted()
}

// mostUnlisted bounds the folders that are reported of.
const mostUnlisted = 20

// unlisted lists folders that hold an exercise and do not are in the course's list.
func (l *loader) unlisted(listed map[string]bool) []string {
	entries, err := fs.ReadDir(l.fsys, "exercises")
	if err != nil {
		return nil
	}
	var out []string
	for _, entry := range entries {
		if listed[entry.Name()] || !entry.IsDir() || strings.HasPrefix(entry.Name(), ".") || len(out) == mostUnlisted {
			continue
		}
		if _, err := fs.Stat(l.fsys, path.Join("exercises", entry.Name(), "exercise.yaml")); err == nil {
			out = append(out, entry.Name())
		}
	}
	return out
}

// LoadExercise reads one exercise folder that is alone; it counts from 0.
func LoadExercise(fsys fs.FS, name string) (*Exercise, []Problem) {
	l := &loader{fsys: fsys}
	e := l.exercise(".", name, 0)
	return e, l.sorted()
}

// loader collects problems while a folder is read.
type loader struct {
	fsys     fs.FS
	problems []Problem
	cells    int // of the data read and drawn so far

	keys   map[*yaml.Node]string // the key that each value is under
	places map[string]placeNames // of the axes of the case that is read
	faulty map[string]bool       // data files that were reported, so that nothing follows from them
}

func (l *loader) sorted() []Problem {
	slices.SortStableFunc(l.problems, func(a, b Problem) int {
		if c := strings.Compare(a.File, b.File); c != 0 {
			return c
		}
		return a.Line - b.Line
	})
	return l.problems
}

func (l *loader) problem(file string, line, column int, message, hint string) {
	if len(l.problems) < maxProblems {
		l.problems = append(l.problems, Problem{File: file, Line: line, Column: column, Message: message, Hint: hint})
	}
}

// read reads a text file of a bounded size.
func (l *loader) read(file string) ([]byte, bool) {
	if !fs.ValidPath(file) {
		l.problem(file, 1, 1, "the path leaves the course folder", "name a file inside it, without `..`")
		return nil, false
	}
	info, err := fs.Stat(l.fsys, file)
	switch {
	case err != nil:
		hint := "make it, or fix the name"
		if !errors.Is(err, fs.ErrNotExist) {
			hint = "links must stay inside the course folder, and the file must be readable"
		}
		l.problem(file, 1, 1, "the file cannot be opened", hint)
		return nil, false
	case !info.Mode().IsRegular():
		l.problem(file, 1, 1, "this is not a plain file", "put a plain file here")
		return nil, false
	case info.Size() > maxFileBytes:
		l.problem(file, 1, 1, fmt.Sprintf("the file has %d bytes; a file of a course has at most %d", info.Size(),
			maxFileBytes), "exercises work on small data made on purpose")
		return nil, false
	}
	text, err := fs.ReadFile(l.fsys, file)
	if err != nil {
		l.problem(file, 1, 1, "the file cannot be read: "+err.Error(), "look at its permissions")
		return nil, false
	}
	return text, true
}

// text reads a file that must be UTF-8 without zero bytes.
func (l *loader) text(file string) (string, bool) {
	raw, ok := l.read(file)
	if !ok {
		return "", false
	}
	if !utf8.Valid(raw) || strings.IndexByte(string(raw), 0) >= 0 {
		l.problem(file, 1, 1, "the file is not text in UTF-8", "save it as UTF-8")
		return "", false
	}
	return strings.ReplaceAll(strings.TrimPrefix(string(raw), "\ufeff"), "\r\n", "\n"), true
}

// optional reads a text file when it is there.
func (l *loader) optional(file string) string {
	if _, err := fs.Stat(l.fsys, file); errors.Is(err, fs.ErrNotExist) {
		return ""
	}
	text, _ := l.text(file)
	return text
}
