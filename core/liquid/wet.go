package liquid

// Where solids were touched: how wet their surfaces are, in the voxels about them. It is worked
// out once a frame, and goes along with solids that move.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// wetReach is how far from a surface, voxels, its wetness is kept: what reads it does so
// between voxels.
const wetReach = 1.8

// touchFrom is how full a voxel is, or one beside it, that wets what it holds of a solid.
const touchFrom = 0.25

// wets brings wetness up to date after a frame.
func (l *Stage) wets() {
	s := l.Solver
	if !s.solid.any {
		l.wet = nil
		return
	}
	low, home := s.Window()
	was := l.wet
	l.wet = grid.NewField(home.Dims)
	if was == nil {
		was = grid.NewField(home.Dims)
	}
	moved := l.moved()
	keep := float32(l.Lasts() / max(val.Dries.At(l.Domain, l.Now(float64(l.Number))), 1e-3))
	node := s.solid.node.Lattice([3]float32{})
	l.Crew.For(home.NZ, 1, func(k0, k1 int) {
		at, d := make([][]float32, 3), make([]float32, s.NX)
		for a := range at {
			at[a] = make([]float32, s.NX)
		}
		for k := k0; k < k1; k++ {
			for j := range home.NY {
				row, before := l.wet.Row(j, k), was.Row(j, k)
				for i, w := range before { // where no liquid is near nothing moves either
					row[i] = max(w-keep, 0)
				}
				y, z := j-low[1], k-low[2]
				if y < 0 || z < 0 || y >= s.NY || z >= s.NZ {
					continue
				}
				for i := range s.NX {
					at[0][i], at[1][i], at[2][i] = float32(i)+0.5, float32(y)+0.5, float32(z)+0.5
				}
				node.Sample(d, at[0], at[1], at[2])
				for i := range s.NX {
					to := &row[low[0]+i]
					switch {
					case d[i] > wetReach || d[i] < -wetReach:
						*to = 0
					case s.touched(i, y, z):
						*to = 1
					default:
						*to = max(l.wetBefore(was, moved, low[0]+i, j, k)-keep, 0)
					}
				}
			}
		}
	})
}

// touched reports a voxel that liquid is in or beside.
func (s *Solver) touched(i, j, k int) bool {
	for c := range 27 {
		x, y, z := i+c%3-1, j+c/3%3-1, k+c/9-1
		if x >= 0 && y >= 0 && z >= 0 && x < s.NX && y < s.NY && z < s.NZ && s.rho.Data[s.Index(x, y, z)] >= touchFrom {
			return true
		}
	}
	return false
}

// moved are the solids that moved in the frame, as they were and are.
func (l *Stage) moved() (out [][2]geom.Shape) {
	for _, e := range l.Bound() {
		if e.Kind != shot.Collider {
			continue
		}
		was, is := l.Before(e, float64(l.Number-1)), l.Form(e, float64(l.Number))
		if was != is {
			out = append(out, [2]geom.Shape{was, is})
		}
	}
	return out
}

// wetBefore is how wet the place was a frame before that now lies in a voxel: where what moves
// had it.
func (l *Stage) wetBefore(was *grid.Field, moved [][2]geom.Shape, i, j, k int) float32 {
	if len(moved) > 0 {
		s := l.Solver
		_, home := s.Window()
		p := home.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
		best, n := math.Inf(1), -1
		for m := range moved {
			if d := math.Abs(moved[m][1].Distance(p)); d < best {
				best, n = d, m
			}
		}
		if best < wetReach*s.H {
			q := geom.Carried(&moved[n][1], &moved[n][0], p).Sub(home.Origin).Mul(1 / s.H)
			return was.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5))
		}
	}
	return was.At(i, j, k)
}
