package grid

import "zarf/core/vec"

// cubicWeights are those of the cardinal cubic spline of Catmull and Rom at
// share t between the two middle ones of four values.
func cubicWeights(t float32) (w [4]float32) {
	t2 := t * t
	t3 := t2 * t
	w[0] = 0.5 * (float32(2*t2) - t3 - t)
	w[1] = 0.5 * (float32(3*t3) - float32(5*t2) + 2)
	w[2] = 0.5 * (float32(4*t2) - float32(3*t3) + t)
	w[3] = 0.5 * (t3 - t2)
	return w
}

// SampleCubic interpolates by cubic splines along each axis (64 values), where
// Sample takes 8, and keeps the result between the smallest and largest of
// those 8, so that nothing overshoots; the border's value goes on outside.
func (f *Field) SampleCubic(x, y, z float32) float32 {
	i, fx := vec.Split(x, f.NX)
	j, fy := vec.Split(y, f.NY)
	k, fz := vec.Split(z, f.NZ)
	var xs, ys, zs [4]int
	for m := range 4 {
		xs[m] = min(max(i+m-1, 0), f.NX-1)
		ys[m] = min(max(j+m-1, 0), f.NY-1) * f.NX
		zs[m] = min(max(k+m-1, 0), f.NZ-1) * f.NX * f.NY
	}
	wx, wy, wz := cubicWeights(fx), cubicWeights(fy), cubicWeights(fz)
	if f.NZ == 1 {
		wz = [4]float32{0, 1, 0, 0}
	}
	var sum float32
	lo, hi := f.Data[zs[1]+ys[1]+xs[1]], f.Data[zs[1]+ys[1]+xs[1]]
	for c, z := range zs {
		var plane float32
		for b, y := range ys {
			d := f.Data[z+y : z+y+f.NX]
			if c%3 != 0 && b%3 != 0 { // the inner two of four
				p, q := d[xs[1]], d[xs[2]]
				if p > q {
					p, q = q, p
				}
				if p < lo {
					lo = p
				}
				if q > hi {
					hi = q
				}
			}
			plane += float32(wy[b] * ((float32(wx[0]*d[xs[0]]) + float32(wx[1]*d[xs[1]])) + (float32(wx[2]*d[xs[2]]) + float32(wx[3]*d[xs[3]]))))
		}
		sum += float32(wz[c] * plane)
	}
	if sum < lo {
		return lo
	}
	if sum > hi {
		return hi
	}
	return sum
}
