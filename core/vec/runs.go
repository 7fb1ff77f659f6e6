package vec

import "fmt"

// Kernels on the runs of a plane. The operator's passes are fused over strips of
// rows that march through the planes, with what lies between two passes in rings of
// a few planes; a ring holds other rows than the level's arrays, so each operand
// tells where its values begin.

// Run is a stretch of N values, a multiple of Lanes, from offset O of a plane on. The
// runs of a list follow each other.
type Run struct{ O, N int32 }

// Window are rows of a plane: its value at offset o is A[o−From].
type Window struct {
	A    []float32
	From int
}

// Hood is x, what lies below and above it, and how far apart its rows are: the
// values that a seven-point stencil reads.
type Hood struct {
	X, Below, Above Window
	SY              int
}

// Faces are the weights of faces round the cells of a plane: those of lower faces
// along x, y and z, and the z of the plane above.
type Faces struct{ X, Y, Z, Above Window }

// at is the value at an offset, after checking that those from lo to hi are there.
func (r *Window) at(o, lo, hi int) *float32 {
	if lo < r.From || hi-r.From > len(r.A) {
		panic(outside{lo, hi, r.From, len(r.A)})
	}
	return &r.A[o-r.From]
}

// outside says what values were asked of rows that hold others. It is an error of its own,
// and no call, so that what looks is laid down in place.
type outside struct{ lo, hi, from, n int }

func (e outside) Error() string {
	return fmt.Sprintf("vec: values %d to %d of a plane in rows that hold %d to %d", e.lo, e.hi, e.from, e.from+e.n)
}

// cut are n values from offset o on.
func (r *Window) cut(o, n int) []float32 { return r.A[o-r.From : o-r.From+n : o-r.From+n] }

// ends are the first and the last offset of a list of runs.
func ends(list []Run) (lo, hi int) {
	last := &list[len(list)-1]
	lo, hi = int(list[0].O), int(last.O)+int(last.N)
	if hi < lo {
		panic(fmt.Sprintf("vec: runs from %d to %d", lo, hi))
	}
	return lo, hi
}

// hood are pointers to a hood's middle and to what is below and above.
func (h *Hood) hood(lo, hi int) (x, below, above *float32) {
	return h.X.at(lo, lo-h.SY, hi+h.SY), h.Below.at(lo, lo, hi), h.Above.at(lo, lo, hi)
}

// faces are pointers to weights; sy is how far apart rows are.
func (w *Faces) faces(lo, hi, sy int) (x, y, z, above *float32) {
	return w.X.at(lo, lo, hi+1), w.Y.at(lo, lo, hi+sy), w.Z.at(lo, lo, hi), w.Above.at(lo, lo, hi)
}

// lanes adds what a kernel left in its lanes, in order.
func lanes(acc *[Lanes]float32) (s float64) {
	for _, v := range acc {
		s += float64(v)
	}
	return s
}

// ScaleRuns is dst = (s·b)·invd: a sweep of Jacobi from x = 0.
func ScaleRuns(dst, b, invd *Window, list []Run, s float32) {
	if len(list) == 0 {
		return
	}
	lo, hi := ends(list)
	d, p, q := dst.at(lo, lo, hi), b.at(lo, lo, hi), invd.at(lo, lo, hi)
	switch Chosen {
	case AVX512:
		scaleRunsAVX512(d, p, q, &list[0].O, len(list), s)
	case AVX2:
		scaleRunsAVX2(d, p, q, &list[0].O, len(list), s)
	default:
		for _, r := range list {
			o, n := int(r.O), int(r.N)
			scalePlain(dst.cut(o, n), b.cut(o, n), invd.cut(o, n), s)
		}
	}
}

// RelaxRuns is a sweep of Jacobi with weight omega:
// dst = (1−ω) x + ω/d (b + Σ w x_nb); no faces means that all weights are 1. The
// values of b that lie ahead by so many are fetched into the second cache: a strip
// needs them next, and memory can be read while it works.
func RelaxRuns(dst *Window, h *Hood, b, invd *Window, w *Faces, list []Run, omega float32, ahead int) {
	relaxRuns(dst, h, b, invd, w, list, omega, ahead, nil)
}

