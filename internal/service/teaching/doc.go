// Package teaching computes what a teaching team works with after publishing: on which terms an exercise is open to
// somebody, what their attempts are worth, how a class stands exercise by exercise, and what happened to it within a
// span, in numbers and in three sentences.
//
// Grades are exact fractions inside and are rounded only where they are shown. The package reads what package store
// holds; it decides no rights, and writes nothing.
package teaching
