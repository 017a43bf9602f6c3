package exercise

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/codes"
)

// AddSlip adds an entry to the slips of an exercise.yaml: a program beside it, the cause that it stands for and what is
// said to whoever makes the mistake. The file's other text stays as it is written.
func AddSlip(text, program string, cause codes.Code, note string) (string, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return "", err
	}
	entry := fmt.Sprintf("{program: %s, cause: %s, note: %s}", program, cause, strconv.Quote(note))
	list, err := slipsNode(&doc)
	if err != nil {
		return "", err
	}
	lines := strings.SplitAfter(text, "\n")
	switch {
	case list == nil || list.Kind == yaml.ScalarNode && list.Tag == "!!null":
		if list != nil {
			return "", &Unshiftable{Problem{Line: list.Line, Column: list.Column, Message: "`slips` is empty",
				Hint: "take the key out, or write an empty list"}}
		}
		if text != "" && !strings.HasSuffix(text, "\n") {
			text += "\n"
		}
		text += "slips:\n  - " + entry + "\n"
	case list.Kind != yaml.SequenceNode:
		return "", &Unshiftable{Problem{Line: list.Line, Column: list.Column, Message: "`slips` is no list",
			Hint: "write it as a list of slips"}}
	case list.Style&yaml.FlowStyle != 0:
		line, at := lines[list.Line-1], list.Column // behind the bracket
		if at > len(line) || line[at-1] != '[' {
			at = strings.IndexByte(line, '[') + 1
		}
		if len(list.Content) > 0 {
			entry += ", "
		}
		lines[list.Line-1] = line[:at] + entry + line[at:]
		text = strings.Join(lines, "")
	default: // before the first item, in its column
		first := list.Line - 1
		lines[first] = strings.Repeat(" ", list.Column-1) + "- " + entry + "\n" + lines[first]
		text = strings.Join(lines, "")
	}
	var after struct {
		Slips []map[string]any `yaml:"slips"`
	}
	err = yaml.Unmarshal([]byte(text), &after)
	has := func(s map[string]any) bool { return s["program"] == program }
	if err != nil || !slices.ContainsFunc(after.Slips, has) {
		return "", &Unshiftable{Problem{Line: 1, Column: 1, Message: "the slips cannot be added to as they are written",
			Hint: "write them as a list, each on a line of its own"}}
	}
	return text, nil
}

// slipsNode finds the value of the key `slips`; nil where there is none.
func slipsNode(doc *yaml.Node) (*yaml.Node, error) {
	if len(doc.Content) == 0 {
		return nil, nil
	}
	root := doc.Content[0]
	if root.Kind != yaml.MappingNode || root.Style&yaml.FlowStyle != 0 {
		return nil, &Unshiftable{Problem{Line: root.Line, Column: root.Column, Message: "the file is no list of keys",
			Hint: "write each key on a line of its own"}}
	}
	for i := 0; i+1 < len(root.Content); i += 2 {
		if root.Content[i].Value == "slips" {
			return root.Content[i+1], nil
		}
	}
	return nil, nil
}
