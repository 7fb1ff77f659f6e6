package geom

// Shell is a mesh made as thick as told, m, about its faces: closed all round where it was open.
// Its first vertices lie on the side that faces look to, as many again on the other; a vertex of
// several fans is moved by their mean.
func Shell(m *Mesh, thick float64) *Mesh {
	n := int32(len(m.P))
	normal := make([]Vec3, n)
	next := make(map[[2]int32]bool, 3*len(m.Tri))
	for k, t := range m.Tri {
		a, b, c := m.Corners(k)
		f := b.Sub(a).Cross(c.Sub(a))
		for e, v := range t {
			normal[v] = normal[v].Add(f)
			next[[2]int32{v, t[(e+1)%3]}] = true
		}
	}
	out := &Mesh{P: make([]Vec3, 2*n), Tri: make([][3]int32, 0, 2*len(m.Tri))}
	for i, p := range m.P {
		by := normal[i].Unit().Mul(thick / 2)
		out.P[i], out.P[int(n)+i] = p.Add(by), p.Sub(by)
	}
	for _, t := range m.Tri {
		out.Tri = append(out.Tri, t, [3]int32{t[0] + n, t[2] + n, t[1] + n})
	}
	for _, t := range m.Tri {
		for e, a := range t {
			if b := t[(e+1)%3]; !next[[2]int32{b, a}] { // a rim
				out.Tri = append(out.Tri, [3]int32{a, a + n, b + n}, [3]int32{a, b + n, b})
			}
		}
	}
	return out
}
