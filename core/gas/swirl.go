package gas

// Vorticity confinement in one pass: strips of rows march through the planes and hold
// in rings what lies between velocity and force, so that memory is read and written
// once. What a strip needs of the rows beside it it works out for itself; bits don't
// depend on strips.

import (
	"sync"

	"zarf/core/grid"
	"zarf/core/vec"
)

// swirl is the room of a strip: sums of two faces of three planes, ω of two and |ω|
// of three, each some rows with a rim of two.
type swirl struct {
	sy, from int
	sums     [3][3]vec.Window // by component, by plane
	turn     [2][3]vec.Window // ω, by plane
	mag      [3]vec.Window
	room     []float32
}

var swirls = sync.Pool{New: func() any { return new(swirl) }}

const rim = 16 // values before a row's first and after its last

// newSwirl makes room for rows j0 to j1, two more before and after.
func newSwirl(nx, j0, j1 int) *swirl {
	w := swirls.Get().(*swirl)
	w.sy = nx + 2*rim
	w.from = (j0 - 2) * w.sy
	size := (j1 - j0 + 4) * w.sy
	if len(w.room) < 18*size {
		w.room = make([]float32, 18*size)
	}
	at := 0
	take := func(v *vec.Window) {
		*v = vec.Window{A: w.room[at : at+size], From: w.from}
		clear(v.A)
		at += size
	}
	for k := range 3 {
		for c := range 3 {
			take(&w.sums[c][k])
		}
		take(&w.mag[k])
	}
	for k := range 2 {
		for c := range 3 {
			take(&w.turn[k][c])
		}
	}
	return w
}

// at is the place of cell (i, j).
func (w *swirl) at(i, j int) int { return j*w.sy + rim + i }

func (w *swirl) row(v *vec.Window, lo, hi, j int) []float32 {
	o := w.at(lo, j) - w.from
	return v.A[o : o+hi-lo]
}

// reach9 is the stretch of cells of row (j,k) that something within a cell of it uses.
func (s *Solver) reach9(j, k int) (lo, hi int) {
	lo, hi = s.NX, 0
	l := &s.lay[onCentre]
	for c := max(k-1, 0); c <= min(k+1, s.NZ-1); c++ {
		for b := max(j-1, 0); b <= min(j+1, s.NY-1); b++ {
			if p := l.spans(b, c); len(p) > 0 {
				lo, hi = min(lo, p[0].Lo-1), max(hi, p[len(p)-1].Hi+1)
			}
		}
	}
	return max(lo, 0), min(hi, s.NX)
}

// sumFaces fills plane k with the sums of two faces, twice the velocity in the cells'
// middles; beside the box with those of the outermost cells.
func (s *Solver) sumFaces(w *swirl, k, j0, j1 int) {
	for j := j0; j < j1; j++ {
		at := min(max(j, 0), s.NY-1)
		lo, hi := s.reach9(at, k)
		if lo >= hi {
			continue
		}
		u := s.U.Row(at, k)
		pairs := [3][2][]float32{{u[lo:hi], u[lo+1 : hi+1]}, {s.V.Row(at, k)[lo:hi], s.V.Row(at+1, k)[lo:hi]}, {s.W.Row(at, k)[lo:hi], s.W.Row(at, k+1)[lo:hi]}}
		for c, p := range pairs {
			row := &w.sums[c][k%3]
			vec.Add(w.row(row, lo, hi, j), p[0], p[1])
			w.edges(row, lo, hi, j, s.NX)
		}
	}
}

// edges repeats a row's outermost values beside the box.
func (w *swirl) edges(v *vec.Window, lo, hi, j, nx int) {
	o := w.at(0, j) - w.from
	if lo == 0 {
		v.A[o-1] = v.A[o]
	}
	if hi == nx {
		v.A[o+nx] = v.A[o+nx-1]
	}
}

