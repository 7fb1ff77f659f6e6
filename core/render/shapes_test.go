package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// one is a particle of a shape in the middle of the picture.
func one(size float32, shape Shape) *Motes {
	shape.Upright = true
	return &Motes{P: [][3]float32{{0.013, 0.021, 0}}, Size: []float32{size}, Heat: []float32{1500}, Shape: shape}
}

// A shape covers what its outline does, by both methods, at rest, as it turns and as it
// flies by; a small one covers the mean over all sides, and a moving one loses nothing. Near
// sides are a little larger for being nearer.
func TestShapesCoverTheirOutline(t *testing.T) {
	box := NewShape([]*geom.Mesh{geom.BoxMesh(geom.V(3, 3, 3))}, geom.V(1, 1, 1))
	slab := NewShape([]*geom.Mesh{geom.BoxMesh(geom.V(1, 1, 1))}, geom.V(1, 0.5, 0.1))
	ball := NewShape([]*geom.Mesh{geom.BallMesh(1, 24)}, geom.V(1, 1, 1))
	along := slab
	along.Along = true
	for _, c := range []struct {
		name  string
		shape Shape
		size  float32
		v     [3]float32
		turn  [3]float32
		spin  [3]float32
		want  float64 // of the diameter's square
	}{
		{"a cube from before", box, 0.6, [3]float32{}, [3]float32{}, [3]float32{}, 1.063},
		{"a cube turned by 45°", box, 0.6, [3]float32{}, [3]float32{0, math.Pi / 4, 0}, [3]float32{}, math.Sqrt2},
		{"a slab", slab, 0.6, [3]float32{}, [3]float32{}, [3]float32{}, 0.5},
		{"a slab on edge", slab, 0.6, [3]float32{}, [3]float32{math.Pi / 2, 0, 0}, [3]float32{}, 0.112},
		{"a slab that flies by", slab, 0.6, [3]float32{30, 10, 0}, [3]float32{}, [3]float32{}, 0.5},
		{"a slab that flies along its way", along, 0.6, [3]float32{20, 0, 0}, [3]float32{}, [3]float32{}, 0.5},
		{"a slab that turns half round", slab, 0.6, [3]float32{}, [3]float32{}, [3]float32{0, math.Pi * 48, 0}, (1*0.5 + 0.1*0.5) * 2 / math.Pi * 1.04},
		{"a ball", ball, 0.6, [3]float32{}, [3]float32{}, [3]float32{}, math.Pi / 4},
		{"a small cube", box, 0.004, [3]float32{}, [3]float32{}, [3]float32{}, 1.5},
	} {
		for _, method := range []string{"march", "path"} {
			m := one(c.size, c.shape)
			m.V, m.Turn, m.Spin = [][3]float32{c.v}, [][3]float32{c.turn}, [][3]float32{c.spin}
			s := dots(method, m, 1.0/48)
			red, cover := light(t, s, 160, 90, 2)
			d := float64(c.size) / 10 / s.Camera.spread * 80 // pixels
			glow := look.Glow(1500)[0] * 3
			want := c.want * d * d
			if math.Abs(cover/want-1) > 0.06 || math.Abs(red/glow/want-1) > 0.06 {
				t.Errorf("%s, %s: covers %.3f pixels, and by its light %.3f; it should cover %.3f", method, c.name, cover, red/glow, want)
			}
		}
	}
}

