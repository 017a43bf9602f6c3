package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// Unshiftable is a place in a file at which a value cannot be replaced as it is written.
type Unshiftable struct{ Problem }

func (e *Unshiftable) Error() string { return e.Problem.String() }

// Shift returns a course folder whose exercises open and close so much later, and that has another title where one is
// given. The files' other text stays as it is written, comments and order with it. It returns how many times were
// shifted.
func Shift(folder fs.FS, by time.Duration, title string) (fs.FS, int, error) {
	files, times := map[string]string{}, 0
	err := fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := fs.ReadFile(folder, name)
		if err != nil {
			return err
		}
		edited := string(text)
		switch {
		case name == "course.yaml" && title != "":
			edited, err = replaceScalars(edited, func(key, _ string) (string, bool) {
				quoted, _ := yaml.Marshal(title)
				return strings.TrimSpace(string(quoted)), key == "title"
			})
		case by != 0 && path.Base(name) == "exercise.yaml":
			edited, err = replaceScalars(edited, func(key, value string) (string, bool) {
				t, notTime := time.Parse(time.RFC3339, value)
				if key != "opens" && key != "closes" || notTime != nil {
					return "", false
				}
				times++
				return t.Add(by).Format(time.RFC3339), true
			})
		}
		var bad *Unshiftable
		if errors.As(err, &bad) {
			bad.File = name
		}
		files[name] = edited
		return err
	})
	if err != nil {
		return nil, 0, err
	}
	out, err := Files(files)
	return out, times, err
}

// replaceScalars replaces values of a mapping's own keys where they stand in its text.
func replaceScalars(text string, with func(key, value string) (string, bool)) (string, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return "", fmt.Errorf("cannot be read as YAML: %w", err)
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		return text, nil
	}
	lines := strings.SplitAfter(text, "\n")
	pairs := doc.Content[0].Content
	for i := len(pairs) - 2; i >= 0; i -= 2 { // from the end, so that columns before stay right
		value := pairs[i+1]
		to, wanted := with(pairs[i].Value, value.Value)
		if !wanted || value.Kind != yaml.ScalarNode || value.Line < 1 || value.Line > len(lines) {
			continue
		}
		line := []rune(lines[value.Line-1])
		start := value.Column - 1
		length := len([]rune(value.Value))
		if value.Style == yaml.DoubleQuotedStyle || value.Style == yaml.SingleQuotedStyle {
			length = quotedLength(line[min(start, len(line)):])
		}
		if value.Style == yaml.LiteralStyle || value.Style == yaml.FoldedStyle || start+length > len(line) {
			return "", &Unshiftable{Problem{Line: value.Line, Column: value.Column, Message: fmt.Sprintf("the value of `%s` "+
				"is written on several lines, and is not shifted", pairs[i].Value), Hint: "write it on the line of its key"}}
		}
		lines[value.Line-1] = string(line[:start]) + to + string(line[start+length:])
	}
	return strings.Join(lines, ""), nil
}

// quotedLength is how many characters a quoted value takes, its quotation marks with them.
func quotedLength(rest []rune) int {
	for i := 1; i < len(rest); i++ {
		switch {
		case rest[0] == '"' && rest[i] == '\\', rest[0] == '\'' && rest[i] == '\'' && i+1 < len(rest) && rest[i+1] == '\'':
			i++
		case rest[i] == rest[0]:
			return i + 1
		}
	}
	return len(rest) + 1 // not closed on this line
}
