package gas

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"testing"

	"zarf/core/sim"
	"zarf/core/vec"
)

// digestOnly makes a process of this test print its digest and end.
const digestOnly = "ZARF_TEST_DIGEST"

// Every set of kernels gives the bits of the others over 20 steps of a scene
// with all that the solver knows.
func TestEverySetGivesTheSameBits(t *testing.T) {
	b, scene := plume(24)
	s := mustNew(t, b, 2)
	for range 10 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 2, Max: 2}, scene, nil); err != nil {
			t.Fatal(err)
		}
	}
	fire := burning(40, 0.03, allOpen)
	fire.Follow, fire.Oxygen = &Follow{Threshold: 0.001, Margin: 0.1}, true
	f := mustNew(t, fire, 2)
	for range 10 {
		if _, err := f.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 2, Max: 2}, inferno(), nil); err != nil {
			t.Fatal(err)
		}
	}
	mine := fmt.Sprintf("digest %x %x", digest(s), digest(f))
	if os.Getenv(digestOnly) != "" {
		fmt.Println(mine)
		return
	}
	for _, set := range vec.Sets() {
		if set == vec.Chosen {
			continue
		}
		cmd := exec.Command(os.Args[0], "-test.run=^TestEverySetGivesTheSameBits$")
		cmd.Env = append(os.Environ(), vec.Switch+"="+set.String(), digestOnly+"=1")
		out, err := cmd.CombinedOutput()
		if err != nil || !strings.Contains(string(out), mine) {
			t.Errorf("%s: %v: %s, with %s %s", set, err, out, vec.Chosen, mine)
		}
	}
}
