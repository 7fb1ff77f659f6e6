package liquid

// Pressure: numbering the liquid's cells, the system's rows with the surface and
// solids where they really are, the right side from the flow, and the gradient taken
// off it.

import (
	"math"

	"zarf/core/grid"
)

// wet is the depth under the surface, in voxels, from which a cell counts as
// liquid. Nearer to it a cell's pressure would be all but given, and tiny
// errors of the depth would drive it sideways; the surface is then seen from
// the cell before, up to a voxel and a bit away.
const wet = 0.02

// beside is the cell on one side of another, and the face between them: sides
// go x−, x+, y−, y+, z−, z+. ok is false at the border of the box.
func (s *Solver) beside(i, j, k, m int) (cell, face int, ok bool) {
	// Faces of x have NX+1 a row, so their index is the cell's plus one for each row
	// before it: k·NY + j. Those of y have a row more a plane: k·NX. Those of z are
	// numbered like cells.
	c := (k*s.NY+j)*s.NX + i
	switch m {
	case 0:
		return c - 1, c + k*s.NY + j, i > 0
	case 1:
		return c + 1, c + k*s.NY + j + 1, i < s.NX-1
	case 2:
		return c - s.NX, c + k*s.NX, j > 0
	case 3:
		return c + s.NX, c + (k+1)*s.NX, j < s.NY-1
	case 4:
		return c - s.NX*s.NY, c, k > 0
	}
	return c + s.NX*s.NY, c + s.NX*s.NY, k < s.NZ-1
}

// at is the place of a cell.
func (s *Solver) cellAt(c int) (i, j, k int) { return c % s.NX, c / s.NX % s.NY, c / (s.NX * s.NY) }

// gapTo is the share of the way from a liquid cell to an empty one at which the
// surface lies; over 1 where the empty one holds a little too.
func gapTo(in, out float32) float32 {
	// no slope towards the empty cell: the surface is as far as is looked for
	if in >= out {
		return most
	}
	return min(max(in/(in-out), 0.01), most)
}

// most is the farthest that the surface is looked for, in voxels.
const most = 20

// setup numbers the liquid's cells and makes the pressure's system: for each
// face of open share w, w·(p − p_nb), and w·(p − p_s)/θ where the neighbour is
// empty and the surface at the share θ of the way.
//
// It makes the matrix anew in each substep, as the liquid's cells change: a pass
// over the grid for numbering and one over the rows.
func (s *Solver) setup() {
	// Numbered in two rounds: planes count their cells, prefix sums say where each
	// begins, then all number at once; the order is memory's, on any number of
	// threads.
	counts := make([]int32, s.NZ+1)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for n := s.Index(0, 0, k); n < s.Index(0, 0, k)+s.NX*s.NY; n++ {
				s.row[n] = -1
				// liquid by its distance, with room by solids, and not walled in
				if s.phi.Data[n] < -wet && s.solid.room.Data[n] > 0.1 && s.hasOpen(n) {
					s.row[n] = 0
					counts[k+1]++
				}
			}
		}
	})
	for k := range s.NZ {
		counts[k+1] += counts[k]
	}
	total := int(counts[s.NZ])
	if cap(s.cells) < total {
		s.cells, s.rhs = make([]int32, total, total+total/4), make([]float32, total, total+total/4)
	}
	s.cells, s.rhs = s.cells[:total], s.rhs[:total]
	at := make([][3]int32, total)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			r := counts[k]
			for n := s.Index(0, 0, k); n < s.Index(0, 0, k)+s.NX*s.NY; n++ {
				if s.row[n] == 0 {
					s.row[n], s.cells[r] = r, int32(n)
					at[r] = [3]int32{int32(n % s.NX), int32(n / s.NX % s.NY), int32(k)}
					r++
				}
			}
		}
	})
	// Row: Σ_faces w (p − p_nb) = −div; second order at the surface by the
	// ghost-fluid way: the pressure is p_s at the share θ of the way, so w (p −
	// p_s)/θ.
	rows := make([]node, total)
	if cap(s.inner) < total {
		s.inner = make([]bool, total, total+total/4)
	}
	s.inner = s.inner[:total]
	s.crew.For(total, 1024, func(lo, hi int) {
		for r := lo; r < hi; r++ {
			c, g := int(s.cells[r]), &rows[r]
			i, j, k := int(at[r][0]), int(at[r][1]), int(at[r][2])
			inner := true
			for m := range 6 {
				g.nb[m] = int32(r)
				cell, face, ok := s.beside(i, j, k, m)
				w := s.solid.open[m>>1].Data[face]
				if w < closed {
					inner = false
					continue
				}
				inner = inner && ok && s.row[cell] >= 0
				switch {
				case !ok: // an open side: nothing outside
					// an open side is a surface half a voxel from the cell's middle
					g.diag += w / 0.5
				case s.row[cell] >= 0:
					// symmetric: the neighbour's row has the same w
					g.nb[m], g.c[m] = s.row[cell], w
					g.diag += w
				default:
					g.diag += w / s.gap2(c, cell)
				}
			}
			// rows whose faces are all known need no ring round them
			s.inner[r] = inner
		}
	})
	s.sys = newSystem(rows, at, s.crew)
}

