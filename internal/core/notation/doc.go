// Package notation reads the Nimbus notation: text to tokens to a tree with
// positions, and a tree back to text.
//
// It holds the diagnostics every later stage speaks in, with the drawing of a
// diagnostic for a terminal. It knows the grammar and the rules that can be
// checked on the tree alone; it does not know which functions exist or what a
// program computes.
package notation
