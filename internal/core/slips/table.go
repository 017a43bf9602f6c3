package slips

import (
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Operator is one mutation operator: one sort of change, wherever it applies.
type Operator struct {
	Name   string
	Codes  []codes.Code // what its changes can stand for, in either direction
	Where  string       // where it applies
	Change string       // what it does there

	// Right and Wrong are an example: a program, and what the operator makes of it; of one that
	// mends, an attempt and what it makes of that.
	Right, Wrong string

	Mends     bool // puts right what an attempt lacks; a reference has none of its places
	Adds      bool // puts in an operation that was not there
	OnTop     bool // changes a result as a whole: data that let it through are not weak for it
	OtherAxes bool // works on other axes, so that equal lengths can hide it

	join joining

	// What finds its changes, by the sort of place; nil where it has none there.
	expression []func(w *walker, slot *notation.Expr, e notation.Expr)
	whole      func(w *walker, slot *notation.Expr) // what a statement binds
	selector   func(w *walker, s *notation.Selection, i int, sel *notation.Selector)
	selection  func(w *walker, s *notation.Selection, of notation.Expr)
	statement  func(w *walker, list *[]notation.Statement, s notation.Statement)
}

type onExpression = func(*walker, *notation.Expr, notation.Expr)

// on makes a function for expressions of one type one for all.
func on[E notation.Expr](changes func(w *walker, slot *notation.Expr, e E)) onExpression {
	return func(w *walker, slot *notation.Expr, e notation.Expr) {
		if x, ok := e.(E); ok {
			changes(w, slot, x)
		}
	}
}

// onCall is on for calls of the notation's functions.
func onCall(changes func(w *walker, slot *notation.Expr, c *notation.Call, f *functions.Function)) onExpression {
	return on(func(w *walker, slot *notation.Expr, c *notation.Call) {
		if f := w.builtIn(c); f != nil {
			changes(w, slot, c, f)
		}
	})
}

// onCallOf is on for calls of some of the notation's functions.
func onCallOf(changes func(w *walker, slot *notation.Expr, c *notation.Call), names ...string) onExpression {
	return onCall(func(w *walker, slot *notation.Expr, c *notation.Call, f *functions.Function) {
		for _, name := range names {
			if f.Name == name {
				changes(w, slot, c)
			}
		}
	})
}

// onStatement makes a function for statements of one type one for all.
func onStatement[S notation.Statement](changes func(w *walker, list *[]notation.Statement, s S)) func(*walker,
	*[]notation.Statement, notation.Statement) {
	return func(w *walker, list *[]notation.Statement, s notation.Statement) {
		if x, ok := s.(S); ok {
			changes(w, list, x)
		}
	}
}

// Table holds every operator, group by group.
var Table = concat(axisOperators, functionOperators, optionOperators, arithmeticOperators, matrixOperators,
	literalOperators, mendingOperators, borrowingOperators, besideOperators, compoundOperators,
	maskOperators, selectorOperators, rangeOperators, selectionOperators, wholeOperators, statementOperators)

func concat(groups ...[]*Operator) []*Operator {
	var all []*Operator
	for _, group := range groups {
		all = append(all, group...)
	}
	return all
}
