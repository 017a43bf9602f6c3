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

// Samples reads the samples of one exercise from a text.
func Samples(exercise, text string) []Sample {
	var out []Sample
	for i, line := range strings.Split(strings.TrimSuffix(text, "\n"), "\n") {
		if words, ok := strings.CutPrefix(line, "= "); ok {
			one := Sample{Exercise: exercise, Line: i + 1}
			for _, word := range strings.Fields(words) {
				one.Accepted = append(one.Accepted, codes.Code(word))
			}
			out = append(out, one)
		} else if len(out) > 0 {
			out[len(out)-1].Program += line + "\n"
		}
	}
	return out
}
