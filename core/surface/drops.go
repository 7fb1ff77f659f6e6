package surface

import (
	"math"
	"slices"

	"zarf/core/geom"
)

// DropBand is how many cells from the surface Drops keeps its distance.
const DropBand = 3

// mostCells bounds the lattice of Drops; beyond it cells get larger.
const mostCells = 32 << 20

// Drops is the signed distance, m, to the one surface of drops at places, m, each of which fills a
// cube of an edge of spacing: on cells of two fifths of that, cut off at DropBand cells. What lies together
// has a smooth surface, a lone drop is a ball. It is nil where there are no drops.
func Drops(p [][3]float32, spacing float64, work geom.Workers) *Lattice {
	if len(p) == 0 || !(spacing > 0) {
		return nil
	}
	lo, hi := p[0], p[0]
	for _, x := range p {
		for a := range 3 {
			lo[a], hi[a] = min(lo[a], x[a]), max(hi[a], x[a])
		}
	}
	l := &Lattice{H: spacing / 2.5}
	reach := 2 * spacing // in which the liquid's own surface gathers particles of this density
	room := func() (n int) {
		n = 1
		for a := range 3 {
			l.N[a] = int(math.Ceil((float64(hi[a]-lo[a])+2*reach)/l.H)) + 2*DropBand
			n *= l.N[a]
		}
		return n
	}
	for n := room(); n > mostCells; n = room() {
		l.H *= 1.01 * math.Cbrt(float64(n)/mostCells)
	}
	edge := reach + DropBand*l.H
	l.Origin = geom.V(float64(lo[0])-edge, float64(lo[1])-edge, float64(lo[2])-edge)
	l.V = make([]float32, l.N[0]*l.N[1]*l.N[2])
	at := make(Points, len(p))
	for i, x := range p {
		at[i] = [3]float32{float32((float64(x[0]) - l.Origin.X) / l.H), float32((float64(x[1]) - l.Origin.Y) / l.H), float32((float64(x[2]) - l.Origin.Z) / l.H)}
	}
	slices.SortFunc(at, func(a, b [3]float32) int {
		for _, k := range [3]int{2, 1, 0} {
			switch {
			case a[k] < b[k]:
				return -1
			case a[k] > b[k]:
				return 1
			}
		}
		return 0
	})
	FromPoints(l, at, float32(reach/l.H), 1, nil, float32(DropBand*l.H), work)
	FillPockets(l, 32, work)
	Even(l, 2, float32(0.04*l.H), work)
	for _, x := range at {
		l.bead(x, spacing)
	}
	return l
}

// bead gives a drop that is by itself back what evening took of it: a ball at x, in cells, of a little
// less than a spacing cubed.
func (l *Lattice) bead(x [3]float32, spacing float64) {
	nx, ny := l.N[0], l.N[1]
	var near, lo, hi [3]int
	for a := range 3 {
		near[a] = int(math.Round(float64(x[a])))
	}
	side := int(math.Round(0.9 * spacing / l.H))
	for a := range 3 {
		for _, way := range [2]int{-side, side} {
			at := near
			if at[a] += way; l.V[(at[2]*ny+at[1])*nx+at[0]] < 0 {
				return
			}
		}
	}
	r := 0.58 * spacing / l.H
	wide := int(r) + DropBand
	for a := range 3 {
		lo[a], hi[a] = max(near[a]-wide, 0), min(near[a]+wide, l.N[a]-1)
	}
	for k := lo[2]; k <= hi[2]; k++ {
		for j := lo[1]; j <= hi[1]; j++ {
			row := l.V[(k*ny+j)*nx:][:nx]
			for i := lo[0]; i <= hi[0]; i++ {
				dx, dy, dz := float64(x[0])-float64(i), float64(x[1])-float64(j), float64(x[2])-float64(k)
				row[i] = min(row[i], float32((math.Sqrt(dx*dx+dy*dy+dz*dz)-r)*l.H))
			}
		}
	}
}