// RelaxDotRuns is RelaxRuns, and Σ dst·b.
func RelaxDotRuns(dst *Window, h *Hood, b, invd *Window, w *Faces, list []Run, omega float32, ahead int) float64 {
	var acc [Lanes]float32
	relaxRuns(dst, h, b, invd, w, list, omega, ahead, &acc)
	return lanes(&acc)
}

func relaxRuns(dst *Window, h *Hood, b, invd *Window, w *Faces, list []Run, omega float32, ahead int, acc *[Lanes]float32) {
	if len(list) == 0 {
		return
	}
	keep := 1 - omega
	lo, hi := ends(list)
	d, q, v := dst.at(lo, lo, hi), b.at(lo, lo, hi), invd.at(lo, lo, hi)
	x, zm, zp := h.hood(lo, hi)
	if w != nil {
		wx, wy, wz, wzp := w.faces(lo, hi, h.SY)
		switch {
		case Chosen == AVX512 && acc != nil:
			relaxDotWeightedAVX512(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, keep, omega, ahead, acc)
		case Chosen == AVX512:
			relaxWeightedAVX512(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, keep, omega, ahead)
		case Chosen == AVX2 && acc != nil:
			relaxDotWeightedAVX2(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, keep, omega, ahead, acc)
		case Chosen == AVX2:
			relaxWeightedAVX2(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, keep, omega, ahead)
		default:
			relaxPlain(dst, h, b, invd, w, list, keep, omega, acc)
		}
		return
	}
	switch {
	case Chosen == AVX512 && acc != nil:
		relaxDotAVX512(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), keep, omega, ahead, acc)
	case Chosen == AVX512:
		relaxAVX512(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), keep, omega, ahead)
	case Chosen == AVX2 && acc != nil:
		relaxDotAVX2(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), keep, omega, ahead, acc)
	case Chosen == AVX2:
		relaxAVX2(d, x, zm, zp, q, v, h.SY, &list[0].O, len(list), keep, omega, ahead)
	default:
		relaxPlain(dst, h, b, invd, w, list, keep, omega, acc)
	}
}

// ResidualRuns is dst = (b − A x)·pn: what is left of b, weighted for the next
// coarser level.
func ResidualRuns(dst *Window, h *Hood, b, diag, pn *Window, w *Faces, list []Run) {
	if len(list) == 0 {
		return
	}
	lo, hi := ends(list)
	d, q, v, n := dst.at(lo, lo, hi), b.at(lo, lo, hi), diag.at(lo, lo, hi), pn.at(lo, lo, hi)
	x, zm, zp := h.hood(lo, hi)
	if w != nil {
		wx, wy, wz, wzp := w.faces(lo, hi, h.SY)
		switch Chosen {
		case AVX512:
			residualWeightedAVX512(d, x, zm, zp, q, v, n, h.SY, &list[0].O, len(list), wx, wy, wz, wzp)
		case AVX2:
			residualWeightedAVX2(d, x, zm, zp, q, v, n, h.SY, &list[0].O, len(list), wx, wy, wz, wzp)
		default:
			residualRunsPlain(dst, h, b, diag, pn, w, list)
		}
		return
	}
	switch Chosen {
	case AVX512:
		residualRunsAVX512(d, x, zm, zp, q, v, n, h.SY, &list[0].O, len(list))
	case AVX2:
		residualRunsAVX2(d, x, zm, zp, q, v, n, h.SY, &list[0].O, len(list))
	default:
		residualRunsPlain(dst, h, b, diag, pn, w, list)
	}
}

// ApplyDotRuns is Σ x·A x, without keeping A x.
func ApplyDotRuns(h *Hood, diag *Window, w *Faces, list []Run) float64 {
	if len(list) == 0 {
		return 0
	}
	var acc [Lanes]float32
	lo, hi := ends(list)
	v := diag.at(lo, lo, hi)
	x, zm, zp := h.hood(lo, hi)
	switch {
	case Chosen == Plain:
		applyDotPlain(h, diag, w, list, &acc)
	case w != nil:
		wx, wy, wz, wzp := w.faces(lo, hi, h.SY)
		if Chosen == AVX512 {
			applyDotWeightedAVX512(x, zm, zp, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, &acc)
		} else {
			applyDotWeightedAVX2(x, zm, zp, v, h.SY, &list[0].O, len(list), wx, wy, wz, wzp, &acc)
		}
	case Chosen == AVX512:
		applyDotAVX512(x, zm, zp, v, h.SY, &list[0].O, len(list), &acc)
	default:
		applyDotAVX2(x, zm, zp, v, h.SY, &list[0].O, len(list), &acc)
	}
	return lanes(&acc)
}

