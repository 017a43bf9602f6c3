package notation

import (
	"sort"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Bounds on text, from the notation's section on limits.
const (
	MaxBytes = 1_000_000
	MaxDepth = 200
)

// Span is a stretch of text in bytes: from Start up to, not including, End.
// Bytes become lines and columns late, through Source.
type Span struct{ Start, End int32 }

// To returns the span from the start of s to the end of t.
func (s Span) To(t Span) Span { return Span{s.Start, t.End} }

// Within reports whether s lies inside t.
func (s Span) Within(t Span) bool { return t.Start <= s.Start && s.End <= t.End }

// Source is one text as the scanner sees it: NFC, without a byte-order mark,
// newlines as "\n".
type Source struct {
	Text  string
	lines []int32 // the byte at which each line starts
}

// NewSource normalises a text.
func NewSource(text string) *Source {
	text = strings.TrimPrefix(text, "\ufeff")
	text = strings.ReplaceAll(text, "\r\n", "\n")
	if !isASCII(text) {
		text = norm.NFC.String(text)
	}
	s := &Source{Text: text, lines: make([]int32, 1, 1+strings.Count(text, "\n"))}
	for at := 0; ; {
		i := strings.IndexByte(text[at:], '\n')
		if i < 0 {
			return s
		}
		at += i + 1
		s.lines = append(s.lines, int32(at))
	}
}

// isASCII reports whether a text has no other characters; it is NFC then.
func isASCII(text string) bool {
	all := uint64(0)
	for ; len(text) >= 8; text = text[8:] {
		all |= uint64(text[0]) | uint64(text[1])<<8 | uint64(text[2])<<16 | uint64(text[3])<<24 |
			uint64(text[4])<<32 | uint64(text[5])<<40 | uint64(text[6])<<48 | uint64(text[7])<<56
	}
	for i := range len(text) {
		all |= uint64(text[i])
	}
	return all&0x8080808080808080 == 0
}

// Place is a span in lines and columns, both counted in characters from 1. The
// end column is the one after the last character.
type Place struct {
	Line      int `json:"line"`
	Column    int `json:"column"`
	EndLine   int `json:"end_line"`
	EndColumn int `json:"end_column"`
}

// Place resolves a span.
func (s *Source) Place(span Span) Place {
	line, column := s.position(span.Start)
	endLine, endColumn := s.position(span.End)
	return Place{line, column, endLine, endColumn}
}

func (s *Source) position(at int32) (line, column int) {
	at = min(max(at, 0), int32(len(s.Text)))
	i := sort.Search(len(s.lines), func(i int) bool { return s.lines[i] > at }) - 1
	return i + 1, utf8.RuneCountInString(s.Text[s.lines[i]:at]) + 1
}

// Line returns the text of a line counted from 1, without its newline.
func (s *Source) Line(n int) string {
	if n < 1 || n > len(s.lines) {
		return ""
	}
	text := s.Text[s.lines[n-1]:]
	if i := strings.IndexByte(text, '\n'); i >= 0 {
		text = text[:i]
	}
	return text
}

// Slice returns the text of a span.
func (s *Source) Slice(span Span) string { return s.Text[span.Start:span.End] }
