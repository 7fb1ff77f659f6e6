package gas

import (
	"math"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// leakEvery is how many frames apart thin solids are looked at for leaks.
const leakEvery = 4

// leaks tells of solids thinner than two voxels how much of the gas about them
// goes straight through: the speed across the middle of the solid, against the
// solid's own, over the fastest gas within three voxels. 0 is tight, 1 is as if
// it weren't there. Solids without smoke near them are left out.
func (g *Stage) leaks() map[string]float64 {
	out := map[string]float64{}
	s := g.Solver
	frame := float64(g.Number)
	for _, e := range g.Bound() {
		if e.Kind != shot.Collider || val.Invert.Of(e) {
			continue
		}
		sh := g.Form(e, frame)
		// from two voxels on a wall has faces that are shut on both sides of a cell
		if sh.Thinnest() >= 2*s.H {
			continue
		}
		before := g.Before(e, frame-1)
		if share, seen := g.leak(sh, before); seen {
			out[e.ID] = share
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// leak measures one solid. seen reports smoke within three voxels of it.
func (g *Stage) leak(sh, before geom.Shape) (share float64, seen bool) {
	s := g.Solver
	box := sh.Bounds().Grow(3 * s.H)
	lo, hi := s.Cells(box)
	dt := g.Lasts()
	across, fast, smoke := 0.0, 0.0, float32(0)
	points := 0
	for k := lo[2]; k < hi[2]; k++ {
		for j := lo[1]; j < hi[1]; j++ {
			for i := lo[0]; i < hi[0]; i++ {
				p := s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
				d := sh.Distance(p)
				if d > 3*s.H {
					continue
				}
				a, b, c := s.Centre(i, j, k)
				u := geom.V(float64(a), float64(b), float64(c))
				fast = max(fast, u.Len())
				smoke = max(smoke, s.Smoke.At(i, j, k))
				if math.Abs(d) > s.H/2 { // the cells that the solid goes through
					continue
				}
				// against the solid's own motion: gas carried along by a moving
				// plate is no leak
				moved := sh.Centre.Sub(before.Centre).Mul(1 / dt)
				// right on a plate's middle the distance has no slope: look beside it
				across += math.Abs(u.Sub(moved).Dot(sh.Normal(p.Add(geom.V(0.29, 0.37, 0.31).Mul(s.H)))))
				points++
			}
		}
	}
	if points == 0 || fast == 0 || smoke < 0.02 {
		return 0, false
	}
	return across / float64(points) / fast, true
}