// UpdateRuns moves along x by a: sol += a x, res −= a A x where there is a cell (its
// diagonal isn't 0); it returns Σ res². At first sol = a x, whatever it held.
func UpdateRuns(sol, res *Window, h *Hood, diag *Window, w *Faces, list []Run, a float32, first bool) float64 {
	if len(list) == 0 {
		return 0
	}
	var acc [Lanes]float32
	lo, hi := ends(list)
	s, r, v, n := sol.at(lo, lo, hi), res.at(lo, lo, hi), diag.at(lo, lo, hi), len(list)
	x, zm, zp := h.hood(lo, hi)
	if Chosen == Plain {
		updatePlain(sol, res, h, diag, w, list, a, first, &acc)
		return lanes(&acc)
	}
	if w != nil {
		wx, wy, wz, wzp := w.faces(lo, hi, h.SY)
		switch {
		case Chosen == AVX512 && first:
			beginWeightedAVX512(s, r, x, zm, zp, v, h.SY, &list[0].O, n, wx, wy, wz, wzp, a, &acc)
		case Chosen == AVX512:
			updateWeightedAVX512(s, r, x, zm, zp, v, h.SY, &list[0].O, n, wx, wy, wz, wzp, a, &acc)
		case first:
			beginWeightedAVX2(s, r, x, zm, zp, v, h.SY, &list[0].O, n, wx, wy, wz, wzp, a, &acc)
		default:
			updateWeightedAVX2(s, r, x, zm, zp, v, h.SY, &list[0].O, n, wx, wy, wz, wzp, a, &acc)
		}
		return lanes(&acc)
	}
	switch {
	case Chosen == AVX512 && first:
		beginAVX512(s, r, x, zm, zp, v, h.SY, &list[0].O, n, a, &acc)
	case Chosen == AVX512:
		updateAVX512(s, r, x, zm, zp, v, h.SY, &list[0].O, n, a, &acc)
	case first:
		beginAVX2(s, r, x, zm, zp, v, h.SY, &list[0].O, n, a, &acc)
	default:
		updateAVX2(s, r, x, zm, zp, v, h.SY, &list[0].O, n, a, &acc)
	}
	return lanes(&acc)
}

// DotRuns is Σ a·b.
func DotRuns(a, b *Window, list []Run) float64 {
	if len(list) == 0 {
		return 0
	}
	var acc [Lanes]float32
	lo, hi := ends(list)
	p, q := a.at(lo, lo, hi), b.at(lo, lo, hi)
	switch Chosen {
	case AVX512:
		dotRunsAVX512(p, q, &list[0].O, len(list), &acc)
	case AVX2:
		dotRunsAVX2(p, q, &list[0].O, len(list), &acc)
	default:
		for _, r := range list {
			dotPlain(&acc, a.cut(int(r.O), int(r.N)), b.cut(int(r.O), int(r.N)))
		}
	}
	return lanes(&acc)
}

// XpayRuns is dst = a + s·dst.
func XpayRuns(dst, a *Window, list []Run, s float32) {
	if len(list) == 0 {
		return
	}
	lo, hi := ends(list)
	d, p := dst.at(lo, lo, hi), a.at(lo, lo, hi)
	switch Chosen {
	case AVX512:
		xpayRunsAVX512(d, p, &list[0].O, len(list), s)
	case AVX2:
		xpayRunsAVX2(d, p, &list[0].O, len(list), s)
	default:
		for _, r := range list {
			o, n := int(r.O), int(r.N)
			xpayPlain(dst.cut(o, n), a.cut(o, n), s)
		}
	}
}

