package cloth

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/geom"
)

// Fabric is what a cloth is made of, per metre of it.
type Fabric struct {
	Mass       float64 // kg/m²
	Warp, Weft float64 // N/m, pull for a strain of 1 along the two threads
	Shear      float64 // N/m, of the angle between them
	Poisson    float64 // how much it narrows when it is pulled: 0 not at all
	BendWarp   float64 // N·m, flexural rigidity of a strip cut along the warp
	BendWeft   float64 // N·m
	Damping    float64 // s, by which its own motion is slowed: of waves of this period much is lost
	Thickness  float64 // m
	Friction   float64 // Coulomb's coefficient, with all that it touches
	Tears      float64 // strain over which it tears; 0: never
	Uneven     float64 // by what share that differs from place to place
	Drag       float64 // of a plate across the wind; 1.2 is solid cloth, mesh lets air through
	Pressure   float64 // Pa, of what is closed, against the outside
	Fire       Fire
}

// check refuses what no cloth is.
func (f *Fabric) check() error {
	for _, v := range []struct {
		name   string
		v, lo  float64
		hi     float64
		format string
	}{
		{"mass", f.Mass, 1e-4, 1e4, "kg/m²"}, {"warp stiffness", f.Warp, 1e-3, 1e9, "N/m"}, {"weft stiffness", f.Weft, 1e-3, 1e9, "N/m"}, {"shear stiffness", f.Shear, 0, 1e9, "N/m"},
		{"Poisson's ratio", f.Poisson, 0, 0.49, ""}, {"warp bending", f.BendWarp, 0, 1e6, "N·m"}, {"weft bending", f.BendWeft, 0, 1e6, "N·m"}, {"damping", f.Damping, 0, 10, "s"}, {"fire point", f.Fire.At, 0, 1e5, "K"}, {"burning time", f.Fire.Lasts, 0, 1e6, "s"}, {"spread of fire", f.Fire.Spread, 0, 1e3, "m/s"},
		{"thickness", f.Thickness, 1e-5, 1, "m"}, {"friction", f.Friction, 0, 100, ""}, {"tearing strain", f.Tears, 0, 100, ""},
	} {
		if !(v.v >= v.lo && v.v <= v.hi) {
			return fmt.Errorf("cloth: the %s is %g %s; it must be from %g to %g", v.name, v.v, v.format, v.lo, v.hi)
		}
	}
	return nil
}

// Sheet is a piece of cloth to be put into a system: its mesh as modelled, relaxed, and where
// its warp runs.
type Sheet struct {
	ID     string
	Mesh   *geom.Mesh
	Warp   geom.Vec3 // direction of the warp; threads follow it as far as a face allows
	Fabric Fabric
	Flat   bool // it wants to be flat, however it was modelled
	Pinned []bool
	Weak   []float64 // of each vertex, 0 as strong as all, 1 tears at nothing; nil: all 0

	first int32 // vertex in the system
}

// Rectangle is a sheet of wide by tall metres in the plane of x and −y, of nx by ny vertices row by
// row, from the corner at the top left on; diagonals take turns, so that no direction is favoured.
func Rectangle(wide, tall float64, nx, ny int) *geom.Mesh {
	m := &geom.Mesh{}
	for j := range ny {
		for i := range nx {
			m.P = append(m.P, geom.V(wide*float64(i)/float64(nx-1), -tall*float64(j)/float64(ny-1), 0))
		}
	}
	for j := range ny - 1 {
		for i := range nx - 1 {
			a := int32(j*nx + i)
			b, c, d := a+1, a+int32(nx), a+int32(nx)+1
			if (i+j)%2 == 0 {
				m.Tri = append(m.Tri, [3]int32{a, c, d}, [3]int32{a, d, b})
			} else {
				m.Tri = append(m.Tri, [3]int32{a, c, b}, [3]int32{b, c, d})
			}
		}
	}
	return m
}

// Limits.
const (
	MostVertices = 2_000_000
	smallest     = 1e-12 // m², of a triangle
)

// face is a triangle with its own plane of warp and weft.
type face struct {
	v    [3]int32
	of   int32 // sheet
	area float64
	w    [3][2]float64 // gradients of the three corners' shares, along warp and weft, 1/m
}

// hinge is an edge between two faces: its ends, then the corners across.
type hinge struct {
	v    [4]int32
	c    [4]float64 // Σ c x is the angle of the fold times the edge's length, along the normal
	rest float64    // of that, as modelled
}

// bend is how a face bends: by the hinges at its sides.
type bend struct {
	at [3]int32 // hinge across from each corner; −1: the side is a rim
	w  [3][3]float64
}

