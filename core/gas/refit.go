package gas

// Going on with the same flow in voxels of another size.

import (
	"fmt"
	"math"
	"runtime"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/stage"
	"zarf/core/vec"
)

// Refit takes over the flow of another stage of the same domain, in voxels of another
// size: fields are interpolated, or averaged where the voxels become larger. What is
// made from solids, and what divergence interpolation leaves, the next step sees to.
func (g *Stage) Refit(from stage.Runner) error {
	o, ok := from.(*Stage)
	if !ok || o.Domain.ID != g.Domain.ID {
		return fmt.Errorf("gas: the flow of another domain can't be taken over")
	}
	if err := g.Solver.refit(o.Solver); err != nil {
		return err
	}
	g.Number = o.Number
	return nil
}

// refit fills a solver at rest with another one's fields.
func (s *Solver) refit(o *Solver) error {
	if s.Follow != nil {
		if err := s.SetTiling(s.covering(o)); err != nil {
			return err
		}
	}
	defer runtime.KeepAlive(o) // its fields may be mapped memory
	to, was := s.velocity(), o.velocity()
	for c := range to {
		s.resample(onU+c, to[c], o, was[c], 1)
	}
	list, old := s.channels(), o.channels()
	for n := range min(len(list), len(old)) {
		s.resample(onCentre, list[n], o, old[n], 1)
	}
	s.takePoints(o)
	// what the pressure takes off a velocity is its step from voxel to voxel
	s.resample(onCentre, s.Pressure, o, o.Pressure, float32(o.H/s.H))
	s.Ambient, s.LastDt, s.Time = o.Ambient, o.LastDt, o.Time
	s.Forget()
	return nil
}

// resample fills a field with by times what one of o's on the same of the grids that
// share a box holds there.
func (s *Solver) resample(lay int, to *grid.Field, o *Solver, from *grid.Field, by float32) {
	at := s.lay[lay].at.array()
	q := s.H / o.H
	shift := s.Origin.Sub(o.Origin).Mul(1 / o.H).Array()
	// as many points along each axis as old voxels lie in a new one, within reason:
	// somebody may have typed a kilometre
	m := max(1, int(math.Ceil(min(q, 8)-1e-6)))
	place := func(axis, i, sub int) float32 {
		return float32(shift[axis] + (float64(i)+float64(at[axis])+(float64(sub)+0.5)/float64(m)-0.5)*q)
	}
	l := from.Lattice(at)
	share := by / float32(m*m*m)
	// where bounds follow, nothing is beyond them; elsewhere boxes differ by rounding
	beyond := vec.NewSides([3]float32{float32(o.NX), float32(o.NY), float32(o.NZ)}, [6]bool{true, true, true, true, true, true})
	s.each(lay, func(i0, j, k, first, count int) {
		x, y, z, v := make([]float32, count), make([]float32, count), make([]float32, count), make([]float32, count)
		row := to.Data[first : first+count]
		for n := range m * m * m {
			py, pz := place(1, j, n/m%m), place(2, k, n/(m*m))
			for i := range x {
				x[i], y[i], z[i] = place(0, i0+i, n%m), py, pz
			}
			l.Sample(v, x, y, z)
			if o.Follow != nil {
				vec.Enter(v, v, v, x, y, z, &beyond, 0)
			}
			vec.Times(v, v, share)
			vec.Add(row, row, v)
		}
	})
}

// covering are the tiles that lie over those which another solver uses.
func (s *Solver) covering(o *Solver) (low, n [3]int, on []bool) {
	set := grid.NewTiles(s.Limit.Dims, false)
	inUse := func(p geom.Vec3) bool {
		c := p.Sub(o.Limit.Origin).Mul(1 / o.H).Array()
		var t [3]int
		for a, size := range tileSize {
			t[a] = int(math.Floor(c[a])) / size
		}
		n := [3]int{o.over.NX, o.over.NY, o.over.NZ}
		return c[0] >= 0 && c[1] >= 0 && c[2] >= 0 && t[0] < n[0] && t[1] < n[1] && t[2] < n[2] && o.over.On[o.over.Index(t[0], t[1], t[2])]
	}
	step := min(s.H, o.H) * float64(min(grid.TileX, grid.TileY, grid.TileZ))
	for i := range set.On {
		t := [3]int{i % set.NX, i / set.NX % set.NY, i / (set.NX * set.NY)}
		var lo, hi [3]float64
		for a, size := range tileSize {
			lo[a], hi[a] = float64(t[a]*size)*s.H, float64((t[a]+1)*size)*s.H
		}
		for z := lo[2] + 1e-6; z < hi[2]+step && !set.On[i]; z += step {
			for y := lo[1] + 1e-6; y < hi[1]+step && !set.On[i]; y += step {
				for x := lo[0] + 1e-6; x < hi[0]+step && !set.On[i]; x += step {
					set.On[i] = inUse(s.Limit.Origin.Add(geom.V(min(x, hi[0]-1e-6), min(y, hi[1]-1e-6), min(z, hi[2]-1e-6))))
				}
			}
		}
	}
	set.Update()
	w := s.cut(set)
	return w.low, w.n, set.On
}
