package ripple

// fine is the displaced surface on finer cells.
type fine struct {
	low  [3]int // in fine cells of the domain
	n    [3]int
	v    []float32
	h    float64
	band float64
}

// deep is how far from the upper side, in voxels, a shift is lost.
const deep = 2.0

// Surface is the level set of the frame taken last, displaced.
func (s *Solver) surface() *fine {
	l := s.last.level
	f := s.Factor
	// distances reach as far as the run's: what stands within a voxel of glass touches it
	out := &fine{h: l.h / float64(f), band: float64(l.band)}
	for a := range 3 {
		out.low[a], out.n[a] = l.low[a]*f, l.n[a]*f
	}
	out.v = make([]float32, out.n[0]*out.n[1]*out.n[2])
	lift := s.lift()
	// two planes of a fine z, as wide as the run's and as the fine x, go before the column's
	s.crew.For(out.n[2], 1, func(a, b int) {
		flat, wide := make([]float32, l.n[0]*l.n[1]), make([]float32, out.n[0]*l.n[1])
		for k := a; k < b; k++ {
			l.plane(flat, k, f)
			widen(wide, flat, l.n[0], l.n[1], f)
			s.columns(out, wide, lift, k)
		}
	})
	return out
}

// between is where fine cell i lies among the run's: the cell before, and the weights of four.
func between(i, f int) (at int, w [4]float32) {
	x := (float32(i)+0.5)/float32(f) - 0.5
	at = i / f
	if float32(at) > x {
		at--
	}
	return at, cubic(x - float32(at))
}

// plane is the level set at a fine z.
func (l *level) plane(out []float32, k, f int) {
	at, w := between(k, f)
	size := l.n[0] * l.n[1]
	var row [4][]float32
	for b := range row {
		row[b] = l.v[min(max(at+b-1, 0), l.n[2]-1)*size:][:size]
	}
	for n := range out {
		out[n] = w[0]*row[0][n] + w[1]*row[1][n] + w[2]*row[2][n] + w[3]*row[3][n]
	}
}

// widen is a plane at fine x.
func widen(out, in []float32, nx, ny, f int) {
	for i := range nx * f {
		at, w := between(i, f)
		a, b, c, d := min(max(at-1, 0), nx-1), max(at, 0), min(at+1, nx-1), min(at+2, nx-1)
		for j := range ny {
			row := in[j*nx:][:nx]
			out[j*nx*f+i] = w[0]*row[a] + w[1]*row[b] + w[2]*row[c] + w[3]*row[d]
		}
	}
}

// columns fills a fine plane, each place from where the shift has it come from.
func (s *Solver) columns(out *fine, wide []float32, lift []float32, k int) {
	l, f, t := s.last.level, s.Factor, s.last
	nx, h := out.n[0], float32(l.h)
	z := out.low[2] + k
	shift, top := make([]float32, nx), make([]float32, nx) // cells of the run's surface
	for i := range nx {
		x := out.low[0] + i
		shift[i] = (lift[z*s.NX*f+x] - t.read(t.bent, (float32(x)+0.5)/float32(f)-0.5, (float32(z)+0.5)/float32(f)-0.5)) / h
		top[i] = t.y[z/f*s.NX+x/f]/h - 0.5 - float32(l.low[1])
	}
	far, band := float32(deep*s.Voxel)/h, float32(out.band)
	last := l.n[1] - 1
	for j := range out.n[1] {
		at := (float32(j)+0.5)/float32(f) - 0.5
		row := out.v[(k*out.n[1]+j)*nx:][:nx]
		for i := range row {
			y := at
			if shift[i] != 0 {
				if d := max(y-top[i], top[i]-y) / far; d < 1 {
					y -= shift[i] * (1 - d*d) * (1 - d*d)
				}
			}
			y = min(max(y, 0), float32(last))
			n := int(y)
			up := min(n+1, last)
			v, next := wide[n*nx+i], wide[up*nx+i]
			if v != next { // far from the surface all are alike
				w := cubic(y - float32(n))
				v = w[0]*wide[max(n-1, 0)*nx+i] + w[1]*v + w[2]*next + w[3]*wide[min(n+2, last)*nx+i]
			}
			row[i] = min(max(v, -band), band)
		}
	}
}

// lift is by how much the upper side is raised, m, on the fine columns of the domain: the
// ripples' height, less at their shores, and less its mean, so that nothing is added.
func (s *Solver) lift() []float32 {
	p, f := s.pool, s.Factor
	nx, nz := s.NX*f, s.NZ*f
	out := make([]float32, nx*nz)
	var sum, all float64
	part := func(n int) float32 { // of columns next to a shore: half
		if !s.on[n] {
			return 0
		}
		if s.on[n-1] && s.on[n+1] && s.on[n-p.nx] && s.on[n+p.nx] {
			return 1
		}
		return 0.5
	}
	for k := range nz {
		for i := range nx {
			n := (k+rim)*p.nx + i + rim
			q := part(n)
			sum, all = sum+float64(q*p.height[n]), all+float64(q)
		}
	}
	mean := float32(sum / max(all, 1))
	s.crew.For(nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range nx {
				n := (k+rim)*p.nx + i + rim
				out[k*nx+i] = part(n) * (p.height[n] - mean)
			}
		}
	})
	return out
}
