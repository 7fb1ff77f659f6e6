package surface

// A surface round particles as a level set, layer by layer.

import (
	"math"
	"slices"

	"zarf/core/geom"
)

// Rim is the distance from the mean place of particles at which FromPoints
// puts the surface, as a share of their reach: over a half-space filled evenly
// the mean, weighted by (1 − s²)³, lies that far under its border,
// ½ ∫s³(1−s²)³ds / ∫s²(1−s²)³ds.
const Rim = 0.246

// Points are places of particles, three numbers each, in cells of a lattice.
type Points [][3]float32

// FromPoints fills a lattice with the signed distance to the surface of a
// liquid (Zhu and Bridson 2005): φ = |x − x̄| − Rim·reach, where x̄ is the mean
// of the particles within reach, weighted by (1 − s²)³. l's values are metres,
// cut off at ±band; reach and particles' places are in cells of the lattice,
// the first point of which is at 0. Points of the lattice with deep set lie in
// the liquid and are not looked at; deep may be nil. Particles must be in the
// order of their z, up to slack cells.
func FromPoints(l *Lattice, p Points, reach float32, slack int, deep []bool, band float32, work geom.Workers) {
	nx, ny, nz := l.N[0], l.N[1], l.N[2]
	p = newShell(l.N, deep, reach, work).outer(p, work)
	// first[k]: particles before it lie below cell k − slack
	// layers look up their particles instead of searching: they are sorted by z
	first := make([]int, nz+1)
	for n, k := 0, 0; k <= nz; k++ {
		for n < len(p) && p[n][2] < float32(k) {
			n++
		}
		first[k] = n
	}
	h := float32(l.H)
	r2 := reach * reach
	wide := int(reach) + 1
	work(nz, 1, func(k0, k1 int) {
		sum := make([][4]float32, nx*ny)
		for k := k0; k < k1; k++ {
			clear(sum)
			lo, hi := max(k-wide-slack, 0), min(k+wide+slack+1, nz)
			// Scattering within a layer: each particle adds to the points of its
			// disc, and no other thread writes to the layer.
			for _, x := range p[first[lo]:last(first, hi, len(p), nz)] {
				dz := x[2] - float32(k)
				if dz*dz >= r2 {
					continue
				}
				j0, j1 := max(int(x[1]-reach)+1, 0), min(int(x[1]+reach), ny-1)
				i0, i1 := max(int(x[0]-reach)+1, 0), min(int(x[0]+reach), nx-1)
				for j := j0; j <= j1; j++ {
					dy := x[1] - float32(j)
					rest := r2 - dz*dz - dy*dy
					if rest <= 0 {
						continue
					}
					row := sum[j*nx : j*nx+nx]
					for i := i0; i <= i1; i++ {
						dx := x[0] - float32(i)
						w := rest - dx*dx
						if w <= 0 {
							continue
						}
						w /= r2
						// (1 − s²)³: smooth to the second derivative where it ends,
						// so neighbours coming and going make no steps
						w = w * w * w
						s := &row[i]
						s[0] += w
						s[1] += w * dx
						s[2] += w * dy
						s[3] += w * dz
					}
				}
			}
			o := k * nx * ny
			for n, s := range sum {
				v := band
				switch {
				case deep != nil && deep[o+n]:
					v = -band
				case s[0] > 1e-9:
					x, y, z := s[1]/s[0], s[2]/s[0], s[3]/s[0]
					d := float32(math.Sqrt(float64(x*x + y*y + z*z)))
					v = d - Rim*reach
					// so the inside's slope is about 1 as well
					if v < 0 { // within, the mean comes along with the place by about half
						v *= 2
					}
					v = min(max(v*h, -band), band)
				}
				l.V[o+n] = v
			}
		}
	})
}

// shell tells which blocks of a lattice have points near them that aren't deep: particles
// elsewhere are looked at by none.
type shell struct {
	near []bool // nil: all are
	n    [3]int
	size int
}

func newShell(n [3]int, deep []bool, reach float32, work geom.Workers) *shell {
	s := &shell{size: max(4, int(reach)+1)}
	if deep == nil {
		return s
	}
	for a := range n {
		s.n[a] = (n[a] + s.size - 1) / s.size
	}
	some := make([]bool, s.n[0]*s.n[1]*s.n[2])
	work(s.n[2], 1, func(k0, k1 int) {
		for k := k0 * s.size; k < min(k1*s.size, n[2]); k++ {
			for j := range n[1] {
				row := deep[(k*n[1]+j)*n[0]:][:n[0]]
				out := some[(k/s.size*s.n[1]+j/s.size)*s.n[0]:]
				for b := range s.n[0] {
					if !out[b] {
						out[b] = slices.Contains(row[b*s.size:min((b+1)*s.size, n[0])], false)
					}
				}
			}
		}
	})
	s.near = make([]bool, len(some))
	for m := range some {
		i, j, k := m%s.n[0], m/s.n[0]%s.n[1], m/(s.n[0]*s.n[1])
		for c := 0; c < 27 && !s.near[m]; c++ {
			a, b, d := i+c%3-1, j+c/3%3-1, k+c/9-1
			s.near[m] = a >= 0 && b >= 0 && d >= 0 && a < s.n[0] && b < s.n[1] && d < s.n[2] && some[(d*s.n[1]+b)*s.n[0]+a]
		}
	}
	return s
}

// outer are the particles, in their order, that are near a point that isn't deep.
func (s *shell) outer(p Points, work geom.Workers) Points {
	if s.near == nil {
		return p
	}
	const piece = 1 << 14
	kept := make([]Points, (len(p)+piece-1)/piece)
	work(len(kept), 1, func(a, b int) {
		for n := a; n < b; n++ {
			for _, x := range p[n*piece : min((n+1)*piece, len(p))] {
				if !s.inside(&x) {
					kept[n] = append(kept[n], x)
				}
			}
		}
	})
	return slices.Concat(kept...)
}

// inside reports a particle that is nowhere near a point that isn't deep.
func (s *shell) inside(x *[3]float32) bool {
	if s.near == nil {
		return false
	}
	var b [3]int
	for a, v := range x {
		b[a] = min(max(int(v)/s.size, 0), s.n[a]-1)
	}
	return !s.near[(b[2]*s.n[1]+b[1])*s.n[0]+b[0]]
}

func last(first []int, k, n, nz int) int {
	if k >= nz {
		return n
	}
	return first[k]
}

// Even smooths distances: each point takes the mean with its six neighbours,
// times over. A point gives way outwards by no more than keep at each, so that
// sheets and drops last.
func Even(l *Lattice, times int, keep float32, work geom.Workers) {
	nx, ny, nz := l.N[0], l.N[1], l.N[2]
	if nx < 3 || ny < 3 || nz < 3 {
		return
	}
	from, to := l.V, make([]float32, len(l.V))
	for range times {
		work(nz, 2, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range ny {
					o := (k*ny + j) * nx
					row, out := from[o:o+nx], to[o:o+nx]
					copy(out, row)
					if k == 0 || j == 0 || k == nz-1 || j == ny-1 {
						continue
					}
					a, b, c, d := from[o-nx:o], from[o+nx:o+2*nx], from[o-nx*ny:o-nx*ny+nx], from[o+nx*ny:o+nx*ny+nx]
					for i := 1; i < nx-1; i++ {
						v := row[i]
						// six neighbours and the point: a flat surface stays where
						// it is
						m := 0.25*v + 0.125*(row[i-1]+row[i+1]+a[i]+b[i]+c[i]+d[i])
						out[i] = min(m, v+keep)
					}
				}
			}
		})
		from, to = to, from
	}
	l.V = from
}
