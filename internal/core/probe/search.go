package probe

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"math/rand/v2"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
)

// enoughTried is on how many sets of inputs, of many shapes, a program must give the
// reference's results to count as equivalent.
const enoughTried = 24

func digest(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:4])
}

// data is one set of inputs tried, with what it changes in words.
type data struct {
	words    string
	weakness codes.Code // the code of the advice on data that lack it
	input    string     // whose data were changed, "" for all
	inputs   map[string]*array.Array
}

// search holds sets of inputs that change the exercise's data in one way each, with
// what the reference makes of them.
type search struct {
	p     *check.Prepared
	tries []try
}

type try struct {
	data
	answer *check.PreparedCase
}

// newSearch lists sets of inputs that change an exercise's data in one way each, with
// the reference's answers; those it cannot answer are left out.
func newSearch(ctx context.Context, p *check.Prepared) *search {
	s := &search{p: p}
	g := rand.New(rand.NewPCG(2031, 0x6b656c70))
	v := &varier{p: p, Rand: g}
	var all []data
	for round := range 6 {
		base := v.base(round)
		if base == nil {
			return s
		}
		all = append(all, v.variations(base, round)...)
	}
	// The plainest change first, whichever data it was made from.
	rank := []codes.Code{
		codes.AdviceEqualLengths, codes.AdviceNoBoundary, codes.AdviceSymmetric, codes.AdviceSorted, codes.AdviceNoNegative,
		codes.AdviceTie, codes.AdviceNoRepeat, codes.AdviceNoZero, codes.AdviceIntegersOnly, codes.AdviceMissingValues, "",
	}
	slices.SortStableFunc(all, func(a, b data) int {
		return slices.Index(rank, a.weakness) - slices.Index(rank,
			b.weakness)
	})
	for _, d := range all {
		if ctx.Err() != nil {
			break
		}
		if pc, ok := p.With(ctx, base(p), d.inputs); ok {
			s.tries = append(s.tries, try{d, pc})
		}
	}
	return s
}

// base is a case that runs to its end.
func base(p *check.Prepared) *check.PreparedCase {
	for i := range p.Cases {
		if p.Cases[i].Error == nil {
			return &p.Cases[i]
		}
	}
	return nil
}

// find looks for data on which a program differs from the reference; tried counts the
// sets on which it was compared with it.
func (s *search) find(ctx context.Context, program *notation.Program) (*data, int) {
	for i := range s.tries {
		t := &s.tries[i]
		if ctx.Err() != nil {
			return nil, i
		}
		if !s.p.Right(ctx, t.answer, program, costFactor) {
			return &t.data, i
		}
	}
	return nil, len(s.tries)
}

// written gives the inputs of a case as YAML.
func (d *data) written(e *exercise.Exercise) string {
	var parts []string
	for _, in := range e.Inputs {
		if a := d.inputs[in.Name]; a != nil {
			parts = append(parts, in.Name+": "+nestedText(a))
		}
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

// nestedText writes an array as nested lists of YAML.
func nestedText(a *array.Array) string {
	if a.Size() == 0 || a.Kind() == array.Complex {
		text, err := dataio.JSON{Array: a.WithLabels(nil)}.MarshalJSON()
		if err != nil {
			return "null"
		}
		return string(text)
	}
	if a.Rank() == 0 {
		return element(a)
	}
	parts := make([]string, a.Len(0))
	for i := range parts {
		picks := make([]array.Pick, a.Rank())
		for k := range picks {
			picks[k] = array.WholeAxis(a.Len(k))
		}
		picks[0] = array.Pick{Kind: array.PickPosition, Start: i}
		parts[i] = nestedText(a.Select(picks))
	}
	return "[" + strings.Join(parts, ", ") + "]"
}

func element(a *array.Array) string {
	text := dataio.FormatElement(a, 0)
	return strings.TrimSuffix(text, ".0")
}
