package grid

// Soften is the mean with weights ¼, ½, ¼ along each axis; the border's value
// goes on outside.
// It is exact on linear fields, and takes out what alternates from cell to cell.
func Soften(f *Field, crew Crew) *Field {
	d := f.Dims
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
					for i := range row {
						if axis == 0 {
							row[i] = 0.5*c[i] + 0.25*(c[max(i-1, 0)]+c[min(i+1, d.NX-1)])
						} else {
							row[i] = 0.5*c[i] + 0.25*(lo[i]+hi[i])
						}
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
