package stage

import (
	"math"
	"strings"
	"testing"

	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// strange is a sequence and the points of a file with names, units and axes of its own.
func strange(t *testing.T) (*shot.Element, *frame.Points) {
	t.Helper()
	e := shot.New("s").Add(shot.Sequence)
	for _, p := range []val.Pair{val.Axes.Is("z-up"), val.Scale.Is(0.01), val.HeatIs.Is("celsius"), val.VelocityIs.Is("frame"), val.Position.Is(1, 0, 0)} {
		if err := e.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	return e, &frame.Points{P: [][3]float32{{100, 0, 200}, {0, 300, 0}}, V: [][3]float32{{10, 0, 0}, {0, 0, 20}},
		Extra: []frame.Attribute{{Name: "pid", V: []float32{7, 9}}, {Name: "Radius", V: []float32{5, 10}}, {Name: "temp", V: []float32{20, 700}}, {Name: "charge", V: []float32{1, 2}}}}
}

// Points from outside come out under our names, in metres, kelvin and metres a second, y up,
// with every other number under its own name.
func TestParticlesFromOutside(t *testing.T) {
	e, p := strange(t)
	o, err := Particles(p, e, 1, 293, 24)
	if err != nil {
		t.Fatal(err)
	}
	near := func(a, b [3]float32) bool {
		for k := range a {
			if math.Abs(float64(a[k]-b[k])) > 1e-4 {
				return false
			}
		}
		return true
	}
	// z up becomes y up: (x, y, z) to (x, z, −y)
	if !near(o.Points.P[0], [3]float32{2, 2, 0}) || !near(o.Points.P[1], [3]float32{1, 0, -3}) {
		t.Errorf("places %v", o.Points.P)
	}
	if !near(o.Points.V[0], [3]float32{2.4, 0, 0}) || !near(o.Points.V[1], [3]float32{0, 4.8, 0}) {
		t.Errorf("velocities %v", o.Points.V)
	}
	for name, want := range map[string][]float32{"id": {7, 9}, "size": {0.1, 0.2}, "temperature": {293.15, 973.15}, "charge": {1, 2}} {
		got := o.Points.Of(name)
		for i, v := range want {
			if got == nil || math.Abs(float64(got[i]-v)) > 1e-3 {
				t.Errorf("%s is %v, %v was expected", name, got, want)
				break
			}
		}
	}
	if o.Read["size"] != "Radius" || o.Read["id"] != "pid" || len(o.Notes) != 0 || o.Points.Of("pid") != nil {
		t.Errorf("read from %v, notes %v", o.Read, o.Notes)
	}
	if p.P[0] != [3]float32{100, 0, 200} || p.Of("temp")[0] != 20 {
		t.Error("the file's own points were changed")
	}
	val.SizeFrom.Set(e, "mass")
	if _, err := Particles(p, e, 1, 293, 24); err == nil || !strings.Contains(err.Error(), "mass") || !strings.Contains(err.Error(), "Radius") {
		t.Errorf("a size that isn't there: %v", err)
	}
}

// Points without identity, or with one that occurs twice or is no whole number, are told by
// their place in the file, and it is said.
func TestParticlesWithoutIdentity(t *testing.T) {
	for name, ids := range map[string][]float32{"no identity": nil, "occurs twice": {4, 4}, "is no identity": {1.5, 2}} {
		e, p := strange(t)
		p.Extra = p.Extra[1:]
		if ids != nil {
			p.Extra = append(p.Extra, frame.Attribute{Name: "id", V: ids})
		}
		o, err := Particles(p, e, 1, 293, 24)
		if err != nil {
			t.Fatal(err)
		}
		if id := o.Points.Of("id"); len(id) != 2 || id[0] != 0 || id[1] != 1 || len(o.Notes) != 1 || !strings.Contains(o.Notes[0], name) {
			t.Errorf("%s: identities %v, said %q", name, id, o.Notes)
		}
	}
}

// By identity, whatever the order: what is new is young, what is gone is there once more as
// dead, and what has no velocity has that of its way.
func TestParticlesSinceTheFrameBefore(t *testing.T) {
	e := shot.New("s").Add(shot.Sequence)
	at := func(ids []float32, x ...float32) *Outside {
		p := &frame.Points{Extra: []frame.Attribute{{Name: "id", V: ids}, {Name: "size", V: make([]float32, len(ids))}}}
		for _, v := range x {
			p.P = append(p.P, [3]float32{v, 0, 0})
		}
		o, err := Particles(p, e, 1, 293, 10)
		if err != nil {
			t.Fatal(err)
		}
		return o
	}
	before := at([]float32{1, 2, 1 << 25}, 0, 5, 7)
	before.Since(nil, 10)
	if age := before.Points.Of("age"); age[0] != 0 || before.Points.V != nil {
		t.Errorf("on the first frame ages are %v", age)
	}
	now := at([]float32{1 << 25, 3, 1}, 9, 1, 0.5)
	now.Since(before, 10)
	p := now.Points
	if len(p.P) != 4 || p.Of("state")[3] != frame.Gone || p.P[3][0] != 5 || p.Of("id")[3] != 2 {
		t.Fatalf("%v with states %v and identities %v", p.P, p.Of("state"), p.Of("id"))
	}
	if age := p.Of("age"); age[1] != 0 || age[0] < 0.5 || age[2] < 0.5 || age[3] == 0 {
		t.Errorf("ages %v: the second is new", age)
	}
	if p.V[0][0] != 20 || p.V[1][0] != 0 || p.V[2][0] != 5 {
		t.Errorf("velocities %v", p.V)
	}
	if len(p.Alive().P) != 3 {
		t.Error("the dead one counts as alive")
	}
}
