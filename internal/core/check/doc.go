// Package check turns an attempt into a verdict: the one entry the service and
// the client share.
//
// Checking is a pure function of the prepared exercise and the attempt: the same
// bytes of result on any machine. It has no clock; a caller that wants seconds
// bounded gives each case a context that ends.
package check
