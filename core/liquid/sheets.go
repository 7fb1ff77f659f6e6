package liquid

// Sheets of liquid that are drawn out look torn into holes where particles come to lie
// farther apart than the surface joins them. For the surface, places between those that part
// are filled in, along the sheet (after Ando, Thürey, Tsuruno 2012: preserving fluid sheets
// with adaptively sampled anisotropic particles). The simulation knows nothing of it: to put
// particles in would feed a sheet with water that isn't there, and throw it far.

import (
	"math"
)

const (
	// thinBlock is how full a cell and those round it are at most for something thin to be
	// there: half a bulk is half full.
	thinBlock = 0.25
	// flatFrom is the least spread of a particle's neighbours over the largest under which
	// they lie in a sheet or a thread.
	flatFrom = 0.12
	// between partsFrom and partsTo, voxels, two particles of a sheet are parting: mean ones
	// are half a voxel apart, and beyond the second no grid joins them.
	partsFrom, partsTo = 0.9, 1.6
	// free is how far from the middle of two no other particle may be, voxels.
	free = 0.44
)

// sheetPoints are places between the particles of sheets that are about to tear, in planes
// of cells. Particles must be sorted and measured.
func (s *Solver) sheetPoints() [][][3]float32 {
	planes := make([][]int32, s.NZ)
	s.rows(3, s.live, func(j, k, i0, i1 int) {
		for i := i0; i < i1; i++ {
			c := s.Index(i, j, k)
			if s.start[c] == s.start[c+1] || s.rho.Data[c] >= 0.9 || s.blockFull(i, j, k) > thinBlock {
				continue
			}
			for n := s.start[c]; n < s.start[c+1]; n++ {
				if s.isFlat(n, i, j, k) {
					planes[k] = append(planes[k], n)
				}
			}
		}
	})
	flat := map[int32]bool{}
	for _, list := range planes {
		for _, n := range list {
			flat[n] = true
		}
	}
	found := make([][][3]float32, s.NZ)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for _, n := range planes[k] {
				found[k] = s.between(found[k], n, flat)
			}
		}
	})
	out := make([][][3]float32, s.NZ)
	taken := map[int32][][3]float32{} // what was put in already, by cell
	for _, list := range found {
		for _, x := range list {
			if !s.crowded(taken, &x) {
				c := int32(cellOf(s.Dims, &x))
				taken[c] = append(taken[c], x)
				k := min(int(x[2]), s.NZ-1)
				out[k] = append(out[k], x)
			}
		}
	}
	return out
}

// blockFull is how full a cell and those round it are.
func (s *Solver) blockFull(i, j, k int) float32 {
	var sum float32
	for c := -1; c <= 1; c++ {
		for b := -1; b <= 1; b++ {
			for a := -1; a <= 1; a++ {
				x, y, z := i+a, j+b, k+c
				if x < 0 || y < 0 || z < 0 || x >= s.NX || y >= s.NY || z >= s.NZ || s.solid.any && s.solid.room.Data[s.Index(x, y, z)] < 0.5 {
					sum++ // beside walls nothing hangs in the air
					continue
				}
				sum += min(s.rho.Data[s.Index(x, y, z)], 1)
			}
		}
	}
	return sum / 27
}

// aroundCell calls fn for the particles of the cells round one.
func (s *Solver) aroundCell(i, j, k int, fn func(n int32, p *Particle)) {
	for c := max(k-1, 0); c <= min(k+1, s.NZ-1); c++ {
		for b := max(j-1, 0); b <= min(j+1, s.NY-1); b++ {
			o := s.Index(0, b, c)
			for n := s.start[o+max(i-1, 0)]; n < s.start[o+min(i+1, s.NX-1)+1]; n++ {
				fn(n, &s.P[n])
			}
		}
	}
}

