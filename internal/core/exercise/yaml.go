package exercise

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/notation"
)

// maxNodes and maxNesting bound a YAML file after its aliases are followed.
const (
	maxNodes   = 200_000
	maxNesting = 64
)

// yaml reads a YAML file into its root mapping; nil when it cannot be.
func (l *loader) yaml(file string) *yaml.Node {
	text, ok := l.text(file)
	if !ok {
		return nil
	}
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		line, message := yamlError(err)
		l.problem(file, line, 1, "this is not YAML: "+message, "look at the indentation and the brackets there")
		return nil
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		l.problem(file, 1, 1, "the file holds no keys", "it begins with `title: ...`")
		return nil
	}
	count := 0
	if n := tooLarge(doc.Content[0], 0, &count); n != nil {
		l.at(file, n, "the file is too large or nests too deep once its aliases are followed",
			"write the values out, and keep data in files of their own")
		return nil
	}
	return doc.Content[0]
}

// tooLarge finds the node at which a document passes its bounds.
func tooLarge(n *yaml.Node, depth int, count *int) *yaml.Node {
	if *count++; *count > maxNodes || depth > maxNesting {
		return n
	}
	if n.Kind == yaml.AliasNode {
		return tooLarge(n.Alias, depth+1, count)
	}
	for _, c := range n.Content {
		if at := tooLarge(c, depth+1, count); at != nil {
			return at
		}
	}
	return nil
}

var yamlLine = regexp.MustCompile(`line (\d+): `)

func yamlError(err error) (int, string) {
	message := strings.TrimPrefix(err.Error(), "yaml: ")
	if m := yamlLine.FindStringSubmatch(message); m != nil {
		line, _ := strconv.Atoi(m[1])
		return line, strings.Replace(message, m[0], "", 1)
	}
	return 1, message
}

// about names the key that a value is under, for the start of a message: "`kind`: ".
func (l *loader) about(n *yaml.Node) string {
	if key := l.keys[n]; key != "" {
		return "`" + key + "`: "
	}
	return ""
}

// under remembers the key that a value is under, below those of what it is in.
func (l *loader) under(parent, value *yaml.Node, key string) {
	if l.keys == nil {
		l.keys = map[*yaml.Node]string{}
	}
	if above := l.keys[parent]; above != "" {
		key = above + "." + key
	}
	l.keys[value] = key
}

// at reports a problem at a node.
func (l *loader) at(file string, n *yaml.Node, message, hint string) {
	l.problem(file, max(n.Line, 1), max(n.Column, 1), message, hint)
}

// resolve follows an alias.
func resolve(n *yaml.Node) *yaml.Node {
	for n != nil && n.Kind == yaml.AliasNode {
		n = n.Alias
	}
	return n
}

// shown writes a node's value for a message, shortened.
func shown(n *yaml.Node) string {
	n = resolve(n)
	switch n.Kind {
	case yaml.MappingNode:
		return "a mapping"
	case yaml.SequenceNode:
		return "a list"
	}
	if r := []rune(n.Value); len(r) > 60 {
		return "`" + string(r[:60]) + "…`"
	}
	return "`" + n.Value + "`"
}

// mapping reads a node's keys, refusing those the format does not have.
func (l *loader) mapping(file string, n *yaml.Node, keys ...string) map[string]*yaml.Node {
	out := map[string]*yaml.Node{}
	l.entries(file, n, func(key, value *yaml.Node) {
		for _, k := range keys {
			if key.Value == k {
				out[k] = value
				return
			}
		}
		hint := notation.Offer(notation.Nearest(key.Value, keys))
		if hint == "" {
			hint = "the keys here are " + strings.Join(keys, ", ")
		}
		where := "here"
		if above := l.keys[n]; above != "" {
			where = "in `" + above + "`"
		}
		l.at(file, key, fmt.Sprintf("there is no key `%s` %s", key.Value, where), hint)
	})
	return out
}

// entries walks a mapping in order, refusing keys that occur twice.
func (l *loader) entries(file string, n *yaml.Node, f func(key, value *yaml.Node)) {
	at := n
	n = resolve(n)
	if n.Kind != yaml.MappingNode {
		l.at(file, at, fmt.Sprintf("%s%s found where keys were expected", l.about(n), shown(n)),
			"write `{key: value}`, or keys on lines of their own")
		return
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := resolve(n.Content[i]), resolve(n.Content[i+1])
		if seen[key.Value] {
			l.at(file, key, fmt.Sprintf("the key `%s` occurs twice", key.Value), "take one out")
			continue
		}
		seen[key.Value] = true
		l.under(n, value, key.Value)
		f(key, value)
	}
}