// gap2 is gapTo for two cells; one that isn't counted as liquid though it is
// full lies behind a wall.
func (s *Solver) gap2(in, out int) float32 {
	if s.phi.Data[out] < -wet {
		return 1
	}
	return gapTo(s.phi.Data[in], s.phi.Data[out])
}

func (s *Solver) hasOpen(c int) bool {
	i, j, k := s.cellAt(c)
	for m := range 6 {
		if _, f, _ := s.beside(i, j, k, m); s.solid.open[m>>1].Data[f] >= closed {
			return true
		}
	}
	return false
}

// project makes the liquid's flow divergence-free. tension is σ·dt/(ρ·h), with
// which curvature in 1/voxel gives the surface's pressure in units of velocity.
func (s *Solver) project(p Physics, dt float64, st *FrameStats) {
	var surf []float32
	if p.Tension > 0 {
		// Young and Laplace: p_s = σ κ, in units of velocity after dt/(ρ h)
		surf = s.curvature(float32(p.Tension * dt / (p.Density * s.H * s.H)))
	}
	so := &s.solid
	s.crew.For(len(s.cells), 1024, func(lo, hi int) {
		for r := lo; r < hi; r++ {
			c := int(s.cells[r])
			i, j, k := s.cellAt(c)
			var div float32
			for m := range 6 {
				a := m >> 1
				cell, f, ok := s.beside(i, j, k, m)
				w := so.open[a].Data[f]
				// flux through the open share, and the solid's own through the rest
				v := w*s.u[a].Data[f] + (1-w)*so.vel[a].Data[f]
				if m&1 == 0 {
					v = -v
				}
				div += v
				// the surface's pressure is known, so its term goes to the right
				// side
				if surf != nil && ok && w >= closed && s.row[cell] < 0 {
					div -= w / s.gap2(c, cell) * s.onSurface(surf, c, cell)
				}
			}
			s.rhs[r] = -div
		}
	})
	// the flow is then u − ∇x, by the same θ as the matrix: divergence-free to the
	// residual, no more and no less
	x, n, res := s.sys.Solve(s.rhs[:len(s.cells)], p.Tolerance, p.MaxIterations)
	st.Iterations += n
	st.Residual = max(st.Residual, res)
	if res > p.Tolerance {
		st.Unconverged++
	}
	s.toFaces(x, s.u, surf)
}

// onSurface is the pressure at the surface between two cells.
func (s *Solver) onSurface(surf []float32, in, out int) float32 {
	t := min(s.gap2(in, out), 1)
	return surf[in] + (surf[out]-surf[in])*t
}

// toFaces takes the gradient of x off f on the open faces of the liquid, and
// marks them as known.
//
// It walks over all faces, in planes, and tells three things of each: whether liquid
// is on both sides, on one, or on none. f is the velocity or the gap's field: the
// latter has no value of its own and is cleared where no liquid is.
func (s *Solver) toFaces(x []float32, f [3]*grid.Field, surf []float32) {
	for a := range 3 {
		known, open := s.known[a], s.solid.open[a]
		step := [3]int{1, s.NX, s.NX * s.NY}[a]
		g := f[a]
		s.crew.For(g.NZ, 2, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				rim := s.rim[a][k][:0]
				for j := range g.NY {
					for i := range g.NX {
						n := g.Index(i, j, k)
						// extend starts from what is marked here
						known[n] = false
						if f != s.u {
							g.Data[n] = 0
						}
						if open.Data[n] < closed {
							continue
						}
						at := [3]int{i, j, k}[a]
						// the cells on both sides; a face of the box has one
						lo, hi := -1, -1 // cells; −1 outside the box
						if at < [3]int{s.NX, s.NY, s.NZ}[a] {
							hi = s.Index(i, j, k)
						}
						if at > 0 {
							lo = s.Index(min(i, s.NX-1), min(j, s.NY-1), min(k, s.NZ-1))
							if hi >= 0 {
								lo = hi - step
							}
						}
						// both liquid: the plain difference; one: up to the surface
						// between; none: air
						rl, rh := int32(-1), int32(-1)
						if lo >= 0 {
							rl = s.row[lo]
						}
						if hi >= 0 {
							rh = s.row[hi]
						}
						var d float32
						switch {
						case rl >= 0 && rh >= 0:
							d = x[rh] - x[rl]
						case rl >= 0:
							d = s.rise(x[rl], lo, hi, surf)
						case rh >= 0:
							d = -s.rise(x[rh], hi, lo, surf)
						default:
							continue
						}
						known[n] = true
						g.Data[n] -= d
						if rl < 0 || rh < 0 || !s.inner[rl] || !s.inner[rh] {
							rim = append(rim, int32(n))
						}
					}
				}
				s.rim[a][k] = rim
			}
		})
	}
}

