package slips

import (
	"strings"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// joining says when slips of one operator at several places are one mistake.
type joining uint8

const (
	alone      joining = iota // each is a mistake of its own
	byChange                  // where the change reads the same
	byFunction                // where one function is taken for another, whatever its arguments
	byCause                   // where they stand for the same cause
)

// idea is what slips that are one mistake have in common.
type idea struct {
	operator  *Operator
	cause     codes.Code
	change    string
	statement notation.Statement  // nil for the whole text
	selection *notation.Selection // nil for all of the statement
}

// ideaOf is what a slip shares with those it is joined with.
func ideaOf(s *Slip) idea {
	one := idea{operator: s.Operator, cause: s.Cause}
	switch s.Operator.join {
	case byChange:
		if one.change = s.key; one.change == "" {
			one.change = s.before() + " → " + s.after()
		}
	case byFunction:
		before, _, _ := strings.Cut(s.before(), "(")
		after, _, _ := strings.Cut(s.after(), "(")
		one.change = before + " → " + after
	}
	return one
}

// mostPlaces bounds at how many places one mistake is made.
const mostPlaces = 8

// mostPrinted bounds the characters of what is put into words to be compared: doing that for each part of a sum of
// thousands of terms would take minutes.
const mostPrinted = 500

// isLong reports whether a part of a text has more.
func isLong(s notation.Span) bool { return s.End-s.Start > mostPrinted }

// everywhere joins slips that are one idea made at several places of a selection, of a statement or of the
// text: the same axis taken for another in every call, every selection on the wrong axis.
func everywhere(list []Slip) []Slip {
	type sort struct {
		operator *Operator
		cause    codes.Code
	}
	alike := map[sort]int{} // how many might be joined, before their changes are put into words
	for i := range list {
		if s := &list[i]; s.Operator.join != alone {
			alike[sort{s.Operator, s.Cause}]++
		}
	}
	groups := map[idea][]*Slip{}
	var order []idea
	for i := range list {
		if s := &list[i]; s.Operator.join == alone || alike[sort{s.Operator, s.Cause}] < 2 || isLong(s.Span) {
			continue
		}
		key := ideaOf(&list[i])
		within := key
		within.statement = list[i].statement
		keys := []idea{key, within}
		if s := list[i].selection; s != nil {
			within.selection = s
			keys = append(keys, within)
		}
		for _, k := range keys {
			if _, ok := groups[k]; !ok {
				order = append(order, k)
			}
			groups[k] = append(groups[k], &list[i])
		}
	}
	var out []Slip
	for _, key := range order {
		members := groups[key]
		if len(members) < 2 || len(members) > mostPlaces {
			continue
		}
		one := *members[0]
		one.joined = true
		for _, m := range members {
			one.several = one.several || m.statement != one.statement
		}
		one.after = func() string { return members[0].after() + ", everywhere" }
		one.apply = func() func() {
			var undo []func()
			for _, m := range members {
				undo = append(undo, m.Apply())
			}
			return func() {
				for i := len(undo) - 1; i >= 0; i-- {
					undo[i]()
				}
			}
		}
		out = append(out, one)
	}
	return out
}
