// Package array holds the one value of the Nimbus notation: the array.
//
// An array has a kind (bool, int, real or complex), a shape, and for each axis
// an optional label; a scalar is an array without axes. Cells lie in typed
// storage behind a header of strides and an offset, so selections by range,
// transposes and broadcasts share cells with the array they came from.
//
// The package knows layout: making, broadcasting, selecting, walking. It does
// not know the notation, its messages or its limits: a caller asks for cells
// before it makes them, and turns the errors here into diagnostics.
package array