// A face is lit by how it is turned to the sun, and by the side of the sky that it sees; a
// ball's edge is round.
func TestShapesAreLitByTheirFaces(t *testing.T) {
	lit := func(shape Shape, sun geom.Vec3, strength look.RGB) (left, right, top look.RGB) {
		m := one(2, shape)
		m.Heat, m.Turn = nil, [][3]float32{{0, math.Pi / 4, 0}}
		s := dots("march", m, 0)
		s.Look.Sun, s.Look.SunDir, s.Look.MoteColour = strength, sun.Unit(), look.RGB{0.5, 0.5, 0.5}
		s.Camera = NewCamera(geom.V(0, 3, 10), geom.V(0, 0, 0), 50)
		p, err := New(s, 160, 90, grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		p.Pass(nil)
		at := func(x, y int) look.RGB { c, _ := p.At(x, y); return c }
		return at(72, 48), at(88, 48), at(80, 24)
	}
	cube := NewShape([]*geom.Mesh{geom.BoxMesh(geom.V(1, 1, 1))}, geom.V(1, 1, 1))
	// a cube turned by 45° has a face to the right and one to the left
	n := geom.V(math.Sqrt2/2, 0, math.Sqrt2/2)
	left, right, top := lit(cube, geom.V(1, 1, 1), look.RGB{2, 2, 2})
	sun := geom.V(1, 1, 1).Unit()
	for _, f := range []struct {
		name string
		got  look.RGB
		n    geom.Vec3
	}{{"left", left, geom.V(-n.X, 0, n.Z)}, {"right", right, n}, {"top", top, geom.V(0, 1, 0)}} {
		want := 0.5 * 2 * max(f.n.Dot(sun), 0) / math.Pi
		if math.Abs(f.got[0]-want) > 0.02 {
			t.Errorf("the %s face has %.3f, by its cosine %.3f", f.name, f.got[0], want)
		}
	}
}

// Which mesh a particle has stays with its identity, whatever its row, and all occur.
func TestShapesStayWithTheirIdentity(t *testing.T) {
	count := map[int]int{}
	a := Motes{Shape: NewShape([]*geom.Mesh{geom.BoxMesh(geom.V(1, 1, 1)), geom.BallMesh(1, 12), geom.SplinterMesh(1)}, geom.V(1, 1, 1))}
	var mean geom.Vec3
	for id := range uint64(3000) {
		a.ID = append(a.ID, id)
		count[a.Kind(int(id))]++
		mean = mean.Add(a.Stands(int(id)).Apply(geom.V(0, 1, 0)))
	}
	for k, n := range count {
		if k < 0 || k > 2 || n < 900 || n > 1100 {
			t.Errorf("of 3,000 particles %d have mesh %d of 3", n, k)
		}
	}
	if mean.Len() > 150 { // three deviations of 3,000 directions
		t.Errorf("they begin turned %v in the mean", mean.Mul(1.0/3000))
	}
	b := Motes{ID: []uint64{9, 7, 8}, Shape: a.Shape}
	if a.Kind(9) != b.Kind(0) || a.Kind(8) != b.Kind(2) || a.Stands(7) != b.Stands(1) {
		t.Error("a particle took another mesh, or another turn, with another row")
	}
	b.Shape.Along, b.V = true, [][3]float32{{3, 4, 0}, {}, {0, 0, -2}}
	if y := b.Stands(0).Apply(geom.V(0, 1, 0)); y.Sub(geom.V(0.6, 0.8, 0)).Len() > 1e-6 {
		t.Errorf("along its way its y axis is %v", y)
	}
	if z := b.Stands(2).Apply(geom.V(0, 1, 0)); z.Sub(geom.V(0, 0, -1)).Len() > 1e-6 {
		t.Errorf("along its way its y axis is %v", z)
	}
}

// Meshes come down to a size of one about their middle, empty ones are left out, and those of
// many triangles are thinned.
func TestShapesAreMadeReady(t *testing.T) {
	far := geom.BallMesh(3, 128).Move(geom.V(40, 0, 0), 1)
	s := NewShape([]*geom.Mesh{far, {}}, geom.V(1, 2, 1))
	if len(s.Meshes) != 1 {
		t.Fatalf("%d meshes of one and an empty one", len(s.Meshes))
	}
	size := s.Meshes[0].Bounds().Size()
	if n := len(s.Meshes[0].Tri); n > 1.2*shapeTriangles || len(s.thin[0].Tri) > 2*thinTriangles {
		t.Errorf("%d triangles, and %d for small ones", n, len(s.thin[0].Tri))
	}
	if math.Abs(size.X-1) > 0.1 || math.Abs(size.Y-2) > 0.2 || s.Meshes[0].Bounds().Centre().Len() > 0.05 {
		t.Errorf("a ball far off, stretched upwards, is %v large about %v", size, s.Meshes[0].Bounds().Centre())
	}
}
