package functions_test

import (
	"context"
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
)

// A function is an entry of the table; a call carries its arguments and the meter that
// counts what it makes.
func ExampleLookup() {
	f := functions.Lookup("mean")
	fmt.Println(f.Signature)
	fmt.Println(f.Shape)
	call := &functions.Call{Function: f, Args: []*array.Array{array.FromReals([]float64{1, 2, 6}, 3)},
		Meter: functions.NewMeter(context.Background(), functions.Limits{Cells: 100, Bytes: 1000})}
	value, problem := f.Run(call)
	fmt.Println(value.RealAt(0), problem == nil)
	// Output:
	// mean(x over AXES, keep: false, only: mask, weights: w)
	// the axes not reduced; without `over` a scalar; with `keep: true` reduced axes stay with length 1
	// 3 true
}
