package geom

import (
	"math"
	"testing"
)

// tiled is a box of n by n squares a side, without those that skip says.
func tiled(n int, skip func(side, i, j int) bool) *Mesh {
	m := &Mesh{}
	for side := range 6 {
		a := side / 2
		at := func(i, j int) Vec3 {
			var p [3]float64
			p[a] = float64(side & 1)
			p[(a+1)%3], p[(a+2)%3] = float64(i)/float64(n), float64(j)/float64(n)
			return FromArray(p)
		}
		for i := range n {
			for j := range n {
				if skip != nil && skip(side, i, j) {
					continue
				}
				o := int32(len(m.P))
				m.P = append(m.P, at(i, j), at(i+1, j), at(i+1, j+1), at(i, j+1))
				if side&1 == 1 {
					m.Tri = append(m.Tri, [3]int32{o, o + 1, o + 2}, [3]int32{o, o + 2, o + 3})
				} else {
					m.Tri = append(m.Tri, [3]int32{o, o + 2, o + 1}, [3]int32{o, o + 3, o + 2})
				}
			}
		}
	}
	return m
}

// Holes are found where they are, however small, and none where there is none.
func TestHoles(t *testing.T) {
	if list := tiled(8, nil).Holes(); len(list) != 0 {
		t.Fatalf("a closed box has holes: %+v", list)
	}
	list := tiled(8, func(side, i, j int) bool {
		return side == 3 && i == 2 && j == 5 || side == 0 && (i == 4 || i == 5) && j == 1
	}).Holes()
	if len(list) != 2 {
		t.Fatalf("%d holes: %+v", len(list), list)
	}
	wide := list[0]
	if wide.Centre.Sub(V(0, 5.0/8, 1.5/8)).Len() > 1e-9 || math.Abs(wide.Across-math.Hypot(2, 1)/8) > 1e-9 || wide.Edges != 6 {
		t.Errorf("the wide one is %+v", wide)
	}
	if small := list[1]; small.Centre.Sub(V(5.5/8, 1, 2.5/8)).Len() > 1e-9 || small.Edges != 4 {
		t.Errorf("the small one is %+v", small)
	}
}

// A mesh that goes through itself is told from two bodies that touch, and from one alone.
func TestCrossing(t *testing.T) {
	m := tiled(4, nil)
	if at, found := m.Crossing(NewTree(m)); found {
		t.Errorf("a box crosses itself at %v", at)
	}
	for _, c := range []struct {
		by   Vec3
		want bool
	}{{V(0.5, 0.47, 0.53), true}, {V(3, 0, 0), false}} {
		m, o := tiled(4, nil), tiled(4, nil)
		for i := range o.P {
			o.P[i] = o.P[i].Add(c.by)
		}
		n := int32(len(m.P))
		m.P = append(m.P, o.P...)
		for _, f := range o.Tri {
			m.Tri = append(m.Tri, [3]int32{f[0] + n, f[1] + n, f[2] + n})
		}
		if at, found := m.Crossing(NewTree(m)); found != c.want {
			t.Errorf("boxes %v apart: %v at %v", c.by, found, at)
		}
	}
}

// A way meets a plate of a thousandth of its length from either side, and a mesh's faces;
// what runs beside or ends before it doesn't.
func TestMeets(t *testing.T) {
	plate := Shape{Form: Block, Turn: RotationXYZ(V(0, 0, 30)), Centre: V(1, 2, 3), Size: V(4, 0.001, 4)}
	n := plate.Axis()
	fine := plate.Fine(0.05)
	for _, side := range []float64{1, -1} {
		at, normal, ok := plate.Meets(plate.Centre.Add(n.Mul(0.6*side)), plate.Centre.Sub(n.Mul(0.4*side)), fine)
		if !ok || math.Abs(at-(0.6-0.0005)) > 1e-4 || normal.Dot(n)*side < 0.999 {
			t.Errorf("from side %g: %v at %g, %v", side, ok, at, normal)
		}
	}
	along := plate.Turn.Apply(V(1, 0, 0))
	from := plate.Centre.Add(n.Mul(0.01)).Sub(along)
	if _, _, ok := plate.Meets(from, from.Add(along.Mul(2)), fine); ok || !plate.Beside(from, from.Add(along.Mul(2))) {
		t.Error("a way along the plate meets it")
	}
	if plate.Beside(from, from.Add(along).Sub(n.Mul(0.1))) {
		t.Error("a way through the plate is said to run beside it")
	}
	body, err := NewBody(tiled(4, nil), 0.2)
	if err != nil {
		t.Fatal(err)
	}
	box := Shape{Form: Imported, Turn: RotationXYZ(Vec3{}), Size: V(1, 1, 1), Body: body}
	at, normal, ok := box.Meets(V(0.55, 0.45, -1), V(0.55, 0.45, 3), 1)
	if !ok || math.Abs(at-0.25) > 1e-9 || normal.Z > -0.999 {
		t.Errorf("a mesh: %v at %g, %v", ok, at, normal)
	}
	if _, normal, ok = box.Meets(V(0.55, 0.45, 0.5), V(0.55, 0.45, 3), 1); !ok || normal.Z > -0.999 {
		t.Errorf("a mesh from within: %v, %v", ok, normal)
	}
	before := plate
	before.Centre = V(0, 0, 0)
	if p := Carried(&before, &plate, V(0.1, 0.2, 0.3)); p.Sub(V(1.1, 2.2, 3.3)).Len() > 1e-12 {
		t.Errorf("carried to %v", p)
	}
}

// TestInsideOutIsTheSame: a mesh whose faces look inwards, or that was mirrored by a scale of −1,
// is as solid as it was.
func TestInsideOutIsTheSame(t *testing.T) {
	m := BallMesh(0.5, 24)
	turned := &Mesh{P: m.P}
	for _, f := range m.Tri {
		turned.Tri = append(turned.Tri, [3]int32{f[0], f[2], f[1]})
	}
	mirrored := &Mesh{Tri: m.Tri}
	for _, p := range m.P {
		mirrored.P = append(mirrored.P, V(-p.X, p.Y, p.Z))
	}
	want, err := madeBody(m, 0.1, pair)
	if err != nil {
		t.Fatal(err)
	}
	for name, other := range map[string]*Mesh{"turned": turned, "mirrored": mirrored} {
		b, err := madeBody(other, 0.1, pair)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		for _, q := range []Vec3{V(0, 0, 0), V(0.2, 0.1, 0.1), V(0.7, 0, 0), V(0, -0.45, 0.1)} {
			if name == "mirrored" {
				if d, w := b.Distance(V(-q.X, q.Y, q.Z)), want.Distance(q); d-w > 0.02 || w-d > 0.02 {
					t.Errorf("%s: %.3f at %v, not %.3f", name, d, q, w)
				}
			} else if d, w := b.Distance(q), want.Distance(q); d-w > 1e-6 || w-d > 1e-6 {
				t.Errorf("%s: %.3f at %v, not %.3f", name, d, q, w)
			}
		}
	}
}