// required reads a text that must be there.
func (l *loader) required(file string, parent *yaml.Node, m map[string]*yaml.Node, key string) string {
	n := m[key]
	if n == nil {
		l.at(file, parent, fmt.Sprintf("the key `%s` is missing", key), fmt.Sprintf("write `%s: ...`", key))
		return ""
	}
	return l.string(file, n)
}

func (l *loader) string(file string, n *yaml.Node) string {
	if n.Kind != yaml.ScalarNode || strings.TrimSpace(n.Value) == "" {
		l.at(file, n, fmt.Sprintf("%s%s found where text was expected", l.about(n), shown(n)), "write a word or a sentence")
		return ""
	}
	return n.Value
}

// word reads one of some words.
func (l *loader) word(file string, n *yaml.Node, words ...string) string {
	for _, w := range words {
		if n.Kind == yaml.ScalarNode && n.Value == w {
			return w
		}
	}
	hint := notation.Offer(notation.Nearest(n.Value, words))
	if hint == "" {
		hint = "write " + notation.JoinWords(words, "or")
	}
	l.at(file, n, fmt.Sprintf("%s%s is not one of %s", l.about(n), shown(n), strings.Join(words, ", ")), hint)
	return words[0]
}

func (l *loader) list(file string, parent, n *yaml.Node, key string) []*yaml.Node {
	if n == nil {
		l.at(file, parent, fmt.Sprintf("the key `%s` is missing", key), fmt.Sprintf("write `%s: [...]`", key))
		return nil
	}
	if n.Kind != yaml.SequenceNode {
		l.at(file, n, fmt.Sprintf("%s%s found where a list was expected", l.about(n), shown(n)),
			"write `[a, b]`, or a line for each with `- `")
		return nil
	}
	out := make([]*yaml.Node, len(n.Content))
	for i, c := range n.Content {
		out[i] = resolve(c)
		l.under(nil, out[i], l.keys[n])
	}
	return out
}

func (l *loader) bool(file string, n *yaml.Node) bool {
	if n.Tag == "!!bool" {
		return strings.EqualFold(n.Value, "true")
	}
	l.at(file, n, fmt.Sprintf("%s%s is neither true nor false", l.about(n), shown(n)), "write true or false")
	return false
}

// number reads a number that is 0 or more.
func (l *loader) number(file string, n *yaml.Node, what string) float64 {
	v, err := strconv.ParseFloat(n.Value, 64)
	if n.Kind != yaml.ScalarNode || err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		l.at(file, n, fmt.Sprintf("%s%s is not a number", l.about(n), shown(n)), fmt.Sprintf("%s is a number, 0 or more",
			what))
		return 0
	}
	if v < 0 {
		l.at(file, n, fmt.Sprintf("%s%s is negative", l.about(n), shown(n)), fmt.Sprintf("%s is 0 or more", what))
		return 0
	}
	return v
}

func (l *loader) time(file string, n *yaml.Node) *time.Time {
	t, err := time.Parse(time.RFC3339, n.Value)
	if err != nil {
		l.at(file, n, fmt.Sprintf("%s%s is not a time", l.about(n), shown(n)),
			"write it with its zone: `2031-09-01T08:00:00Z`")
		return nil
	}
	return &t
}

// axes reads labels; "_" leaves an axis without.
func (l *loader) axes(file string, parent, n *yaml.Node) []string {
	items := l.list(file, parent, n, "axes")
	out := make([]string, len(items))
	for i, item := range items {
		switch {
		case item.Value == "_":
		case !notation.IsName(item.Value):
			l.at(file, item, fmt.Sprintf("%s%s is not an axis label", l.about(item), shown(item)),
				"labels are names as in the notation, `week`; `_` leaves an axis without")
		default:
			out[i] = item.Value
		}
	}
	return out
}

// plain turns a node into what a JSON decoder with numbers as text would give.
func plain(n *yaml.Node) any {
	n = resolve(n)
	switch n.Kind {
	case yaml.SequenceNode:
		out := make([]any, len(n.Content))
		for i, c := range n.Content {
			out[i] = plain(c)
		}
		return out
	case yaml.MappingNode:
		out := map[string]any{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			out[n.Content[i].Value] = plain(n.Content[i+1])
		}
		return out
	}
	switch n.Tag {
	case "!!int":
		return json.Number(strings.ReplaceAll(n.Value, "_", ""))
	case "!!float":
		switch strings.TrimLeft(strings.ToLower(n.Value), "+-") {
		case ".inf":
			if strings.HasPrefix(n.Value, "-") {
				return "-inf"
			}
			return "inf"
		case ".nan":
			return "nan"
		}
		return json.Number(n.Value)
	case "!!bool":
		return strings.EqualFold(n.Value, "true")
	case "!!null":
		return nil
	}
	return n.Value
}