// clean merges nothing and drops faces without area; it refuses what can't be cloth.
func (s *Sheet) clean() error {
	if len(s.Mesh.Tri) == 0 {
		return fmt.Errorf("cloth %s has no faces; choose a mesh with some", s.ID)
	}
	if len(s.Mesh.P) > MostVertices {
		return fmt.Errorf("cloth %s has %d vertices; %d are the most", s.ID, len(s.Mesh.P), MostVertices)
	}
	for n, p := range s.Mesh.P {
		if x := p.X + p.Y + p.Z; math.IsNaN(x) || math.IsInf(x, 0) {
			return fmt.Errorf("cloth %s: vertex %d is at %v, which is no place; mend the mesh", s.ID, n, p)
		}
	}
	if s.Pinned != nil && len(s.Pinned) != len(s.Mesh.P) || s.Weak != nil && len(s.Weak) != len(s.Mesh.P) {
		return fmt.Errorf("cloth %s: pins of %d and weakness of %d vertices for %d", s.ID, len(s.Pinned), len(s.Weak), len(s.Mesh.P))
	}
	return s.Fabric.check()
}

// faceOf lays a triangle out along the warp.
func faceOf(a, b, c, warp geom.Vec3) (f face, ok bool) {
	e1, e2 := b.Sub(a), c.Sub(a)
	n := e1.Cross(e2)
	f.area = n.Len() / 2
	if !(f.area > smallest) {
		return f, false
	}
	n = n.Unit()
	u := warp.Sub(n.Mul(warp.Dot(n)))
	if u.Len() < 1e-3*warp.Len() || u.Len() == 0 { // it is seen end on: any other
		u = geom.V(warp.Z, warp.X, warp.Y)
		u = u.Sub(n.Mul(u.Dot(n)))
		if u.Len() == 0 {
			u = e1
		}
	}
	u = u.Unit()
	v := n.Cross(u)
	m := [4]float64{e1.Dot(u), e2.Dot(u), e1.Dot(v), e2.Dot(v)} // columns are the edges
	det := m[0]*m[3] - m[1]*m[2]
	f.w[1] = [2]float64{m[3] / det, -m[1] / det}
	f.w[2] = [2]float64{-m[2] / det, m[0] / det}
	f.w[0] = [2]float64{-f.w[1][0] - f.w[2][0], -f.w[1][1] - f.w[2][1]}
	return f, true
}

// edgeKey names an edge by its ends.
type edgeKey struct{ a, b int32 }

func edgeOf(a, b int32) edgeKey { return edgeKey{min(a, b), max(a, b)} }

// side is a face at an edge: its number, and the corner across.
type side struct{ face, across int32 }

// edges lists the faces at each edge, in the order of faces.
func edges(faces []face) (keys []edgeKey, at map[edgeKey][]side) {
	at = make(map[edgeKey][]side, len(faces)*2)
	for n, f := range faces {
		for c := range 3 {
			k := edgeOf(f.v[(c+1)%3], f.v[(c+2)%3])
			if at[k] == nil {
				keys = append(keys, k)
			}
			at[k] = append(at[k], side{int32(n), f.v[c]})
		}
	}
	return keys, at
}

// hinged makes the hinge of an edge between two faces: the vector of Bergou, Wardetzky, Harmon,
// Zorin and Grinspun (2006), whose factors are sums of cotangents. Unless it is flat the angle as
// modelled is kept.
func hinged(x []geom.Vec3, v [4]int32, flat bool) (h hinge, ok bool) {
	p := [4]geom.Vec3{x[v[0]], x[v[1]], x[v[2]], x[v[3]]}
	e := [5]geom.Vec3{p[1].Sub(p[0]), p[2].Sub(p[0]), p[3].Sub(p[0]), p[2].Sub(p[1]), p[3].Sub(p[1])}
	cot := func(a, b geom.Vec3) float64 { return a.Dot(b) / a.Cross(b).Len() }
	c01, c02 := cot(e[0], e[1]), cot(e[0], e[2])
	c03, c04 := cot(e[0].Mul(-1), e[3]), cot(e[0].Mul(-1), e[4])
	h = hinge{v: v, c: [4]float64{c03 + c04, c01 + c02, -c01 - c03, -c02 - c04}}
	for _, c := range h.c {
		if math.IsNaN(c) || math.IsInf(c, 0) {
			return h, false
		}
	}
	if flat {
		return h, true
	}
	s := h.fold(x)
	if h.rest = s.Dot(h.normal(x)); math.Abs(h.rest) < 1e-6*e[0].Len() {
		h.rest = 0
	}
	return h, true
}

// fold is a hinge's vector.
func (h *hinge) fold(x []geom.Vec3) (s geom.Vec3) {
	for n, v := range h.v {
		s = s.Add(x[v].Mul(h.c[n]))
	}
	return s
}

