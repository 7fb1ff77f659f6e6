package vec

import "fmt"

// Stencil is the seven-point operator A x = d x − Σ w x_nb of a level of cells:
// the Laplacian with open fractions of faces as weights. All its arrays have the
// same layout: rows along x, sy values from row to row, sz from plane to plane,
// with at least one cell of halo all round.
//
// A call moves 4 arrays of 4 bytes a cell (dst, x, b or diag, invd), 7 with
// weights: at the memory's speed the arithmetic is free.
type Stencil struct {
	diag, invd, wx, wy, wz []float32
	sy, sz                 int
}

// NewStencil panics unless the arrays are equally long; wx, wy and wz are the
// weights of each cell's lower faces, invd is 0 where there is no cell.
func NewStencil(diag, invd, wx, wy, wz []float32, sy, sz int) Stencil {
	n := len(diag)
	if len(invd) != n || len(wx) != n || len(wy) != n || len(wz) != n {
		panic(fmt.Sprintf("vec: arrays of a stencil hold %d, %d, %d, %d and %d values", n, len(invd), len(wx), len(wy), len(wz)))
	}
	if sy < 1 || sz < sy {
		panic(fmt.Sprintf("vec: steps of %d and %d", sy, sz))
	}
	return Stencil{diag, invd, wx, wy, wz, sy, sz}
}

// within panics unless n values from o on, and those beside them along each
// axis, lie in the arrays and in dst, x and b.
func (s *Stencil) within(dst, x, b []float32, o, n int) {
	size := len(s.diag)
	if n%Lanes != 0 || o < s.sz || n < 0 || o+n > size-s.sz || len(dst) < size || len(x) < size || len(b) < size {
		s.beyond(dst, x, b, o, n)
	}
}

//go:noinline
func (s *Stencil) beyond(dst, x, b []float32, o, n int) {
	panic(fmt.Sprintf("vec: %d values from %d on with steps of %d and %d, in arrays of %d, %d, %d and %d",
		n, o, s.sy, s.sz, len(s.diag), len(dst), len(x), len(b)))
}

// Jacobi is a damped Jacobi sweep of n values from o on, n a multiple of Lanes:
// dst = (1−ω) x + ω/d (b + Σ x_nb), with the weights of the faces where weighted.
// Where there is no cell invd is 0, and so is what comes out if x is 0 there.
func (s *Stencil) Jacobi(dst, x, b []float32, o, n int, weighted bool, omega float32) {
	s.within(dst, x, b, o, n)
	keep := 1 - omega
	switch {
	case n == 0:
	case Chosen == AVX512 && weighted:
		jacobiWeightedAVX512(&dst[o], &x[o], &b[o], &s.invd[o], &s.wx[o], &s.wy[o], &s.wz[o], s.sy, s.sz, n, keep, omega)
	case Chosen == AVX512:
		jacobiAVX512(&dst[o], &x[o], &b[o], &s.invd[o], s.sy, s.sz, n, keep, omega)
	case Chosen == AVX2 && weighted:
		jacobiWeightedAVX2(&dst[o], &x[o], &b[o], &s.invd[o], &s.wx[o], &s.wy[o], &s.wz[o], s.sy, s.sz, n, keep, omega)
	case Chosen == AVX2:
		jacobiAVX2(&dst[o], &x[o], &b[o], &s.invd[o], s.sy, s.sz, n, keep, omega)
	default:
		c, xm, xp, ym, yp, zm, zp := s.hood(x, o, n)
		if weighted {
			wx, wxp, wy, wyp, wz, wzp := s.faces(o, n)
			jacobiWeightedPlain(dst[o:o+n], c, b[o:o+n], s.invd[o:o+n], xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp, keep, omega)
			return
		}
		jacobiPlain(dst[o:o+n], c, b[o:o+n], s.invd[o:o+n], xm, xp, ym, yp, zm, zp, keep, omega)
	}
}

// Apply is dst = A x on n values from o on, n a multiple of Lanes.
// Cells outside the run are read, as neighbours, and never written.
func (s *Stencil) Apply(dst, x []float32, o, n int, weighted bool) {
	s.within(dst, x, s.diag, o, n)
	switch {
	case n == 0:
	case Chosen == AVX512 && weighted:
		applyWeightedAVX512(&dst[o], &x[o], &s.diag[o], &s.wx[o], &s.wy[o], &s.wz[o], s.sy, s.sz, n)
	case Chosen == AVX512:
		applyAVX512(&dst[o], &x[o], &s.diag[o], s.sy, s.sz, n)
	case Chosen == AVX2 && weighted:
		applyWeightedAVX2(&dst[o], &x[o], &s.diag[o], &s.wx[o], &s.wy[o], &s.wz[o], s.sy, s.sz, n)
	case Chosen == AVX2:
		applyAVX2(&dst[o], &x[o], &s.diag[o], s.sy, s.sz, n)
	default:
		c, xm, xp, ym, yp, zm, zp := s.hood(x, o, n)
		if weighted {
			wx, wxp, wy, wyp, wz, wzp := s.faces(o, n)
			applyWeightedPlain(dst[o:o+n], c, s.diag[o:o+n], xm, xp, ym, yp, zm, zp, wx, wxp, wy, wyp, wz, wzp)
			return
		}
		applyPlain(dst[o:o+n], c, s.diag[o:o+n], xm, xp, ym, yp, zm, zp)
	}
}
