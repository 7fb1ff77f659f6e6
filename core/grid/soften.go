package grid

import "zarf/core/vec"

// Soften is the mean with weights ¼, ½, ¼ along each axis; the border's value
// goes on outside.
// It is exact on linear fields, and takes out what alternates from cell to cell.
func Soften(f *Field, crew Crew) *Field { return SoftenBy(f, 0.25, crew) }

// SoftenBy is Soften where either neighbour weighs so much, up to ¼.
func SoftenBy(f *Field, beside float32, crew Crew) *Field {
	d, own := f.Dims, 1-2*beside
	weights := [4]float32{own / 2, own / 2, beside, beside}
	a, b := NewField(d), NewField(d)
	pass := func(dst, src *Field, axis int) {
		crew.For(d.NZ, 2, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range d.NY {
					row := dst.Row(j, k)
					c := src.Row(j, k)
					var lo, hi []float32
					switch axis {
					case 1:
						lo, hi = src.Row(max(j-1, 0), k), src.Row(min(j+1, d.NY-1), k)
					case 2:
						lo, hi = src.Row(j, max(k-1, 0)), src.Row(j, min(k+1, d.NZ-1))
					}
					if axis == 0 {
						last := d.NX - 1
						if last > 1 {
							vec.Blend(row[1:last], c[1:last], c[1:last], c[:last-1], c[2:], &weights)
						}
						row[0] = own*c[0] + beside*(c[0]+c[min(1, last)])
						row[last] = own*c[last] + beside*(c[max(last-1, 0)]+c[last])
					} else {
						vec.Blend(row, c, c, lo, hi, &weights)
					}
				}
			}
		})
	}
	pass(a, f, 0)
	pass(b, a, 1)
	pass(a, b, 2)
	return a
}
