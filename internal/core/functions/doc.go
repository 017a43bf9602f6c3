// Package functions holds the built-in functions and operators of the notation.
//
// Functions live in one table: name, topic, signature, doc, example, shape rule
// in words and the code that runs. The evaluator, the command line's explain and
// the docs read the same table. The package does not know variables, statements
// or where in a text a call stands; what goes wrong comes back as a diagnostic
// without a place, which the evaluator adds.
package functions
