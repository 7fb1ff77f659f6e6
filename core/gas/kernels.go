package gas

import "zarf/core/vec"

// followed is dst[i] = base + ramp·i + ½(a[i] + b[i]): points of a row moved
// along the mean of two ways.
func followed(dst, a, b []float32, base, ramp float32) {
	n := len(dst)
	if n == 0 {
		return
	}
	vec.Row2(n, a, b)
	a, b = a[:n], b[:n]
	if useVectors {
		followV(&dst[0], &a[0], &b[0], base, ramp, n)
		return
	}
	for i := range dst {
		dst[i] = (base + float32(ramp*float32(i))) + float32(0.5*(a[i]+b[i]))
	}
}

// limit is MacCormack's second half: first + ½(was − again), and first where
// that leaves [lo, hi].
func limit(dst, again, first, was, lo, hi []float32) {
	n := len(dst)
	if n == 0 {
		return
	}
	vec.Row2(n, again, first)
	vec.Row3(n, was, lo, hi)
	again, first, was, lo, hi = again[:n], first[:n], was[:n], lo[:n], hi[:n]
	if useVectors {
		limitV(&dst[0], &again[0], &first[0], &was[0], &lo[0], &hi[0], n)
		return
	}
	for i := range dst {
		v := first[i] + float32(0.5*(was[i]-again[i]))
		if v < lo[i] || v > hi[i] {
			v = first[i]
		}
		dst[i] = v
	}
}

// largest is the largest magnitude and whether some value isn't finite.
func largest(row []float32) (top float32, odd bool) {
	var acc float32
	if useVectors && len(row) > 0 {
		var tops, accs [16]float32
		largestV(&row[0], len(row), &tops, &accs)
		for i, v := range tops {
			top = max(top, v)
			acc += accs[i]
		}
		return top, acc != 0
	}
	for _, v := range row {
		acc += v - v // zero for finite values, NaN otherwise
		if v < 0 {
			v = -v
		}
		if v > top {
			top = v
		}
	}
	return top, acc != 0
}

// outside reports a position under 0 or over top.
func outside(x []float32, top float32) bool {
	if useVectors && len(x) > 0 {
		return outsideV(&x[0], len(x), top)
	}
	for _, v := range x {
		if v < 0 || v > top {
			return true
		}
	}
	return false
}
