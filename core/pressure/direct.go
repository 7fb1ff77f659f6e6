package pressure

// The coarsest level, solved outright. What is left there are the slowest modes of
// the box, which sweeps hardly touch: eight symmetric ones of Gauss and Seidel leave
// half of the lowest on 4³ cells under an open side, and every iteration of conjugate
// gradients has to make up for it.

// direct is the factorisation L D Lᵀ of the coarsest level's matrix, in a band
// (Golub and Van Loan, Matrix Computations, 4.3): at most 6³ cells, 36 to a plane.
type direct struct {
	of    []int     // positions of the cells that take part, in the order of memory
	band  int       // how far a cell's lower neighbours lie before it at most
	low   []float64 // L below its diagonal: row i holds columns i−band to i−1
	high  []float64 // Lᵀ above its diagonal: row i holds columns i+1 to i+band
	scale []float64 // 1/D; 0 for a cell that is held
	x     []float64 // with band zeros before and after
}

// factor works out the factorisation for a level as it is assembled.
//
// A part that nothing holds has a matrix without an inverse, of which the last pivot
// is zero but for rounding: that cell is held at zero, and the others are told
// relative to it. The inverse stays symmetric.
func (d *direct) factor(l *level) {
	d.of = d.of[:0]
	number := make([]int, l.sz*(l.NZ+2)+pad) // from 1 on
	for k := range l.NZ {
		for j := range l.NY {
			for i := range l.NX {
				if o := l.at(j, k) + i; l.invd[o] != 0 {
					d.of = append(d.of, o)
					number[o] = len(d.of)
				}
			}
		}
	}
	n := len(d.of)
	d.band = min(l.NX*l.NY, max(n-1, 0))
	m := d.band
	d.low, d.high = make([]float64, n*m), make([]float64, n*m)
	d.scale, d.x = make([]float64, n), make([]float64, n+2*m)
	// the weights of a row of cells that are fully open are never written
	weight := func(w []float32, o int) float64 {
		if !l.weighted((o%l.sz)/l.sy-1, o/l.sz-1) {
			return 1
		}
		return float64(w[o])
	}
	for i, o := range d.of {
		row := d.low[i*m : (i+1)*m] // column j at j − i + m
		for _, f := range []struct {
			w    []float32
			back int
		}{{l.wx, 1}, {l.wy, l.sy}, {l.wz, l.sz}} {
			if j := number[o-f.back] - 1; j >= 0 {
				row[j-i+m] = -weight(f.w, o)
			}
		}
		// row i of L D: each entry less what the columns before account for
		pivot := float64(l.diag[o])
		for j := max(0, i-m); j < i; j++ {
			v := row[j-i+m]
			for c := max(0, i-m, j-m); c < j; c++ {
				v -= float64(row[c-i+m] * d.low[j*m+c-j+m])
			}
			row[j-i+m] = v
		}
		for j := max(0, i-m); j < i; j++ {
			v := row[j-i+m]
			row[j-i+m] = float64(v * d.scale[j])
			pivot -= float64(v * row[j-i+m])
			d.high[j*m+i-j-1] = row[j-i+m]
		}
		if pivot > 1e-9*float64(l.diag[o]) {
			d.scale[i] = 1 / pivot
		}
	}
}

// solve sets the level's x from its b.
func (d *direct) solve(l *level) {
	n, m := len(d.of), d.band
	x := d.x
	for i, o := range d.of {
		x[m+i] = float64(l.b[o]) - dot(d.low[i*m:(i+1)*m], x[i:i+m])
	}
	for i := range n {
		x[m+i] *= d.scale[i]
	}
	for i := n - 1; i >= 0; i-- {
		if d.scale[i] == 0 {
			x[m+i] = 0
			continue
		}
		x[m+i] -= dot(d.high[i*m:(i+1)*m], x[m+i+1:m+i+1+m])
	}
	clear(l.x)
	for i, o := range d.of {
		l.x[o] = float32(x[m+i])
	}
}

// dot is Σ a·b in four sums.
func dot(a, b []float64) float64 {
	b = b[:len(a)]
	var s0, s1, s2, s3 float64
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += float64(a[i] * b[i])
		s1 += float64(a[i+1] * b[i+1])
		s2 += float64(a[i+2] * b[i+2])
		s3 += float64(a[i+3] * b[i+3])
	}
	for ; i < len(a); i++ {
		s0 += float64(a[i] * b[i])
	}
	return (s0 + s1) + (s2 + s3)
}
