package gas

import (
	"math/rand/v2"
	"testing"
)

// No cell within reach of a marked one is left out, and cells well beyond are.
func TestPatchesHoldWhatIsWithinReach(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 60 {
		n := [3]int{1 + r.IntN(30), 1 + r.IntN(30), 1 + r.IntN(30)}
		p := newPatches(n)
		var marked [][3]int
		for range 1 + r.IntN(3) {
			c := [3]int{r.IntN(n[0]), r.IntN(n[1]), r.IntN(n[2])}
			p.mark(c[0], c[1], c[2])
			marked = append(marked, c)
		}
		reach := r.IntN(9)
		g := p.grown(reach)
		for k := range n[2] {
			for j := range n[1] {
				in := make([]bool, n[0])
				last := -1
				g.runs(0, n[0], j, k, func(lo, hi int) {
					if lo <= last || hi <= lo {
						t.Fatalf("a stretch from %d to %d after %d", lo, hi, last)
					}
					last = hi
					for i := lo; i < hi; i++ {
						in[i] = true
					}
				})
				for i := range in {
					gap := 1 << 20
					for _, c := range marked {
						gap = min(gap, max(abs(i-c[0]), abs(j-c[1]), abs(k-c[2])))
					}
					if gap <= reach && !in[i] || gap > reach+2*patchSize && in[i] {
						t.Fatalf("cell %d %d %d, %d from what is marked: %v within a reach of %d", i, j, k, gap, in[i], reach)
					}
				}
			}
		}
	}
	// beyond the box its nearest blocks count
	p := newPatches([3]int{8, 8, 8})
	p.mark(0, 0, 0)
	var got [2]int
	p.runs(-1, 9, -1, -1, func(lo, hi int) { got = [2]int{lo, hi} })
	if got != [2]int{-1, 4} {
		t.Errorf("from beyond the box on the first block goes from %d to %d", got[0], got[1])
	}
}

func abs(n int) int { return max(n, -n) }