// normal is the mean of the two faces' at a hinge.
func (h *hinge) normal(x []geom.Vec3) geom.Vec3 {
	a, b := x[h.v[0]], x[h.v[1]]
	e := b.Sub(a)
	n := e.Cross(x[h.v[2]].Sub(a)).Unit().Add(x[h.v[3]].Sub(a).Cross(e).Unit())
	if n.Len() == 0 {
		return n
	}
	return n.Unit()
}

// bends finds how faces bend: their curvature along warp and weft and between them, from the
// folds at their three sides (Grinspun, Gingold, Reisman and Zorin, Computing discrete shape
// operators on general meshes, 2006): Λ = Σ s/(2A) n⊗n, n across each side, and from that the
// energy ½ A (B₁Λ₁₁² + B₂Λ₂₂² + 2√(B₁B₂) Λ₁₂²) of an orthotropic plate that doesn't narrow.
// It is quadratic in places, and the same for every mesh of one shape.
func bends(x []geom.Vec3, faces []face, sheets []Sheet) (folds []hinge, out []bend) {
	keys, at := edges(faces)
	number := make(map[edgeKey]int32, len(keys))
	for _, k := range keys {
		s := at[k]
		if len(s) != 2 || faces[s[0].face].of != faces[s[1].face].of { // rims don't bend; nor do seams of three and more
			continue
		}
		if h, ok := hinged(x, [4]int32{k.a, k.b, s[0].across, s[1].across}, sheets[faces[s[0].face].of].Flat); ok {
			number[k] = int32(len(folds))
			folds = append(folds, h)
		}
	}
	out = make([]bend, len(faces))
	held := clamped(faces, sheets)
	for n := range faces {
		f, b := &faces[n], &out[n]
		if held != nil && held[n] {
			b.at = [3]int32{-1, -1, -1}
			continue
		}
		fab := &sheets[f.of].Fabric
		var q [3][3]float64 // of each side: 11, 22 and 12 of n⊗n
		for c := range 3 {
			b.at[c] = -1
			k := edgeOf(f.v[(c+1)%3], f.v[(c+2)%3])
			if h, ok := number[k]; ok {
				b.at[c] = h
			}
			// the gradient of a corner's share points from the side across to it
			l := math.Hypot(f.w[c][0], f.w[c][1])
			u, v := f.w[c][0]/l, f.w[c][1]/l
			q[c] = [3]float64{u * u, v * v, u * v}
			if held != nil && slices.ContainsFunc(at[k], func(s side) bool { return held[s.face] }) {
				// beyond it nothing bends, so the fold is over half the width
				q[c] = [3]float64{2 * q[c][0], 2 * q[c][1], 2 * q[c][2]}
			}
		}
		for c := range 3 {
			for d := range 3 {
				b.w[c][d] = (fab.BendWarp*q[c][0]*q[d][0] + fab.BendWeft*q[c][1]*q[d][1] + 2*math.Sqrt(fab.BendWarp*fab.BendWeft)*q[c][2]*q[d][2]) / (4 * f.area)
			}
		}
	}
	return folds, out
}

// clamped tells which faces are pinned at all corners; nil: none is.
func clamped(faces []face, sheets []Sheet) (held []bool) {
	for n, f := range faces {
		p := sheets[f.of].Pinned
		if p == nil {
			continue
		}
		o := sheets[f.of].first
		pinned := func(v int32) bool { return int(v-o) < len(p) && p[v-o] } // what parted isn't
		if pinned(f.v[0]) && pinned(f.v[1]) && pinned(f.v[2]) {
			if held == nil {
				held = make([]bool, len(faces))
			}
			held[n] = true
		}
	}
	return held
}

// neighbours lists, of n vertices, those that share a face with each, itself among them, in
// order.
func neighbours(n int, faces []face) (start []int32, list []int32) {
	count := make([]int32, n+1)
	for _, f := range faces {
		for _, v := range f.v {
			count[v+1] += 3
		}
	}
	for i := range n {
		count[i+1] += count[i] + 1
	}
	all := make([]int32, count[n])
	at := slices.Clone(count[:n])
	for v := range n {
		all[at[v]] = int32(v)
		at[v]++
	}
	for _, f := range faces {
		for _, v := range f.v {
			for _, w := range f.v {
				all[at[v]] = w
				at[v]++
			}
		}
	}
	start = make([]int32, n+1)
	for v := range n {
		one := all[count[v]:at[v]]
		slices.Sort(one)
		list = append(list, slices.Compact(one)...)
		start[v+1] = int32(len(list))
	}
	return start, list
}