// rise is the pressure's change over a voxel from a liquid cell to an empty one.
func (s *Solver) rise(p float32, in, out int, surf []float32) float32 {
	if out < 0 {
		return -p / 0.5
	}
	var ps float32
	if surf != nil {
		ps = s.onSurface(surf, in, out)
	}
	return (ps - p) / s.gap2(in, out)
}

// curvature is the mean curvature of the surface near it, times scale, from
// the distances smoothed once: κ = ∇·(∇φ/|∇φ|), at most one a voxel.
//
// The formula is that of Goldman (2005) for implicit surfaces, with central
// differences of the smoothed distance. It is clamped to one a voxel: tighter curves
// can't be told from noise, and their pressure would tear single particles away.
func (s *Solver) curvature(scale float32) []float32 {
	f := s.phi
	at := func(i, j, k int) float32 {
		return f.At(min(max(i, 0), f.NX-1), min(max(j, 0), f.NY-1), min(max(k, 0), f.NZ-1))
	}
	// one pass of smoothing: distances from particles ripple by a few hundredths of
	// a voxel, and second derivatives would show nothing else
	soft := make([]float32, f.Len())
	s.crew.For(f.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				for i := range f.NX {
					n := f.Index(i, j, k)
					soft[n] = 0.4*f.Data[n] + 0.1*(at(i-1, j, k)+at(i+1, j, k)+at(i, j-1, k)+at(i, j+1, k)+at(i, j, k-1)+at(i, j, k+1))
				}
			}
		}
	})
	near := func(i, j, k int) float32 {
		return soft[f.Index(min(max(i, 0), f.NX-1), min(max(j, 0), f.NY-1), min(max(k, 0), f.NZ-1))]
	}
	out := make([]float32, f.Len())
	s.crew.For(f.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range f.NY {
				for i := range f.NX {
					n := f.Index(i, j, k)
					c := soft[n]
					// cut off at ±1, so beyond there is no shape to measure
					if c <= -0.98 || c >= 0.98 {
						continue
					}
					x0, x1, y0, y1, z0, z1 := near(i-1, j, k), near(i+1, j, k), near(i, j-1, k), near(i, j+1, k), near(i, j, k-1), near(i, j, k+1)
					x, y, z := (x1-x0)/2, (y1-y0)/2, (z1-z0)/2
					xx, yy, zz := x1+x0-2*c, y1+y0-2*c, z1+z0-2*c
					xy := (near(i+1, j+1, k) - near(i-1, j+1, k) - near(i+1, j-1, k) + near(i-1, j-1, k)) / 4
					xz := (near(i+1, j, k+1) - near(i-1, j, k+1) - near(i+1, j, k-1) + near(i-1, j, k-1)) / 4
					yz := (near(i, j+1, k+1) - near(i, j-1, k+1) - near(i, j+1, k-1) + near(i, j-1, k-1)) / 4
					g2 := x*x + y*y + z*z
					if g2 < 1e-4 {
						continue
					}
					// κ = (φxx(φy² + φz²) + … − 2(φxφyφxy + …))/|∇φ|³, positive
					// where the liquid is convex; one a voxel is the most that a
					// grid can show
					num := xx*(y*y+z*z) + yy*(x*x+z*z) + zz*(x*x+y*y) - 2*(x*y*xy+x*z*xz+y*z*yz)
					k := num / (g2 * float32(math.Sqrt(float64(g2))))
					out[n] = scale * min(max(k, -1), 1)
				}
			}
		}
	})
	return out
}
