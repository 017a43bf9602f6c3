package exercise

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"
)

// AddCases writes cases, each a line of YAML that begins with "- ", at the end of an
// exercise.yaml's list of cases. All else of the text, comments too, stays as it is.
func AddCases(text string, cases []string) (string, error) {
	if len(cases) == 0 {
		return text, nil
	}
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return "", fmt.Errorf("this is not YAML: %w", err)
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		return "", fmt.Errorf("the file holds no keys")
	}
	root := doc.Content[0]
	for i := 0; i+1 < len(root.Content); i += 2 {
		if root.Content[i].Value != "cases" {
			continue
		}
		list := root.Content[i+1]
		if list.Kind != yaml.SequenceNode || list.Style&yaml.FlowStyle != 0 || len(list.Content) == 0 {
			return "", fmt.Errorf("the list of cases is written on one line; put each case on a line of its own first")
		}
		lines := strings.Split(text, "\n")
		end := len(lines)
		if i+2 < len(root.Content) {
			end = root.Content[i+2].Line - 1
		}
		// Comments and empty lines before the next key belong to it.
		for end > 0 && (strings.TrimSpace(lines[end-1]) == "" || strings.HasPrefix(strings.TrimSpace(lines[end-1]), "#") &&
			end > lastLine(list)) {
			end--
		}
		indent := strings.Repeat(" ", max(list.Content[0].Column-3, 0))
		if first := lines[list.Content[0].Line-1]; strings.Contains(first, "-") {
			indent = first[:strings.Index(first, "-")]
		}
		var added []string
		for _, c := range cases {
			added = append(added, indent+c)
		}
		out := append(append(append([]string{}, lines[:end]...), added...), lines[end:]...)
		return strings.Join(out, "\n"), nil
	}
	return "", fmt.Errorf("the file has no key `cases`")
}

// lastLine is the last line on which a node, or one inside it, begins.
func lastLine(n *yaml.Node) int {
	line := n.Line
	for _, c := range n.Content {
		line = max(line, lastLine(c))
	}
	return line
}

// Renumbered gives cases that probing made names that no case of a text has, and keeps
// one of those with the same data.
func Renumbered(text string, cases []string) []string {
	var out []string
	seen := map[string]bool{}
	next := 1
	for _, c := range cases {
		name, rest, ok := strings.Cut(strings.TrimPrefix(c, "- {name: "), ",")
		if !ok {
			out = append(out, c)
			continue
		}
		if seen[rest] {
			continue
		}
		seen[rest] = true
		for strings.Contains(text, fmt.Sprintf("extra-%d,", next)) || strings.Contains(text, fmt.Sprintf("extra-%d\n",
			next)) {
			next++
		}
		if strings.HasPrefix(name, "extra-") {
			name = fmt.Sprintf("extra-%d", next)
			next++
		}
		out = append(out, "- {name: "+name+","+rest)
	}
	return out
}

// AddEquivalent writes a mark on a survivor at the end of an exercise.yaml, into its
// list of marks where it has one.
func AddEquivalent(text, change, reason, reference string) (string, error) {
	entry, err := yaml.Marshal(map[string]string{"change": change, "reason": reason, "reference": reference})
	if err != nil {
		return "", err
	}
	lines := strings.Split(strings.TrimRight(string(entry), "\n"), "\n")
	item := "  - " + strings.Join(lines, "\n    ")
	all := strings.Split(strings.TrimRight(text, "\n"), "\n")
	for i, line := range all {
		if strings.HasPrefix(line, "equivalent:") {
			if strings.TrimSpace(strings.TrimPrefix(line, "equivalent:")) != "" {
				return "", fmt.Errorf("`equivalent` is written on one line; put each mark on a line of its own first")
			}
			return strings.Join(append(append(append([]string{}, all[:i+1]...), item), all[i+1:]...), "\n") + "\n", nil
		}
	}
	return strings.Join(append(all, "equivalent:", item), "\n") + "\n", nil
}
