// Package teaching computes what a teaching team works with after publishing: on which terms an exercise is open to
// somebody, and what their attempts are worth.
//
// Grades are exact fractions inside and are rounded only where they are shown. The package reads what package store
// holds; it decides no rights, and writes nothing.
package teaching
