package causes_test

import (
	"fmt"

	"nimbusreach/internal/core/causes"
)

// A cause is reported in words that say which way it went.
func ExampleCause_Direction() {
	repair := causes.Cause{Code: "mask.boundary", Evidence: causes.Repair, Change: "x > 3 → x >= 3"}
	slip := causes.Cause{Code: "mask.boundary", Evidence: causes.Slip, Change: "x > 3 → x >= 3"}
	fmt.Println(repair.Direction())
	fmt.Println(slip.Direction())
	// Output:
	// a strict comparison where equality counts too
	// equality counts where the comparison should be strict
}
