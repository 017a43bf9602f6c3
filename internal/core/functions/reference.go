package functions

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Reference writes the whole notation's words as a page of Markdown: functions by
// topic, then operators, selectors, statements, codes. docs/reference.md is this text.
func Reference() string {
	var b strings.Builder
	b.WriteString("# Reference\n\nWritten from the tables the evaluator reads; `nimbus explain WORD` prints each entry " +
		"and runs its example.\nHow they work together: [the notation](notation.md).\n")
	for _, t := range Topics {
		fmt.Fprintf(&b, "\n## %s\n\n| function | gives | shape | example |\n|---|---|---|---|\n", upperFirst(string(t)))
		for _, f := range ByTopic(t) {
			fmt.Fprintf(&b, "| `%s` | %s | %s | `%s` |\n", tableCell(f.Signature), tableCell(f.Describe()), tableCell(f.Shape),
				tableCell(f.Example))
		}
	}
	for _, kind := range notation.EntryKinds() {
		fmt.Fprintf(&b, "\n## %ss\n\n| word | means | example |\n|---|---|---|\n", upperFirst(kind))
		for _, e := range notation.Entries {
			if e.Kind == kind {
				fmt.Fprintf(&b, "| `%s` | %s | `%s` |\n", e.Word, tableCell(e.Doc), tableCell(strings.ReplaceAll(e.Example, "\n",
					" ⏎ ")))
			}
		}
	}
	for _, kind := range codes.Kinds {
		if kind == codes.Cause || kind == codes.Advice {
			continue // docs/checking.md and docs/courses.md list those
		}
		fmt.Fprintf(&b, "\n## %ss\n\n| code | reported when | example |\n|---|---|---|\n", upperFirst(string(kind)))
		for _, e := range codes.Of(kind) {
			fmt.Fprintf(&b, "| `%s` | %s | `%s` |\n", e.Code, tableCell(e.When), tableCell(strings.ReplaceAll(e.Example, "\n",
				" ⏎ ")))
		}
	}
	return b.String()
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// tableCell keeps a bar from ending a table's cell.
func tableCell(s string) string { return strings.ReplaceAll(s, "|", "\\|") }
