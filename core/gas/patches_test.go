package gas

import (
	"math/rand/v2"
	"slices"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
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

// Ways that end in solids, and cells beside sheets, are the same found by blocks as looked for
// in every cell; with solids that stand and that move, in slow gas and in fast.
func TestBlocksMissNothingBesideSolids(t *testing.T) {
	const n, h = 40, 0.05
	ball := func(x float64) geom.Shape {
		return geom.Shape{Form: geom.Sphere, Centre: geom.V(x, 0.7, 1), Size: geom.V(0.4, 0.4, 0.4), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	}
	plate := func(y float64) geom.Shape {
		return geom.Shape{Form: geom.Block, Centre: geom.V(1, y, 1), Size: geom.V(0.9, 0.01, 0.9), Turn: geom.RotationXYZ(geom.V(20, 0, 10)), Taper: 1}
	}
	source := geom.Shape{Form: geom.Block, Centre: geom.V(1, 0.3, 1), Size: geom.V(0.8, 0.3, 0.8), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	for _, c := range []struct {
		name  string
		speed float64 // of solids, m/s
		warm  float64 // K
		dt    float64
	}{{"still and slow", 0, 5, 0.01}, {"still and fast", 0, 900, 1.0 / 24}, {"moving", 1.5, 300, 1.0 / 24}} {
		s := mustNew(t, Box{Dims: grid.Dims{NX: n, NY: n, NZ: n}, H: h, Open: pressure.Sides{true, true, false, true, true, true}}, 2)
		p := Physics{Gravity: 9.81, AirTemperature: 293, AirDensity: 1.2, Lift: 1, Scheme: MacCormack, Tolerance: 1e-3, MaxIterations: 60}
		scene := func(now, dt float64) Inputs {
			x := func(t float64) float64 { return 0.8 + c.speed*t }
			return Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: source, Before: source}, Smoke: 1, Temperature: 293 + c.warm}}, Scene: sim.Scene{Colliders: []sim.Collider{
				{Shape: ball(x(now)), Before: ball(x(now - dt))},
				{Shape: plate(1.2 + c.speed*now/2), Before: plate(1.2 + c.speed*(now-dt)/2)},
			}}}
		}
		for range 8 {
			if _, err := s.Frame(c.dt, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil); err != nil {
				t.Fatal(err)
			}
		}
		// what of ways and of cells there is, by the blocks that are marked
		type found struct {
			ways  [2][3][]float32
			cells [][]oneSided
		}
		look := func() (f found) {
			s.survey()
			s.ways(float32(4*c.dt/h), MacCormack) // so far that ways end in solids from beyond their blocks
			for w := range s.way {
				for a := range s.way[w] {
					f.ways[w][a] = slices.Clone(s.way[w][a])
				}
			}
			list := []*parcel{s.parcel(0, s.Smoke), s.parcel(1, s.Heat)}
			f.cells = s.besideSheets(list, s.goes)
			return f
		}
		blocks := look()
		marked, count := 0, func(p *patches) (n int) {
			for _, on := range p.on {
				if on {
					n++
				}
			}
			return n
		}
		if marked = count(s.solid.about); marked == 0 || marked == len(s.solid.about.on) {
			t.Fatalf("%s: %d of %d blocks are beside solids: nothing is compared", c.name, marked, len(s.solid.about.on))
		}
		for _, p := range []*patches{s.solid.beside, s.solid.sheets.near} {
			for i := range p.on {
				p.on[i] = true
			}
		}
		every := look()
		sheets := 0
		for w := range blocks.ways {
			for a := range blocks.ways[w] {
				if !slices.Equal(blocks.ways[w][a], every.ways[w][a]) {
					t.Errorf("%s: way %d along axis %d isn't what looking at every cell gives", c.name, w, a)
				}
			}
		}
		for k := range every.cells {
			sheets += len(every.cells[k])
			if !slices.Equal(blocks.cells[k], every.cells[k]) {
				t.Errorf("%s: plane %d has %d cells beside sheets by blocks, %d by looking at all", c.name, k, len(blocks.cells[k]), len(every.cells[k]))
			}
		}
		if sheets == 0 {
			t.Errorf("%s: no cell is read from one side", c.name)
		}
	}
}
