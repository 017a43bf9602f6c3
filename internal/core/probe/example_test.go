package probe_test

import (
	"context"
	"fmt"
	"testing/fstest"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
)

// Data in which nothing lies on the boundary let `>` pass for `>=`.
func Example() {
	e, _ := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: Ripe\ninputs: {fronds: {axes: [rope]}}\noutputs: {ripe: {axes: []}}\n" +
			"cases:\n" +
			"  - {name: bay, shown: true, inputs: {fronds: [81, 40, 79]}}\n  - {name: cove, inputs: {fronds: [12, 90, 85, " +
			"91]}}\n")},
		"prompt.md":     {Data: []byte("Count the fronds of 80 cm or more, in `ripe`.")},
		"reference.nra": {Data: []byte("ripe = count(fronds >= 80)\n")},
	}, "ripe")
	p, _ := check.Prepare(context.Background(), e)
	for _, s := range probe.Run(context.Background(), p, probe.Options{}).Survivors {
		if s.Cause == "mask.boundary" {
			fmt.Println(s.Change, "would be marked right:", s.Changed)
			break
		}
	}
	// Output:
	// >= → > would be marked right: ripe = count(fronds > 80)
}