// MixRuns is dst = u·a + s·dst.
func MixRuns(dst, a *Window, list []Run, u, s float32) {
	if len(list) == 0 {
		return
	}
	lo, hi := ends(list)
	d, p := dst.at(lo, lo, hi), a.at(lo, lo, hi)
	switch Chosen {
	case AVX512:
		mixRunsAVX512(d, p, &list[0].O, len(list), u, s)
	case AVX2:
		mixRunsAVX2(d, p, &list[0].O, len(list), u, s)
	default:
		blocks(list, func(o int) {
			d, a := dst.block(o), a.block(o)
			for i, v := range a {
				d[i] = float32(u*v) + float32(s*d[i])
			}
		})
	}
}

// Draw tells where a run's coarse rows begin in a plane of them: one value before the
// first, and how far on the second row is.
type Draw struct{ O, Step int32 }

// Prolong is dst = x + pn·(¾ m_main + ¼ m_side) on runs, m = (w₀ a + w₁ b) + (w₂ c + w₃ d)
// the blend of four coarse rows, a and b of the plane near, c and d of far: fine 2I
// draws from coarse I and I−1, fine 2I+1 from I and I+1.
func Prolong(dst, x, pn *Window, near, far []float32, draws []Draw, list []Run, w *[4]float32) {
	if len(list) == 0 {
		return
	}
	lo, hi := ends(list)
	to, p, q := dst.at(lo, lo, hi), x.at(lo, lo, hi), pn.at(lo, lo, hi)
	size := min(len(near), len(far))
	for n, d := range draws[:len(list)] {
		a, b := int(d.O), int(d.O+d.Step)
		if m := int(list[n].N)/2 + 8; min(a, b) < 0 || max(a, b)+m > size {
			panic(fmt.Sprintf("vec: coarse rows of %d values from %d and %d in planes of %d", m, a, b, size))
		}
	}
	switch Chosen {
	case AVX512:
		prolongAVX512(to, p, q, &near[0], &far[0], &draws[0].O, &list[0].O, len(list), w)
	case AVX2:
		prolongAVX2(to, p, q, &near[0], &far[0], &draws[0].O, &list[0].O, len(list), w)
	default:
		for n, r := range list {
			a, b := int(draws[n].O), int(draws[n].O+draws[n].Step)
			prolongPlain(dst.cut(int(r.O), int(r.N)), x.cut(int(r.O), int(r.N)), pn.cut(int(r.O), int(r.N)), near[a:], near[b:], far[a:], far[b:], w)
		}
	}
}

// Halve is dst[i] = q ((a[2i] + a[2i+3]) + 3 (a[2i+1] + a[2i+2])) on a coarse row of a
// multiple of Lanes: the transpose of Prolong along x, a beginning one fine value
// before the first that the coarse cell covers. a holds 2n + 2 values.
func Halve(dst, a []float32, q float32) {
	n := len(dst)
	Whole(n)
	Row(2*n+2, a)
	switch {
	case n == 0:
	case Chosen == AVX512:
		halveAVX512(&dst[0], &a[0], q, n)
	case Chosen == AVX2:
		halveAVX2(&dst[0], &a[0], q, n)
	default:
		halvePlain(dst, a, q)
	}
}

// Fold is the transpose of Prolong across rows: row J of dst is (w₀ a + w₁ b) +
// (w₂ c + w₃ d) of rows 2J to 2J+3 of src. Rows have n values, a multiple of Lanes, and
// lie step values apart in dst, sy in src.
func Fold(dst, src []float32, rows, n, step, sy int, w *[4]float32) {
	Whole(n)
	if rows <= 0 || n <= 0 {
		return
	}
	Row((rows-1)*step+n, dst)
	Row((2*rows+1)*sy+n, src)
	switch Chosen {
	case AVX512:
		foldAVX512(&dst[0], &src[0], rows, n, step, sy, w)
	case AVX2:
		foldAVX2(&dst[0], &src[0], rows, n, step, sy, w)
	default:
		for J := range rows {
			a := src[2*J*sy:]
			blendPlain(dst[J*step:][:n], a, a[sy:], a[2*sy:], a[3*sy:], w)
		}
	}
}
