package notation

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"nimbusreach/internal/core/codes"
)

// Shape is a shape a diagnostic speaks of. A negative length is one that is not
// known before a run. Mark is the axis that does not fit, or -1.
type Shape struct {
	Lengths []int
	Labels  []string
	Mark    int
}

// MarshalJSON writes the lengths and one label or null an axis.
func (s Shape) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Shape []any `json:"shape"`
		Axes  []any `json:"axes"`
	}{LengthsOrNull(s.Lengths), LabelsOrNull(s.Labels, len(s.Lengths))})
}

// UnmarshalJSON reads what MarshalJSON writes; which axis does not fit is not kept.
func (s *Shape) UnmarshalJSON(text []byte) error {
	var in struct {
		Shape []*int    `json:"shape"`
		Axes  []*string `json:"axes"`
	}
	if err := json.Unmarshal(text, &in); err != nil {
		return err
	}
	*s = Shape{Lengths: make([]int, len(in.Shape)), Labels: make([]string, len(in.Axes)), Mark: -1}
	for i, n := range in.Shape {
		s.Lengths[i] = -1
		if n != nil {
			s.Lengths[i] = *n
		}
	}
	for i, l := range in.Axes {
		if l != nil {
			s.Labels[i] = *l
		}
	}
	return nil
}

// LengthsOrNull lists lengths, nil where one is not known, as JSON wants them.
func LengthsOrNull(lengths []int) []any {
	out := make([]any, len(lengths))
	for i, n := range lengths {
		if n >= 0 {
			out[i] = n
		}
	}
	return out
}

// LabelsOrNull lists one label an axis, nil where there is none, as JSON wants it.
func LabelsOrNull(labels []string, rank int) []any {
	out := make([]any, rank)
	for i := range out {
		if i < len(labels) && labels[i] != "" {
			out[i] = labels[i]
		}
	}
	return out
}

// Label returns an axis's label or "".
func (s Shape) Label(axis int) string {
	if axis < len(s.Labels) {
		return s.Labels[axis]
	}
	return ""
}

// String writes the shape as messages do: [week=5, rope=3, 4].
func (s Shape) String() string {
	parts := make([]string, len(s.Lengths))
	for i, d := range s.Lengths {
		switch l := s.Label(i); {
		case d < 0 && l != "":
			parts[i] = l
		case d < 0:
			parts[i] = "?"
		case l != "":
			parts[i] = fmt.Sprintf("%s=%d", l, d)
		default:
			parts[i] = fmt.Sprint(d)
		}
	}
	return "[" + strings.Join(parts, ", ") + "]"
}

// Diagnostic is an error or a notice: what was there, what was needed, one thing
// to try, and where.
type Diagnostic struct {
	Code    codes.Code `json:"code"`
	Message string     `json:"message"`
	Hint    string     `json:"hint"`
	Place   Place      `json:"span"`
	Shapes  []Shape    `json:"shapes"`

	Span Span `json:"-"`
}

// Error makes a diagnostic usable where Go wants an error.
func (d *Diagnostic) Error() string { return string(d.Code) + ": " + d.Message }

// MarshalJSON keeps the list of shapes a list.
func (d *Diagnostic) MarshalJSON() ([]byte, error) {
	type plain Diagnostic
	c := plain(*d)
	if c.Shapes == nil {
		c.Shapes = []Shape{}
	}
	return json.Marshal(c)
}

// IsNotice reports whether the diagnostic lets a program go on.
func (d *Diagnostic) IsNotice() bool { return d.Code.Is(codes.Notice) }

// Nearest returns the candidates within two edits of a word (one for short
// words; one letter only as itself, large or small), nearest first, at most three.
func Nearest(word string, candidates []string) []string {
	type hit struct {
		name string
		cost int
	}
	var hits []hit
	bound := 2
	switch letters := utf8.RuneCountInString(word); {
	case letters <= 1:
		bound = 0 // every letter is one edit from every other
	case letters <= 3:
		bound = 1
	}
	lower := strings.ToLower(word)
	for _, c := range candidates {
		if c == word || slices.ContainsFunc(hits, func(h hit) bool { return h.name == c }) {
			continue
		}
		cost := editDistance(lower, strings.ToLower(c), bound)
		if cost > bound && len(word) >= 3 && strings.HasPrefix(strings.ToLower(c), lower) {
			cost = bound
		}
		if cost <= bound {
			hits = append(hits, hit{c, cost})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return cmp.Or(a.cost-b.cost, strings.Compare(a.name, b.name)) })
	var out []string
	for _, h := range hits[:min(3, len(hits))] {
		out = append(out, h.name)
	}
	return out
}

// editDistance counts insertions, deletions, changes and swaps of neighbours,
// and gives up past the bound.
func editDistance(a, b string, bound int) int {
	x, y := []rune(a), []rune(b)
	if len(x)-len(y) > bound || len(y)-len(x) > bound {
		return bound + 1
	}
	var before, last, row []int
	row = make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(x); i++ {
		before, last, row = last, row, make([]int, len(y)+1)
		row[0] = i
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
	}
	return row[len(y)]
}

// Offer turns nearest names into a hint's words: "did you mean `a` or `b`?".
func Offer(names []string) string {
	if len(names) == 0 {
		return ""
	}
	quoted := make([]string, len(names))
	for i, n := range names {
		quoted[i] = "`" + n + "`"
	}
	return "did you mean " + JoinWords(quoted, "or") + "?"
}

// JoinWords writes a list as a sentence does: "a, b or c".
func JoinWords(words []string, last string) string {
	switch len(words) {
	case 0:
		return ""
	case 1:
		return words[0]
	}
	return strings.Join(words[:len(words)-1], ", ") + " " + last + " " + words[len(words)-1]
}
