package causes

import (
	"embed"
	"path"
	"strings"

	"nimbusreach/internal/core/codes"
)

//go:embed testdata/*.txt
var samples embed.FS

// Sample is an attempt at an exercise of the demo with what a fair teacher would say
// of it: the causes accepted, or the word right, or mess for what must stay silent.
type Sample struct {
	Exercise string
	Program  string
	Accepted []codes.Code
	Line     int // in its file
}

// The words that stand where a sample has no cause.
const (
	right codes.Code = "right"
	mess  codes.Code = "mess"
)

// Right reports whether the attempt must be marked right.
func (s *Sample) Right() bool { return s.Accepted[0] == right }

// Mess reports whether no cause may be reported.
func (s *Sample) Mess() bool { return s.Accepted[0] == mess }

// Corpus lists the samples by exercise. In a file each begins with a line "= " and
// its words, and the program follows.
func Corpus() ([]Sample, error) {
	files, err := samples.ReadDir("testdata")
	if err != nil {
		return nil, err
	}
	var out []Sample
	for _, file := range files {
		text, err := samples.ReadFile(path.Join("testdata", file.Name()))
		if err != nil {
			return nil, err
		}
		out = append(out, Samples(strings.TrimSuffix(file.Name(), ".txt"), string(text))...)
	}
	return out, nil
}

// Samples reads the samples of one exercise from a text. A line "= " and words begins an
// answer that is written out. A line "~ words | part | other" is the answer before it with one
// part replaced, everywhere it stands: what a person did to a right answer, labelled by what
// they meant. Its Program is empty where that part does not stand in the answer.
func Samples(exercise, text string) []Sample {
	var out []Sample
	whole := -1 // the answer that is written out
	for i, line := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		if words, ok := strings.CutPrefix(line, "= "); ok {
			whole = len(out)
			out = append(out, Sample{Exercise: exercise, Line: i + 1, Accepted: accepted(words)})
		} else if edit, ok := strings.CutPrefix(line, "~ "); ok && whole >= 0 {
			one := Sample{Exercise: exercise, Line: i + 1}
			words, change, _ := strings.Cut(edit, " | ")
			part, with, _ := strings.Cut(change, " | ")
			one.Accepted = accepted(words)
			if strings.Contains(out[whole].Program, part) {
				one.Program = strings.ReplaceAll(out[whole].Program, part, with)
			}
			out = append(out, one)
		} else if whole >= 0 {
			out[whole].Program += line + "\n"
		}
	}
	return out
}

func accepted(words string) []codes.Code {
	var out []codes.Code
	for _, word := range strings.Fields(words) {
		out = append(out, codes.Code(word))
	}
	return out
}
