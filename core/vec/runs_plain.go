package vec

// The reference of the kernels on runs: value i of a run goes to lane i mod Lanes of
// a sum, and sums go on from run to run.

// block are the Lanes values from offset o on, as an array: its bounds are looked at
// once.
func (r *Window) block(o int) *[Lanes]float32 { return (*[Lanes]float32)(r.A[o-r.From:]) }

// around is Σ w x_nb of a block, put into sum.
func (h *Hood) around(sum *[Lanes]float32, w *Faces, o int) {
	xm, xp := h.X.block(o-1), h.X.block(o+1)
	ym, yp := h.X.block(o-h.SY), h.X.block(o+h.SY)
	zm, zp := h.Below.block(o), h.Above.block(o)
	if w == nil {
		for i := range sum {
			sum[i] = ((xm[i] + xp[i]) + (ym[i] + yp[i])) + (zm[i] + zp[i])
		}
		return
	}
	wx, wxp := w.X.block(o), w.X.block(o+1)
	wy, wyp := w.Y.block(o), w.Y.block(o+h.SY)
	wz, wzp := w.Z.block(o), w.Above.block(o)
	for i := range sum {
		sum[i] = (float32(xm[i]*wx[i]) + float32(xp[i]*wxp[i])) + (float32(ym[i]*wy[i]) + float32(yp[i]*wyp[i])) + (float32(zm[i]*wz[i]) + float32(zp[i]*wzp[i]))
	}
}

// blocks hands out a list of runs in blocks of Lanes values.
func blocks(list []Run, fn func(o int)) {
	for _, r := range list {
		for o := int(r.O); o < int(r.O+r.N); o += Lanes {
			fn(o)
		}
	}
}

func relaxPlain(dst *Window, h *Hood, b, invd *Window, w *Faces, list []Run, keep, omega float32, acc *[Lanes]float32) {
	blocks(list, func(o int) {
		var sum [Lanes]float32
		h.around(&sum, w, o)
		out, x, b, invd := dst.block(o), h.X.block(o), b.block(o), invd.block(o)
		for i, s := range sum {
			out[i] = float32(keep*x[i]) + float32(float32(omega*invd[i])*(b[i]+s))
		}
		if acc != nil {
			for i, v := range out {
				acc[i] += float32(v * b[i])
			}
		}
	})
}

func residualRunsPlain(dst *Window, h *Hood, b, diag, pn *Window, w *Faces, list []Run) {
	blocks(list, func(o int) {
		var sum [Lanes]float32
		h.around(&sum, w, o)
		out, x, b, diag, pn := dst.block(o), h.X.block(o), b.block(o), diag.block(o), pn.block(o)
		for i, s := range sum {
			out[i] = float32((b[i] - (float32(diag[i]*x[i]) - s)) * pn[i])
		}
	})
}

func applyDotPlain(h *Hood, diag *Window, w *Faces, list []Run, acc *[Lanes]float32) {
	blocks(list, func(o int) {
		var sum [Lanes]float32
		h.around(&sum, w, o)
		x, diag := h.X.block(o), diag.block(o)
		for i, s := range sum {
			acc[i] += float32(x[i] * (float32(diag[i]*x[i]) - s))
		}
	})
}

func updatePlain(sol, res *Window, h *Hood, diag *Window, w *Faces, list []Run, a float32, first bool, acc *[Lanes]float32) {
	blocks(list, func(o int) {
		var sum [Lanes]float32
		h.around(&sum, w, o)
		s, r, x, diag := sol.block(o), res.block(o), h.X.block(o), diag.block(o)
		for i, nb := range sum {
			if step := float32(a * x[i]); first {
				s[i] = step
			} else {
				s[i] += step
			}
			q := float32(diag[i]*x[i]) - nb
			// where there is no cell the stencil has neighbours nonetheless
			if diag[i] == 0 {
				q = 0
			}
			v := r[i] - float32(a*q)
			r[i] = v
			acc[i] += float32(v * v)
		}
	})
}

func prolongPlain(dst, x, pn, a, b, c, d []float32, w *[4]float32) {
	n := len(x)
	dst, pn = dst[:n], pn[:n]
	m := func(i int) float32 {
		return (float32(w[0]*a[i]) + float32(w[1]*b[i])) + (float32(w[2]*c[i]) + float32(w[3]*d[i]))
	}
	before, here := m(0), m(1)
	for i := 0; i+1 < n; i += 2 {
		next := m(i/2 + 2)
		mid := float32(0.75 * here)
		dst[i] = x[i] + float32(pn[i]*(mid+float32(0.25*before)))
		dst[i+1] = x[i+1] + float32(pn[i+1]*(mid+float32(0.25*next)))
		before, here = here, next
	}
}

func halvePlain(dst, a []float32, q float32) {
	for i := range dst {
		v := a[2*i : 2*i+4 : 2*i+4]
		dst[i] = float32(q * ((v[0] + v[3]) + float32(3*(v[1]+v[2]))))
	}
}
