package liquid

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// thrown is a ball of water that flies across a large box and falls on its floor.
func thrown(size float64) *shot.Shot {
	s := shot.New("T")
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, size, 3, size)
	val.Position.Set(d, 0, 1.5, 0)
	val.Voxel.Set(d, 0.06)
	val.CachePoints.Set(d, "all")
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "sphere")
	val.Size.Set(e, 0.5, 0.5, 0.5)
	val.Position.Set(e, -1.5, 2.2, 0)
	val.Pours.Set(e, "once")
	val.Push.Set(e, 4, 1, 0)
	return s
}

// TestWindowGoesAlong: a ball thrown through a box of a million voxels needs a part of them,
// moves as in a box that has room for nothing else, lies where it should in its frames, and
// resumes with the same bits.
func TestWindowGoesAlong(t *testing.T) {
	big := thrown(8)
	l, err := NewStage(big, "", grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	_, home := l.Solver.Window()
	most := 0
	var saved bytes.Buffer
	var mid geom.Vec3
	for n := range 20 {
		if n == 12 {
			if err := l.SaveState(&saved); err != nil {
				t.Fatal(err)
			}
		}
		if _, _, err := l.Advance(nil); err != nil {
			t.Fatal(err)
		}
		if n < 10 { // in flight
			most = max(most, l.Solver.Len())
		}
		mid = geom.Vec3{}
		for i := range l.Solver.P {
			mid = mid.Add(l.Solver.where(&l.Solver.P[i].X).Mul(1 / float64(len(l.Solver.P))))
		}
		// a throw: 4 m/s along, up with 1 m/s and down with gravity
		at := float64(n+1) / 24
		if want := geom.V(-1.5+4*at, 2.2+at-9.81/2*at*at, 0); n < 10 && mid.Sub(want).Len() > 0.1 {
			t.Fatalf("after %d frames it is at %v, not %v", n+1, mid, want)
		}
	}
	if home.Len() < 800e3 || most > home.Len()/3 {
		t.Errorf("%d of %d voxels were worked on", most, home.Len())
	}
	f := l.Frame()
	var sum, x float64
	d := f.Grid(frame.Density)
	for _, leaf := range d.Leaves {
		for n, v := range leaf.Values {
			sum += float64(v)
			x += float64(v) * (d.Transform.M[3][0] + float64(int(leaf.Origin[0])+n/64)*home.H)
		}
	}
	if math.Abs(x/sum-mid.X) > 0.02 {
		t.Errorf("in its frame it lies at x = %.3f, its particles at %.3f", x/sum, mid.X)
	}
	if p := f.Points.P[0]; math.Abs(float64(p[0])-mid.X) > 1.5 {
		t.Errorf("a particle of its frame is at %v", p)
	}
	b, _ := NewStage(big, "", grid.NewCrew(1))
	if err := b.LoadState(&saved, true); err != nil {
		t.Fatal(err)
	}
	for range 8 {
		if _, _, err := b.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	b.Frame() // which puts particles in order, as it did with the others
	if len(b.Solver.P) != len(l.Solver.P) || b.Solver.low0 != l.Solver.low0 {
		t.Fatalf("resumed: %d particles, %v", len(b.Solver.P), b.Solver.low0)
	}
	for i := range b.Solver.P {
		if b.Solver.P[i] != l.Solver.P[i] {
			t.Fatalf("resumed, particle %d is %v, not %v", i, b.Solver.P[i], l.Solver.P[i])
		}
	}
}
