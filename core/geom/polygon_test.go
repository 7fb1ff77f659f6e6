package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

func TestPolygonsAreCutIntoTheirArea(t *testing.T) {
	arrow := []Vec3{V(0, 0, 0), V(2, 1, 0), V(0, 2, 0), V(0.5, 1, 0)} // a dart: one corner points inwards
	comb := []Vec3{}
	for i := range 6 {
		x := float64(i)
		comb = append(comb, V(x, 0, 0), V(x+0.5, 5, 0))
	}
	comb = append(comb, V(6, 0, 0), V(6, -1, 0), V(0, -1, 0))
	for name, c := range map[string]struct {
		p    []Vec3
		area float64
	}{"dart": {arrow, 1.5}, "comb": {comb, 6 + 6*0.5*5}} {
		// lying anywhere in space
		turn := RotationXYZ(V(30, 40, 50))
		p := make([]Vec3, len(c.p))
		poly := make([]int32, len(c.p))
		for i := range p {
			p[i], poly[i] = turn.Apply(c.p[i]).Add(V(3, -2, 1)), int32(i)
		}
		if name == "comb" { // it was listed clockwise
			for i := range poly {
				poly[i] = int32(len(poly) - 1 - i)
			}
		}
		tri := Triangulate(p, poly)
		m := &Mesh{P: p, Tri: tri}
		if len(tri) != len(p)-2 || math.Abs(m.Area()-c.area) > 1e-9 {
			t.Errorf("%s: %d triangles of area %g, want %d of %g", name, len(tri), m.Area(), len(p)-2, c.area)
		}
	}
	if Triangulate(nil, []int32{0, 1}) != nil {
		t.Error("two corners make a face")
	}
}

// A polygon that crosses itself is cut somehow, in bounded time.
func TestHostilePolygonsEnd(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	p, poly := make([]Vec3, 3000), make([]int32, 3000)
	for i := range p {
		p[i], poly[i] = V(rng.Float64(), rng.Float64(), 0), int32(i)
	}
	if n := len(Triangulate(p, poly)); n != 2998 {
		t.Errorf("%d triangles", n)
	}
}

func ring(x, y, r float64, n int, clockwise bool) (out [][2]float64) {
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		if clockwise {
			a = -a
		}
		out = append(out, [2]float64{x + r*math.Cos(a), y + r*math.Sin(a)})
	}
	return out
}

func TestOutlinesNestAndExtrudeClosed(t *testing.T) {
	// a disk with two holes, an island in one of them, and a disk elsewhere,
	// drawn in any direction and order
	list := [][][2]float64{ring(-0.4, 0, 0.3, 60, false), ring(0, 0, 1, 90, true), ring(0.4, 0, 0.3, 60, true), ring(-0.4, 0, 0.1, 30, true), ring(5, 0, 0.5, 60, false)}
	o := Outlines(list)
	if len(o) != 3 {
		t.Fatalf("%d outlines", len(o))
	}
	flat := math.Pi * (1 - 2*0.09 + 0.01 + 0.25)
	for _, bevel := range []float64{0, 0.05} {
		m := Extrude(o, 0.4, bevel)
		want := flat * 0.4
		if bevel > 0 { // each rim loses half a square of the bevel, twice
			want -= bevel * bevel * 2 * math.Pi * (1 + 2*0.3 + 0.1 + 0.5)
		}
		if m.OpenEdges() != 0 || math.Abs(m.Volume()/want-1) > 6e-3 {
			t.Errorf("bevel %g: %d open edges, volume %g, want %g", bevel, m.OpenEdges(), m.Volume(), want)
		}
	}
	// a bevel wider than the shape allows is made as wide as it can be
	if m := Extrude(Outlines([][][2]float64{ring(0, 0, 0.1, 24, false)}), 1, 0.3); m.OpenEdges() != 0 || m.Volume() < 0.01 {
		t.Errorf("%d open edges, volume %g", m.OpenEdges(), m.Volume())
	}
}

func TestLineRunsThroughItsPointsWithoutLoops(t *testing.T) {
	p := []Vec3{V(0, 0, 0), V(1, 0, 0), V(1.05, 0.1, 0), V(3, 1, 0), V(3, 4, 2)}
	l := NewLine(p, false, 20)
	if len(l.P) != 81 || l.S[0] != 0 || math.Abs(l.S[80]-1) > 1e-12 {
		t.Fatalf("%d points, shares %g to %g", len(l.P), l.S[0], l.S[len(l.S)-1])
	}
	for i, q := range p {
		if d := l.P[20*i].Dist(q); d > 1e-9 {
			t.Errorf("it misses point %d by %g", i, d)
		}
	}
	for i := 2; i < len(l.P); i++ { // no piece turns back on the one before
		if l.P[i].Sub(l.P[i-1]).Dot(l.P[i-1].Sub(l.P[i-2])) < 0 {
			t.Errorf("it turns back at piece %d", i)
		}
	}
	c := NewLine(p, true, 10)
	if c.P[0].Dist(c.P[len(c.P)-1]) > 1e-9 || len(c.P) != 51 {
		t.Error("a closed line isn't closed")
	}
	if n := NewLine([]Vec3{V(1, 1, 1), V(1, 1, 1)}, true, 5); len(n.P) != 0 {
		t.Error("a point became a line")
	}
}

func TestThinnedMeshesKeepTheirShape(t *testing.T) {
	m := BallMesh(1, 300)
	s := m.Thin(5000)
	if len(s.Tri) > 5000 || len(s.Tri) < 1000 || math.Abs(s.Bounds().Size().X-2) > 0.05 || math.Abs(s.Area()/(4*math.Pi)-1) > 0.1 {
		t.Errorf("%d triangles, %v, area %g", len(s.Tri), s.Bounds().Size(), s.Area())
	}
}

func TestAffines(t *testing.T) {
	q := AxisAngle(V(1, 2, 2).Unit(), 1.1)
	a := TRS(V(1, 2, 3), q, V(2, 3, 0.5))
	inv, ok := a.Inverse()
	p := V(0.3, -2, 5)
	if !ok || a.Then(inv).Point(p).Dist(p) > 1e-12 || math.Abs(a.Det()-3) > 1e-12 || a.Rigid(1e-6) {
		t.Errorf("there and back: %v, determinant %g", a.Then(inv).Point(p), a.Det())
	}
	if r := (Affine{M: q.Mat3()}); !r.Rigid(1e-9) {
		t.Error("a turn isn't rigid")
	}
	if _, ok := (Affine{}).Inverse(); ok {
		t.Error("a flat transform has an inverse")
	}
	for _, deg := range []Vec3{V(10, 20, 30), V(-170, 60, 5), V(40, 90, 0), V(0, -90, 70)} {
		m := RotationXYZ(deg)
		if n := RotationXYZ(m.Angles()); n.Apply(p).Dist(m.Apply(p)) > 1e-9 {
			t.Errorf("angles %v come back as %v", deg, m.Angles())
		}
	}
	half := Slerp(Quat{W: 1}, AxisAngle(V(0, 1, 0), 2), 0.5)
	if w := AxisAngle(V(0, 1, 0), 1); math.Abs(half.Y-w.Y)+math.Abs(half.W-w.W) > 1e-12 {
		t.Errorf("halfway: %v, want %v", half, w)
	}
}
