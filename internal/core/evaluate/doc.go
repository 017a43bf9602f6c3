// Package evaluate runs a program of the notation on input arrays.
//
// A run is a pure function of program, inputs, counting base and limits: it has
// no clock, no files and no global state. It knows names, statements and spans;
// what operators and functions compute is in package functions.
package evaluate
