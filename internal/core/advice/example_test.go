package advice_test

import (
	"context"
	"fmt"
	"testing/fstest"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
)

// A matrix that is square in every case hides a reduction over the wrong axis.
func ExampleInspect() {
	e, _ := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: Means\ninputs: {growth: {axes: [week, rope]}}\noutputs: {per_rope: {axes: " +
			"[rope]}}\ncases:\n" +
			"  - {name: bay, shown: true, inputs: {growth: [[1, 2], [3, 5]]}}\n  - {name: cove, inputs: {growth: [[1, 2, 4], " +
			"[3, 5, 9], [2, 2, 7]]}}\n")},
		"prompt.md":     {Data: []byte("Bind per_rope.")},
		"reference.nra": {Data: []byte("per_rope = mean(growth over week)\n")},
	}, "means")
	p, _ := check.Prepare(context.Background(), e)
	found, _ := advice.Inspect(context.Background(), p, probe.Options{})
	for _, a := range found {
		if a.Code == "equal-lengths" {
			fmt.Println(a.Message)
		}
	}
	// Output:
	// the axes week and rope of `growth` have one length in every case: taking the wrong one leaves the shape right
}