// isFlat reports a particle whose neighbours lie in a sheet or a thread: by the covariance of
// their places.
func (s *Solver) isFlat(n int32, i, j, k int) bool {
	x := s.P[n].X
	var m [3]float64
	var c [6]float64 // xx, yy, zz, xy, xz, yz
	count := 0.0
	s.aroundCell(i, j, k, func(_ int32, q *Particle) {
		a, b, d := float64(q.X[0]-x[0]), float64(q.X[1]-x[1]), float64(q.X[2]-x[2])
		if a*a+b*b+d*d > 1.7 {
			return
		}
		count++
		m[0], m[1], m[2] = m[0]+a, m[1]+b, m[2]+d
		c[0], c[1], c[2] = c[0]+a*a, c[1]+b*b, c[2]+d*d
		c[3], c[4], c[5] = c[3]+a*b, c[4]+a*d, c[5]+b*d
	})
	if count < 4 { // itself and three: drops stay drops
		return false
	}
	for a := range m {
		m[a] /= count
	}
	for a := range 3 {
		c[a] = c[a]/count - m[a]*m[a]
	}
	c[3], c[4], c[5] = c[3]/count-m[0]*m[1], c[4]/count-m[0]*m[2], c[5]/count-m[1]*m[2]
	least, most := eigen(&c)
	return least < flatFrom*most
}

// eigen are the least and the largest eigenvalue of a symmetric matrix xx, yy, zz, xy, xz, yz
// (Smith 1961).
func eigen(c *[6]float64) (least, most float64) {
	off := c[3]*c[3] + c[4]*c[4] + c[5]*c[5]
	q := (c[0] + c[1] + c[2]) / 3
	a, b, d := c[0]-q, c[1]-q, c[2]-q
	p := math.Sqrt((a*a + b*b + d*d + 2*off) / 6)
	if p < 1e-12 {
		return q, q
	}
	a, b, d = a/p, b/p, d/p
	e, f, g := c[3]/p, c[4]/p, c[5]/p
	half := (a*(b*d-g*g) - e*(e*d-g*f) + f*(e*g-b*f)) / 2
	phi := math.Acos(min(max(half, -1), 1)) / 3
	return q + 2*p*math.Cos(phi+2*math.Pi/3), q + 2*p*math.Cos(phi)
}

// between appends the places in the middle of a particle and those that part from it, of
// higher number than its own: each pair is looked at once.
func (s *Solver) between(list [][3]float32, n int32, flat map[int32]bool) [][3]float32 {
	p := &s.P[n]
	i, j, k := min(int(p.X[0]), s.NX-1), min(int(p.X[1]), s.NY-1), min(int(p.X[2]), s.NZ-1)
	s.aroundCell(i, j, k, func(m int32, q *Particle) {
		if m <= n || !flat[m] {
			return
		}
		d2 := apartBy(&q.X, &p.X)
		x := [3]float32{(p.X[0] + q.X[0]) / 2, (p.X[1] + q.X[1]) / 2, (p.X[2] + q.X[2]) / 2}
		if d2 >= partsFrom*partsFrom && d2 <= partsTo*partsTo && s.lonely(&x) {
			list = append(list, x)
		}
	})
	return list
}

// lonely reports a place with no particle near it.
func (s *Solver) lonely(x *[3]float32) bool {
	i, j, k := min(int(x[0]), s.NX-1), min(int(x[1]), s.NY-1), min(int(x[2]), s.NZ-1)
	alone := true
	s.aroundCell(i, j, k, func(_ int32, q *Particle) {
		alone = alone && apartBy(&q.X, x) >= free*free
	})
	return alone && !s.blocked(x)
}

func apartBy(x, y *[3]float32) float32 {
	a, b, c := x[0]-y[0], x[1]-y[1], x[2]-y[2]
	return a*a + b*b + c*c
}

// crowded reports that something was put in near a place already.
func (s *Solver) crowded(taken map[int32][][3]float32, x *[3]float32) bool {
	i, j, k := int(x[0]), int(x[1]), int(x[2])
	for c := max(k-1, 0); c <= min(k+1, s.NZ-1); c++ {
		for b := max(j-1, 0); b <= min(j+1, s.NY-1); b++ {
			for a := max(i-1, 0); a <= min(i+1, s.NX-1); a++ {
				for _, y := range taken[int32(s.Index(a, b, c))] {
					if apartBy(&y, x) < free*free {
						return true
					}
				}
			}
		}
	}
	return false
}
