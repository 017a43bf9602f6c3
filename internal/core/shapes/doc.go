// Package shapes tells, before any run, what kind, shape and labels each expression
// of a text has, and which errors of shape it must end in.
//
// Lengths that are not known stay open under a name of their own: two places with
// one name have one length, whatever it is. What the package says is never wrong,
// only less than a run tells; a property test runs random programs through both.
// It does not look at values, except at the ints that give lengths and positions.
package shapes
