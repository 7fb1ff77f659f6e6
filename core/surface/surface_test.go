package surface

import (
	"math"
	"slices"
	"sync"
	"testing"

	"zarf/core/geom"
)

func pair(n, _ int, fn func(lo, hi int)) {
	var wg sync.WaitGroup
	half := n / 2
	wg.Go(func() { fn(0, half) })
	fn(half, n)
	wg.Wait()
}

func ball(n int) *Lattice {
	l := &Lattice{N: [3]int{n, n, n}, H: 2.4 / float64(n-1), Origin: geom.V(-1.2, -1.2, -1.2), V: make([]float32, n*n*n)}
	for k := range n {
		for j := range n {
			for i := range n {
				l.V[l.At(i, j, k)] = float32(l.Origin.Add(geom.V(float64(i), float64(j), float64(k)).Mul(l.H)).Len() - 1)
			}
		}
	}
	return l
}

func TestNetsOfABall(t *testing.T) {
	var last float64
	for _, n := range []int{20, 40, 80} {
		m := Nets(ball(n), 0, pair)
		if o := m.OpenEdges(); o != 0 {
			t.Fatalf("%d open edges", o)
		}
		v := math.Abs(m.Volume()/(4*math.Pi/3) - 1)
		if m.Volume() < 0 || v > 0.03 || (last > 0 && v > last/2.5) {
			t.Errorf("%d points: volume off by %g, before %g", n, v, last)
		}
		last = v
	}
	a, b := Nets(ball(30), 0.1, pair), Nets(ball(30), 0.1, geom.Alone)
	if !slices.Equal(a.Tri, b.Tri) || !slices.Equal(a.P, b.P) {
		t.Error("the mesh depends on the threads")
	}
}

func TestWrapClosesWhatIsOpen(t *testing.T) {
	// an open box of loose faces, and a torn ball
	box := geom.BoxMesh(geom.V(1, 1, 1))
	box.Tri = box.Tri[:10]
	for name, m := range map[string]*geom.Mesh{"box": box, "ball": geom.BallMesh(0.5, 48).Take(func(n int) bool { return n%61 != 0 })} {
		shell, err := Wrap(m, 0.06, 0, false, pair)
		if err != nil || shell.OpenEdges() != 0 {
			t.Fatalf("%s: %v, %d open edges", name, err, shell.OpenEdges())
		}
		// what is thickened has about its area times the thickness
		if v, want := shell.Volume(), m.Area()*0.06; math.Abs(v/want-1) > 0.2 {
			t.Errorf("%s: shell of volume %g, want about %g", name, v, want)
		}
	}
	torn := geom.BallMesh(0.5, 48).Take(func(n int) bool { return n%61 != 0 })
	solid, err := Wrap(torn, 0.08, 0, true, pair)
	if err != nil || solid.OpenEdges() != 0 {
		t.Fatal(err)
	}
	if v, want := solid.Volume(), 4*math.Pi/3*0.54*0.54*0.54; math.Abs(v/want-1) > 0.03 {
		t.Errorf("solid of volume %g, want %g", v, want)
	}
	if _, err := Wrap(box, 0.0001, 0, true, pair); err == nil {
		t.Error("a lattice of billions of points was begun")
	}
	if _, err := Wrap(box, 0, 0, true, pair); err == nil {
		t.Error("a thickness of 0 was taken")
	}
}

// BenchmarkNets is the goal's case: a level set of 128³.
func BenchmarkNets(b *testing.B) {
	l := ball(128)
	for b.Loop() {
		m := Nets(l, 0, pair)
		b.ReportMetric(float64(len(m.Tri)/2), "quads")
	}
}
