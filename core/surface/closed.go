package surface

import "zarf/core/geom"

// Closed is a lattice of a level set with a layer outside all round it, so that
// its surface closes. v holds n cells of width h from origin on, x fastest, and
// is taken at their middles, of every so many cells one.
func Closed(v []float32, n [3]int, h float64, origin geom.Vec3, outside float32, every int) *Lattice {
	few := [3]int{(n[0] + every - 1) / every, (n[1] + every - 1) / every, (n[2] + every - 1) / every}
	l := &Lattice{N: [3]int{few[0] + 2, few[1] + 2, few[2] + 2}, H: h * float64(every)}
	back := l.H - h/2
	l.Origin = origin.Sub(geom.V(back, back, back))
	l.V = make([]float32, l.N[0]*l.N[1]*l.N[2])
	for i := range l.V {
		l.V[i] = outside
	}
	for k := range few[2] {
		for j := range few[1] {
			row := v[(k*every*n[1]+j*every)*n[0]:]
			for i := range few[0] {
				l.V[l.At(i+1, j+1, k+1)] = row[i*every]
			}
		}
	}
	return l
}
