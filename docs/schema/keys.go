package schema

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/exercise"
)

// KeyReference is docs/course-keys.md: every key of both files, from the loader's own table.
func KeyReference() string {
	var b strings.Builder
	b.WriteString(strings.ReplaceAll(`# Every key of course.yaml and exercise.yaml

This page is made from the table that the loader reads ("make documents"); editors show the same words from
the JSON Schemas. How a course is put together: [courses on disk](courses.md). A length of time is weeks, days of
24 hours, hours, minutes and seconds: "72h", "3d12h", "1w"; between attempts hours, minutes and seconds alone.
A time says its zone.
`, `"`, "`"))
	for _, m := range exercise.Mappings {
		fmt.Fprintf(&b, "\n## %s\n\n| key | takes | without it | meaning | example |\n|---|---|---|---|---|\n", m.Title)
		for _, k := range m.Keys {
			fmt.Fprintf(&b, "| `%s` | %s | %s | %s | `%s` |\n", k.Name, cell(k.Type), cell(k.Default), cell(k.Means),
				cell(k.Example))
		}
	}
	return b.String()
}

func cell(s string) string { return strings.ReplaceAll(s, "|", "\\|") }

// Describe writes each key's meaning, default and example into a schema, whose other text and order stay.
func Describe(text []byte) ([]byte, error) {
	var doc yaml.Node // JSON is YAML, and its nodes keep the order
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, err
	}
	root := doc.Content[0]
	about := map[string]map[string]exercise.Key{}
	for _, m := range exercise.Mappings {
		about[m.Name] = map[string]exercise.Key{}
		for _, k := range m.Keys {
			about[m.Name][k.Name] = k
		}
	}
	main := "exercise"
	if strings.Contains(child(root, "$id").Value, "course") {
		main = "course"
	}
	describe(root, about[main])
	if defs := child(root, "$defs"); defs != nil {
		for i := 0; i < len(defs.Content); i += 2 {
			describe(defs.Content[i+1], about[defs.Content[i].Value])
		}
	}
	var out bytes.Buffer
	err := write(&out, root, "")
	out.WriteByte('\n')
	return out.Bytes(), err
}

// child is a mapping's value for a key, nil where there is none.
func child(n *yaml.Node, key string) *yaml.Node {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1]
		}
	}
	return nil
}

func describe(n *yaml.Node, keys map[string]exercise.Key) {
	properties := child(n, "properties")
	if properties == nil {
		return
	}
	for i := 0; i+1 < len(properties.Content); i += 2 {
		k, known := keys[properties.Content[i].Value]
		if !known {
			continue
		}
		text := fmt.Sprintf("%s Without it: %s. Example: %s", k.Means, k.Default, k.Example)
		if d := child(properties.Content[i+1], "description"); d != nil {
			d.Value = text
			continue
		}
		properties.Content[i+1].Content = append(properties.Content[i+1].Content,
			&yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: "description"},
			&yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: text})
	}
}

// write writes a node as JSON, indented by two blanks.
func write(out *bytes.Buffer, n *yaml.Node, indent string) error {
	open, closing, step := "{", "}", 2
	switch n.Kind {
	case yaml.ScalarNode:
		var v any
		if n.Tag == "!!str" {
			v = n.Value
		} else if err := n.Decode(&v); err != nil {
			return err
		}
		var text bytes.Buffer
		e := json.NewEncoder(&text)
		e.SetEscapeHTML(false)
		if err := e.Encode(v); err != nil {
			return err
		}
		out.Write(bytes.TrimSpace(text.Bytes()))
		return nil
	case yaml.SequenceNode:
		open, closing, step = "[", "]", 1
	}
	if len(n.Content) == 0 {
		out.WriteString(open + closing)
		return nil
	}
	out.WriteString(open)
	for i := 0; i < len(n.Content); i += step {
		if i > 0 {
			out.WriteByte(',')
		}
		out.WriteString("\n" + indent + "  ")
		if err := write(out, n.Content[i], indent+"  "); err != nil {
			return err
		}
		if step == 2 {
			out.WriteString(": ")
			if err := write(out, n.Content[i+1], indent+"  "); err != nil {
				return err
			}
		}
	}
	out.WriteString("\n" + indent + closing)
	return nil
}
