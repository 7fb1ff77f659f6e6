package mote

import (
	"math"
	"reflect"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// ramp is a field that rises from 0 to 1 along x.
func ramp(n int) *grid.Field {
	f := grid.NewField(grid.Dims{NX: n, NY: n, NZ: n})
	for i := range f.Data {
		f.Data[i] = (float32(i%n) + 0.5) / float32(n)
	}
	return f
}

// Where a channel is between two values, so many are born as its room and the rate say,
// evenly over it, and the same on any number of threads.
func TestChannelsLetParticlesBeBorn(t *testing.T) {
	const n = 40
	o := &Source{Field: ramp(n), H: 1.0 / n, Origin: geom.V(1, 2, 3), When: Between, Low: 0.25, High: 0.75, Rate: 48e3}
	a, f := o.Places(1.0/24, 7, 5, grid.NewCrew(1))
	b, _ := o.Places(1.0/24, 7, 5, grid.NewCrew(3))
	if !reflect.DeepEqual(a, b) {
		t.Error("threads change what is born")
	}
	if f.Cells != n*n*n/2 || math.Abs(f.Expected-1000) > 1e-6 || math.Abs(float64(len(a))-1000) > 4*math.Sqrt(1000) {
		t.Errorf("%d are born in %d cells, %.0f expected, want 1000", len(a), f.Cells, f.Expected)
	}
	var mean geom.Vec3
	for _, p := range a {
		q := p.P.Sub(o.Origin)
		if q.X < 0.25 || q.X > 0.75 || q.Y < 0 || q.Y > 1 || q.Z < 0 || q.Z > 1 {
			t.Fatalf("one is born at %.3v", p.P)
		}
		mean = mean.Add(q.Mul(1 / float64(len(a))))
	}
	if mean.Dist(geom.V(0.5, 0.5, 0.5)) > 0.04 {
		t.Errorf("their middle is %.3v", mean)
	}
	other, _ := o.Places(1.0/24, 8, 5, grid.NewCrew(1))
	if reflect.DeepEqual(a, other) {
		t.Error("two frames bear alike")
	}
	o.Limit = 300
	if l, _ := o.Places(1.0/24, 7, 5, grid.NewCrew(2)); len(l) > 300 || len(l) < 230 {
		t.Errorf("%d are born under a limit of 300", len(l))
	}
	o.Low, o.High = 2, 3
	if l, f := o.Places(1.0/24, 7, 5, grid.NewCrew(2)); len(l) != 0 || f.Low != 0.0125 || f.High != 0.9875 {
		t.Errorf("%d are born, and the channel is said to run from %g to %g", len(l), f.Low, f.High)
	}
}

// A value that falls below a threshold bears once, in the frame in which it does.
func TestCrossingsBearOnce(t *testing.T) {
	f := ramp(20)
	cooler := grid.NewField(f.Dims)
	for i, v := range f.Data {
		cooler.Data[i] = v - 0.1
	}
	o := &Source{Field: cooler, Was: f, H: 0.05, When: Falls, Low: 0.5, Rate: 1 / (0.05 * 0.05 * 0.05)}
	l, got := o.Places(1.0/24, 1, 1, grid.NewCrew(1))
	if got.Cells != 2*400 || len(l) != 800 {
		t.Errorf("%d cells bear %d, want 800 of each", got.Cells, len(l))
	}
	o.Was = cooler
	if l, _ := o.Places(1.0/24, 2, 1, grid.NewCrew(1)); len(l) != 0 {
		t.Errorf("%d are born though nothing has changed", len(l))
	}
	o.Was, o.Field, o.When, o.High = cooler, f, Rises, 0.5
	if l, _ := o.Places(1.0/24, 3, 1, grid.NewCrew(1)); len(l) != 800 {
		t.Errorf("%d are born by what rises, want 800", len(l))
	}
}

// Forms bear over their surface by its area, or in their room, wherever they stand.
func TestFormsBear(t *testing.T) {
	turn := geom.V(20, 30, 40)
	f := &Form{Emitter: sim.Emitter{Shape: plate(geom.Block, geom.V(3, 1, 2), geom.V(1, 0.2, 2), turn), Surface: 1}, Rate: 48000}
	f.Before = f.Shape
	l := f.Places(1.0/24, 3, 9)
	if len(l) != 2000 {
		t.Fatalf("%d are born, want 2000", len(l))
	}
	top := 0
	for _, p := range l {
		if d := f.Shape.Distance(p.P); math.Abs(d) > 1e-9 {
			t.Fatalf("one is born %g m off the surface", d)
		}
		if f.Shape.Normal(p.P.Add(p.Normal.Mul(1e-4))).Dot(p.Normal) < 0.99 {
			t.Fatalf("at %.3v the normal is said to be %.3v", p.P, p.Normal)
		}
		if f.Shape.Turn.Back(p.Normal).Y > 0.9 {
			top++
		}
	}
	// the top is 2 of 2·(2 + 0.2 + 0.4) square metres
	if want := 2000 * 2 / 5.2; math.Abs(float64(top)-want) > 4*math.Sqrt(want) {
		t.Errorf("%d are born on the top, want about %.0f", top, want)
	}
	f.Surface, f.Shape.Form = 0, geom.Sphere
	for _, p := range f.Places(1.0/24, 3, 9) {
		if f.Shape.Distance(p.P) > 0 {
			t.Fatalf("one is born outside, at %.3v", p.P)
		}
	}
}

// Traits spread evenly round their values, and identities last.
func TestBornParticlesHaveTheirTraits(t *testing.T) {
	s := &Set{}
	places := make([]Place, 4000)
	for i := range places {
		places[i] = Place{V: geom.V(1, 0, 0), Normal: geom.V(0, 1, 0), Heat: 500}
	}
	b := &Born{Life: Trait{2, 0.5}, Size: Trait{0.01, 0.002}, Density: Trait{200, 0}, Heat: Trait{50, 10}, Warm: true, Inherit: 0.5, Speed: Trait{3, 1}, Spin: 4, Own: map[string]Trait{"soot": {0.3, 0.1}}}
	if first := s.Bear(places, b, 11, grid.NewCrew(2)); first != 0 || s.Bear(places[:10], b, 11, grid.NewCrew(1)) != 4000 {
		t.Fatal("rows aren't in their order")
	}
	spread := func(what string, v []float32, value, by float64) {
		lo, hi, mean := math.Inf(1), math.Inf(-1), 0.0
		for _, x := range v[:4000] {
			lo, hi, mean = min(lo, float64(x)), max(hi, float64(x)), mean+float64(x)/4000
		}
		if math.Abs(mean-value) > 0.05*by+1e-6 || lo < value-by*1.001-1e-4 || hi > value+by*1.001+1e-4 || hi-lo < 1.9*by {
			t.Errorf("%s is from %g to %g with a mean of %g, want %g ± %g", what, lo, hi, mean, value, by)
		}
	}
	spread("life", s.Life, 2, 0.5)
	spread("size", s.Size, 0.01, 0.002)
	spread("density", s.Density, 200, 0)
	spread("heat", s.Heat, 550, 10)
	spread("speed along the normal", s.V[1], 3, 1)
	spread("speed that is handed on", s.V[0], 0.5, 0)
	spread("soot", s.Own[0].V, 0.3, 0.1)
	if err := s.Check(); err != nil {
		t.Error(err)
	}
	for i := range s.State {
		if i%3 != 0 {
			s.State[i] = Dead
		}
	}
	if gone := s.Sweep(); gone != 2673 || s.ID[1] != 3 || s.ID[s.Len()-1] != 4008 {
		t.Errorf("%d are gone; identities run from %d, %d to %d", gone, s.ID[0], s.ID[1], s.ID[s.Len()-1])
	}
	s.Heat[5] = float32(math.NaN())
	if s.Check() == nil {
		t.Error("a value that is none passes")
	}
}

// Others are born at a particle's birth, an age, its death, where it hits, and all its way.
func TestParticlesBearOthers(t *testing.T) {
	s := scatter(100, geom.V(0, 1, 0), geom.V(1, 1, 1), 0.01, 1000, 4)
	for i := range 100 {
		s.Life[i], s.V[0][i], s.Heat[i] = 0.3+float32(i)/100, 2, 700
	}
	floor := plate(geom.Block, geom.V(0, -0.5, 0), geom.V(90, 1, 90), geom.Vec3{})
	w := &World{Gravity: geom.V(0, -9.81, 0), Still: Fluid{Viscosity: 1e-9}, Solids: []sim.Collider{{Shape: floor, Before: floor}}, Contact: sim.Contact{Bounce: 0.5}}
	got := map[Moment]int{}
	const dt = 1.0 / 24
	for frame := range 48 {
		first := s.Len()
		if frame == 0 {
			first = 0
		}
		did := s.Step(dt, w, grid.NewCrew(2))
		for _, m := range []Moment{AtBirth, AtAge, AtDeath, OnHit, Along} {
			o := &Offspring{At: m, Age: 0.25, Count: 2}
			l := o.Places(s, &did, first, dt, frame, 1)
			got[m] += len(l)
			if m == AtDeath && len(l) > 0 && l[0].Heat != 700 {
				t.Errorf("the heat of the dead is %g", l[0].Heat)
			}
		}
		s.Sweep()
	}
	if got[AtBirth] != 200 || got[AtAge] != 200 || got[AtDeath] != 200 || s.Len() != 0 {
		t.Errorf("born: %v; %d are left", got, s.Len())
	}
	// they fall for 0.45 s, so some nine tenths hit the floor, some more often
	if got[OnHit] < 150 || got[OnHit] > 900 {
		t.Errorf("%d by hits", got[OnHit])
	}
	// 0.8 s of life on the mean, two a second
	if want := 100 * 0.795 * 2; math.Abs(float64(got[Along])-want) > 40 {
		t.Errorf("%d along the way, want about %.0f", got[Along], want)
	}
}

// In their order near ones lie side by side, each with all that is its own.
func TestGatheringKeepsParticlesWhole(t *testing.T) {
	s := scatter(3000, geom.Vec3{}, geom.V(1, 2, 3), 0.01, 100, 8)
	far := func() (sum float64) {
		for i := 1; i < s.Len(); i++ {
			sum += s.at(i).Dist(s.at(i - 1))
		}
		return sum
	}
	for i := range s.Age {
		s.Age[i] = s.P[0][i] + 2*s.P[1][i] + 4*s.P[2][i] + float32(s.ID[i])
	}
	before := far()
	s.Gather(grid.NewCrew(2))
	if after := far(); after > before/5 {
		t.Errorf("from one to the next it was %.1f m, and is %.1f m", before, after)
	}
	for i := range s.Age {
		if s.Age[i] != s.P[0][i]+2*s.P[1][i]+4*s.P[2][i]+float32(s.ID[i]) {
			t.Fatalf("particle %d has got another's values", s.ID[i])
		}
	}
	if err := s.Check(); err != nil {
		t.Error(err)
	}
	s.ID[4] = s.ID[5]
	if s.Check() == nil {
		t.Error("an identity that occurs twice passes")
	}
}

// Places take the velocity and the temperature of the fluid where they are.
func TestPlacesReadTheFluid(t *testing.T) {
	w := whirl(32)
	o := &Source{Field: ramp(32), H: w.H, When: Between, High: 1, Rate: 24 * 500, Velocity: [3]*grid.Field{w.U, w.V, w.W}, Heat: w.Excess}
	l, _ := o.Places(1.0/24, 3, 2, grid.NewCrew(2))
	if len(l) < 400 {
		t.Fatalf("%d are born", len(l))
	}
	for _, p := range l {
		// at the rim the field repeats itself
		if q := p.P; q.X < 0.05 || q.Z < 0.05 || q.X > 0.95 || q.Z > 0.95 {
			continue
		}
		if want := geom.V(-2*(p.P.Z-0.5), 0, 2*(p.P.X-0.5)); p.V.Dist(want) > 1e-5 || p.Heat != 100 {
			t.Fatalf("at %.3v the fluid has %.4v m/s and %g K, want %.4v and 100", p.P, p.V, p.Heat, want)
		}
	}
}

// In a liquid particles are only where it fills their cell: a bubble of a millimetre rises
// there, and falls in the air above it.
func TestALiquidIsWhereItIsFull(t *testing.T) {
	n := 8
	d := grid.Dims{NX: n, NY: n, NZ: n}
	f := Field{Fluid: water, Grid: d, U: grid.NewField(d), V: grid.NewField(d), W: grid.NewField(d), Centred: true, H: 0.1, Full: grid.NewField(d)}
	for k := range n {
		for j := range n / 2 {
			for i := range n {
				f.Full.Set(i, j, k, 1)
				f.U.Set(i, j, k, 0.3)
			}
		}
	}
	s := new(Set)
	s.Bear([]Place{{P: geom.V(0.4, 0.15, 0.4)}, {P: geom.V(0.4, 0.7, 0.4)}}, &Born{Size: Trait{Value: 0.001}, Density: Trait{Value: 20}}, 1, grid.NewCrew(1))
	for range 20 {
		s.Step(0.005, &World{Gravity: geom.V(0, -9.81, 0), Still: Air, Fields: []Field{f}}, grid.NewCrew(1))
	}
	if s.V[1][0] < 0.05 || s.V[0][0] < 0.1 {
		t.Errorf("in the liquid it goes %g along and %g up", s.V[0][0], s.V[1][0])
	}
	if s.V[1][1] > -0.05 || s.V[0][1] != 0 {
		t.Errorf("above it goes %g along and %g up", s.V[0][1], s.V[1][1])
	}
}
