package mote

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Gift is what particles give to a field of a fluid: to each of the eight values about a
// particle by the weight that interpolation would give that.
type Gift struct {
	To  *grid.Field
	Off [3]float32 // of its first value from the grid's corner, in cells
	By  []float32  // amount of each particle, in the field's unit times a cell
}

// Give adds gifts to fields of cells of h whose corner is at origin. What would land beyond
// a field lands on its side.
//
// Particles go by layers of cells, first those of even layers and then of odd ones, each in
// the order of rows: no two threads write to the same values, and sums have their order.
func (s *Set) Give(list []Gift, h float64, origin geom.Vec3, crew grid.Crew) {
	for g := range list {
		s.give(&list[g], h, origin, crew)
	}
}

func (s *Set) give(g *Gift, h float64, origin geom.Vec3, crew grid.Crew) {
	f := g.To
	inv := float32(1 / h)
	o := [3]float32{float32(origin.X), float32(origin.Y), float32(origin.Z)}
	z := func(i int) float32 { return (s.P[2][i]-o[2])*inv - g.Off[2] }
	layers := make([]int32, f.NZ+1)
	for i, v := range g.By {
		if v != 0 {
			layers[layer(z(i), f.NZ)+1]++
		}
	}
	for k := range f.NZ {
		layers[k+1] += layers[k]
	}
	rows, at := make([]int32, layers[f.NZ]), append([]int32(nil), layers...)
	for i, v := range g.By {
		if v != 0 {
			k := layer(z(i), f.NZ)
			rows[at[k]] = int32(i)
			at[k]++
		}
	}
	for odd := range 2 {
		crew.For((f.NZ+1-odd)/2, 1, func(lo, hi int) {
			for n := lo; n < hi; n++ {
				k := 2*n + odd
				for _, i := range rows[layers[k]:layers[k+1]] {
					x, y := (s.P[0][i]-o[0])*inv-g.Off[0], (s.P[1][i]-o[1])*inv-g.Off[1]
					spread(f, x, y, z(int(i)), k, g.By[i])
				}
			}
		})
	}
}

// layer is that of n between which and the next a place lies, along an axis.
func layer(x float32, n int) int {
	if !(x > 0) {
		return 0
	}
	return min(int(x), max(n-2, 0))
}

// spread adds an amount about (x, y, z), in layer k.
func spread(f *grid.Field, x, y, z float32, k int, amount float32) {
	i, j := layer(x, f.NX), layer(y, f.NY)
	part := func(x float32, i, n int) (a, b float32, step int) {
		if n < 2 {
			return 1, 0, 0
		}
		t := min(max(x-float32(i), 0), 1)
		return 1 - t, t, 1
	}
	ax, bx, dx := part(x, i, f.NX)
	ay, by, dy := part(y, j, f.NY)
	az, bz, dz := part(z, k, f.NZ)
	at := f.Index(i, j, k)
	dy, dz = dy*f.NX, dz*f.NX*f.NY
	for _, c := range [4]struct {
		at int
		w  float32
	}{{at, ay * az}, {at + dy, by * az}, {at + dz, ay * bz}, {at + dz + dy, by * bz}} {
		w := c.w * amount
		f.Data[c.at] += w * ax
		f.Data[c.at+dx] += w * bx
	}
}

// mostPieces is in how many a way is cut at most.
const mostPieces = 64

// ways are places along the ways that living particles went in the last dt seconds, back to
// their birth at most, none farther than h from the next, each with its particle's row and
// its share of it. What has hardly moved has one, where it is.
func (s *Set) ways(dt, h float64) (way *Set, of []int32, share []float32) {
	way = new(Set)
	for i, st := range s.State {
		if st == Dead {
			continue
		}
		v := [3]float32{s.V[0][i], s.V[1][i], s.V[2][i]}
		lasts := min(float32(dt), max(s.Age[i], 0))
		long := math.Sqrt(float64(v[0]*v[0]+v[1]*v[1]+v[2]*v[2])) * float64(lasts) / h
		pieces := int(min(max(math.Ceil(long), 1), mostPieces))
		for k := range pieces {
			back := float32(0)
			if pieces > 1 {
				back = lasts * (float32(k) + 0.5) / float32(pieces)
			}
			for c := range way.P {
				way.P[c] = append(way.P[c], s.P[c][i]-back*v[c])
			}
			of, share = append(of, int32(i)), append(share, 1/float32(pieces))
		}
	}
	return way, of, share
}

// Mass is a particle's, kg.
func (s *Set) Mass(i int) float64 {
	d := float64(s.Size[i])
	return float64(s.Density[i]) * math.Pi / 6 * d * d * d
}

// Push gives a gas of density rho the momentum that drag took from the particles in steps
// with World.Pushed: to its velocity on faces, m/s, u, v and w of cells of h.
func (s *Set) Push(u, v, w *grid.Field, h float64, origin geom.Vec3, rho float64, crew grid.Crew) {
	per := float32(1 / (rho * h * h * h))
	by := make([]float32, s.Len())
	for c, g := range [3]Gift{{u, [3]float32{0, 0.5, 0.5}, by}, {v, [3]float32{0.5, 0, 0.5}, by}, {w, [3]float32{0.5, 0.5, 0}, by}} {
		clear(by)
		for i, p := range s.Impulse[c] {
			by[i] = p * per
		}
		s.give(&g, h, origin, crew)
	}
	for c := range s.Impulse {
		s.Impulse[c] = s.Impulse[c][:0]
	}
}