// turn fills plane k with ω and |ω|, |ω| beside the box with that of the outermost
// cells.
func (s *Solver) turn(w *swirl, k, j0, j1 int) {
	inv := float32(1 / (4 * s.H)) // sums of two faces over two cells
	m := &w.mag[k%3]
	full := s.tiles.Full()
	if !full {
		clear(m.A)
	}
	below, above := max(k-1, 0)%3, min(k+1, s.NZ-1)%3
	var hoods [3]vec.Hood
	for c := range hoods {
		hoods[c] = vec.Hood{X: w.sums[c][k%3], Below: w.sums[c][below], Above: w.sums[c][above], SY: w.sy}
	}
	t := &w.turn[k%2]
	for j := max(j0, 0); j < min(j1, s.NY); j++ {
		for _, p := range s.lay[onCentre].spans(j, k) {
			vec.Curl(&t[0], &t[1], &t[2], m, &hoods[0], &hoods[1], &hoods[2], w.at(p.Lo, j), p.Hi-p.Lo, inv)
			w.edges(m, p.Lo, p.Hi, j, s.NX)
		}
	}
	if j0 < 0 {
		copy(w.row(m, -1, s.NX+1, -1), w.row(m, -1, s.NX+1, 0))
	}
	if j1 > s.NY {
		copy(w.row(m, -1, s.NX+1, s.NY), w.row(m, -1, s.NX+1, s.NY-1))
	}
}

// confine adds f = ε h (N × ω), N = ∇|ω|/|∇|ω|| (Fedkiw et al. 2001, eq. 11).
// It can be weighted by how warm or how thick the smoke is.
func (s *Solver) confine(dt float64, p Physics) {
	d := s.Dims
	if s.curl[0] == nil {
		for i := range s.curl {
			s.curl[i] = &grid.Field{Dims: d, Data: s.alloc(d.Len())}
		}
	}
	// ε h is in scale, so a run at half the voxel keeps its look
	scale := float32(dt * p.Vorticity * s.H)
	var by *grid.Field
	full := float32(1)
	switch p.VorticityBy {
	case "temperature":
		by, full = s.Heat, 1.0/500
	case "density":
		by = s.Smoke
	}
	const height = 32
	strips := (d.NY + height - 1) / height
	parts := max(1, min(d.NZ/8, (2*s.crew.Threads()+strips-1)/strips))
	deep := (d.NZ + parts - 1) / parts
	s.crew.For(strips*parts, 1, func(a, b int) {
		for ; a < b; a++ {
			j0, k0 := a%strips*height, a/strips*deep
			s.confineStrip(j0, min(j0+height, d.NY), k0, min(k0+deep, d.NZ), scale, by, full)
		}
	})
	// faces take the mean of the two cells beside them
	for axis, f := range s.velocity() {
		c := s.curl[axis].Data
		s.between(axis, false, func(_, _, o, a, b, n int) { vec.AddMean(f.Data[o:o+n], c[a:a+n], c[b:b+n]) })
	}
}

// confineStrip fills s.curl on rows j0 to j1 of planes k0 to k1.
func (s *Solver) confineStrip(j0, j1, k0, k1 int, scale float32, by *grid.Field, full float32) {
	if k0 >= k1 {
		return
	}
	w := newSwirl(s.NX, j0, j1)
	defer swirls.Put(w)
	for k := max(k0-2, 0); k < min(k0, s.NZ); k++ {
		s.sumFaces(w, k, j0-2, j1+2)
	}
	if k0 > 0 {
		if k0 < s.NZ {
			s.sumFaces(w, k0, j0-2, j1+2)
		}
		s.turn(w, k0-1, j0-1, j1+1)
	} else {
		s.sumFaces(w, 0, j0-2, j1+2)
	}
	for k := k0; k <= min(k1, s.NZ-1); k++ {
		if k+1 < s.NZ {
			s.sumFaces(w, k+1, j0-2, j1+2)
		}
		s.turn(w, k, j0-1, j1+1)
		if k > k0 {
			s.whirl(w, k-1, j0, j1, scale, by, full)
		}
	}
	if k1 == s.NZ {
		s.whirl(w, k1-1, j0, j1, scale, by, full)
	}
}

// whirl puts plane k's force into s.curl.
func (s *Solver) whirl(w *swirl, k, j0, j1 int, scale float32, by *grid.Field, full float32) {
	h := vec.Hood{X: w.mag[k%3], Below: w.mag[max(k-1, 0)%3], Above: w.mag[min(k+1, s.NZ-1)%3], SY: w.sy}
	t := &w.turn[k%2]
	for j := j0; j < j1; j++ {
		for _, p := range s.lay[onCentre].spans(j, k) {
			row := func(f *grid.Field) []float32 { return f.Row(j, k)[p.Lo:p.Hi] }
			var weight []float32
			if by != nil {
				weight = row(by)
			}
			vec.Whirl(row(s.curl[0]), row(s.curl[1]), row(s.curl[2]), &h, &t[0], &t[1], &t[2], w.at(p.Lo, j), p.Hi-p.Lo, scale, weight, full)
		}
	}
}
