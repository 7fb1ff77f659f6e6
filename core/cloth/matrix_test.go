package cloth

import (
	"math"
	"math/rand"
	"testing"

	"zarf/core/geom"
)

// filled is a matrix of a sheet that is crumpled a little, with some that is held and some that
// slides, and a right-hand side.
func filled(t *testing.T, threads int) (*System, []geom.Vec3) {
	t.Helper()
	r := rand.New(rand.NewSource(2))
	s := system(t, threads, Sheet{ID: "a", Mesh: Rectangle(0.4, 0.4, 20, 20), Warp: geom.V(1, 0, 0), Fabric: canvas, Flat: true})
	for i := range s.X {
		s.X[i] = s.X[i].Add(anywhere(r).Mul(0.004))
	}
	w := earth
	s.deform(s.X, s.V, &w)
	s.gather(s.X, s.V, &w, 1e-4, 1e-2)
	for i := range 20 {
		s.m.fixed[i] = true
	}
	for i := 100; i < 140; i++ {
		s.m.slides[i] = geom.V(0, 0.6, 0.8)
	}
	b := make([]geom.Vec3, len(s.X))
	for i := range b {
		b[i] = anywhere(r)
	}
	return s, b
}

// The matrix is symmetric and positive, and what is held stays.
func TestMatrixIsSymmetric(t *testing.T) {
	s, x := filled(t, 2)
	r := rand.New(rand.NewSource(5))
	y := make([]geom.Vec3, len(x))
	for i := range y {
		y[i] = anywhere(r)
		if s.m.fixed[i] {
			x[i], y[i] = geom.Vec3{}, geom.Vec3{}
		}
		x[i], y[i] = s.m.along(i, x[i]), s.m.along(i, y[i])
	}
	ax, ay := make([]geom.Vec3, len(x)), make([]geom.Vec3, len(x))
	s.m.times(x, ax, 1e-4, s.crew)
	s.m.times(y, ay, 1e-4, s.crew)
	a, b := dot(y, ax, s.crew), dot(x, ay, s.crew)
	if math.Abs(a-b) > 1e-9*math.Abs(a) {
		t.Errorf("yAx is %g, xAy %g", a, b)
	}
	if dot(x, ax, s.crew) <= 0 || dot(y, ay, s.crew) <= 0 {
		t.Error("it isn't positive")
	}
}

// A solve leaves what it is told to, holds what is held, and has the same bits on one thread.
func TestSolve(t *testing.T) {
	solves(t, 60, func(*matrix) {})
	solves(t, 2000, byPatches)
}

// byPatches gives a matrix the preconditioner of large cloth.
func byPatches(m *matrix) { m.direct, m.coarse = nil, newCoarse(m) }

func solves(t *testing.T, most int, change func(m *matrix)) {
	t.Helper()
	var first []geom.Vec3
	for _, threads := range []int{1, 2} {
		s, b := filled(t, threads)
		change(s.m)
		x := make([]geom.Vec3, len(b))
		s.m.prepare(1e-4, s.m.fixed, s.crew)
		rounds := s.m.solve(b, x, 1e-4, 1e-9, 0, most, s.t, s.crew)
		ax := make([]geom.Vec3, len(b))
		s.m.times(x, ax, 1e-4, s.crew)
		var left, all float64
		for i := range b {
			if s.m.fixed[i] {
				if x[i] != (geom.Vec3{}) {
					t.Fatalf("vertex %d is held, and moves by %v", i, x[i])
				}
				continue
			}
			if n := s.m.slides[i]; math.Abs(n.Dot(x[i])) > 1e-9*x[i].Len() {
				t.Fatalf("vertex %d only slides, and moves by %g along the normal", i, n.Dot(x[i]))
			}
			want := s.m.along(i, b[i])
			d := ax[i].Sub(want)
			left, all = left+d.Dot(d), all+want.Dot(want)
		}
		t.Logf("%d rounds leave %.2g", rounds, math.Sqrt(left/all))
		if left > 1e-12*all {
			t.Errorf("after %d rounds %.2g of the right-hand side is left", rounds, math.Sqrt(left/all))
		}
		if first == nil {
			first = x
			continue
		}
		for i := range x {
			if x[i] != first[i] {
				t.Fatalf("vertex %d: two threads give %v, one %v", i, x[i], first[i])
			}
		}
	}
}

// Patches hold about as many vertices as they should, and the factor of their matrix solves it.
func TestPatches(t *testing.T) {
	s, _ := filled(t, 1)
	byPatches(s.m)
	c := s.m.coarse
	count := make([]int, c.n)
	for _, p := range c.of {
		count[p]++
	}
	if c.n < len(s.X)/perPatch || c.n > len(s.X)/4 {
		t.Errorf("%d patches of %d vertices", c.n, len(s.X))
	}
	c.prepare(s.m, 1e-4, s.crew)
	r := rand.New(rand.NewSource(4))
	b := make([]float64, 3*c.n)
	for i := range b {
		b[i] = r.NormFloat64()
	}
	x := append([]float64(nil), b...)
	c.ldl.solve(x)
	for row := range c.n {
		for a := range 3 {
			sum, held := 0.0, false
			for k := c.start[row]; k < c.start[row+1]; k++ {
				for d := range 3 {
					v := c.block[9*int(k)+3*a+d]
					sum += v * x[3*int(c.col[k])+d]
					held = held || int(c.col[k]) == row && a == d && v == 0
				}
			}
			if !held && math.Abs(sum-b[3*row+a]) > 1e-8*(1+math.Abs(b[3*row+a])) {
				t.Fatalf("row %d: %g, not %g", 3*row+a, sum, b[3*row+a])
			}
		}
	}
}

// The stress that pulls is the whole where all pulls, none where all pushes, and never pushes.
func TestPulling(t *testing.T) {
	if p := pulling([3]float64{3, 2, 0.5}); p != [3]float64{3, 2, 0.5} {
		t.Errorf("all pulls: %v", p)
	}
	if p := pulling([3]float64{-3, -2, 0.5}); p != [3]float64{} {
		t.Errorf("all pushes: %v", p)
	}
	p := pulling([3]float64{3, -2, 0})
	if math.Abs(p[0]-3) > 1e-12 || math.Abs(p[1]) > 1e-12 || math.Abs(p[2]) > 1e-12 {
		t.Errorf("pulls along the warp: %v", p)
	}
	p = pulling([3]float64{0, 0, 2}) // shear pulls along one diagonal
	if math.Abs(p[0]-1) > 1e-12 || math.Abs(p[1]-1) > 1e-12 || math.Abs(p[2]-1) > 1e-12 {
		t.Errorf("shear: %v", p)
	}
}
