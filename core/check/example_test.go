package check_test

import (
	"fmt"

	"zarf/core/check"
	"zarf/core/shot"
)

// A shot without a domain can't run; findings offer what mends them.
func ExampleShot() {
	for _, f := range check.Shot(shot.New("EX010"), check.Machine{Memory: 16e9}) {
		fmt.Println(f.Severity, f.ID, "–", f.Mend.Label)
	}
	// Output:
	// fault no-domain – Add a domain
	// warning no-emitter – Add an emitter
}
