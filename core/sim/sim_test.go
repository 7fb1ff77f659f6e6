package sim_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

func ExampleVortex_At() {
	v := sim.Vortex{Axis: geom.V(0, 1, 0), Radius: 2, Strength: 10}
	for _, r := range []float64{0.5, 2, 8} {
		fmt.Printf("%.1f m from the axis: %.2f m/s²\n", r, v.At(geom.V(r, 3, 0)).Len())
	}
	// Output:
	// 0.5 m from the axis: 4.71 m/s²
	// 2.0 m from the axis: 10.00 m/s²
	// 8.0 m from the axis: 4.71 m/s²
}

func ExampleStats() {
	st := sim.Stats{Substeps: 2, MaxSpeed: 3.5}
	st.Put(sim.SmokeTotal, 0.25)
	b, _ := json.Marshal(st)
	var back sim.Stats
	fmt.Println(json.Unmarshal(b, &back), back.Substeps, back.Of(sim.SmokeTotal), back.Of(sim.FuelBurnt))
	// Output: <nil> 2 0.25 0
}

func ball(at geom.Vec3, size float64) geom.Shape {
	return geom.Shape{Form: geom.Sphere, Centre: at, Size: geom.V(size, size, size), Turn: geom.RotationXYZ(geom.Vec3{})}
}

// The vortex is Kaufmann's (1962): along the circle 2rR/(R² + r²) of the
// strength, no part of it along or towards the axis unless Draw and Lift say so.
func TestVortexIsKaufmanns(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		axis := geom.V(rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64())
		v := sim.Vortex{Centre: geom.V(1, 2, 3), Axis: axis, Radius: 0.1 + rng.Float64()*3, Strength: 5}
		p := v.Centre.Add(geom.V(rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()).Mul(3))
		u := axis.Unit()
		q := p.Sub(v.Centre)
		out := q.Sub(u.Mul(q.Dot(u)))
		r := out.Len()
		a := v.At(p)
		if math.Abs(a.Dot(u)) > 1e-9 || math.Abs(a.Dot(out)) > 1e-9 {
			t.Fatalf("at %v it pushes along the axis by %g, outwards by %g", p, a.Dot(u), a.Dot(out))
		}
		if want := 5 * 2 * r * v.Radius / (v.Radius*v.Radius + r*r); math.Abs(a.Len()-want) > 1e-9 {
			t.Fatalf("%g m from the axis: %g m/s², want %g", r, a.Len(), want)
		}
		v.Draw, v.Lift = 2, 3
		b := v.At(p).Sub(a)
		if b.Dot(out) >= 0 || b.Dot(u) <= 0 {
			t.Fatalf("drawn %g outwards, lifted %g", b.Dot(out), b.Dot(u))
		}
	}
	v := sim.Vortex{Axis: geom.V(0, 1, 0), Radius: 1, Lift: 2}
	if a := v.At(geom.V(0, 5, 0)); a != geom.V(0, 2, 0) {
		t.Errorf("on the axis %v", a)
	}
}

// Radial pushes are full up to the radius and fall like 1/r² beyond, without a
// jump anywhere; what lies outside of a force's reach gets under a hundredth or
// a fiftieth of it.
func TestForcesFallOffAsTheySay(t *testing.T) {
	r := sim.Radial{Radius: 2, Strength: 8}
	for d, want := range map[float64]float64{1: 8, 2: 8, 4: 2, 8: 0.5} {
		if got := r.At(geom.V(0, d, 0)).Y; math.Abs(got-want) > 1e-9 {
			t.Errorf("%g m from the point: %g m/s², want %g", d, got, want)
		}
	}
	last := r.At(geom.V(1e-12, 0, 0)).Len()
	for d := 0.0; d < 6; d += 0.001 {
		now := r.At(geom.V(d, 0, 0)).Len()
		if math.Abs(now-last) > 0.05 {
			t.Fatalf("a jump of %g at %g m", now-last, d)
		}
		last = now
	}
	if edge := r.At(geom.V(r.Reach().Max.X, 0, 0)).Len(); edge > 0.0101*8 {
		t.Errorf("at the edge of its reach a radial push has %g of 8 m/s²", edge)
	}
	v := sim.Vortex{Axis: geom.V(0, 0, 1), Radius: 0.5, Strength: 1}
	if edge := v.At(geom.V(v.Reach().Max.X, 0, 0)).Len(); edge > 0.0201 {
		t.Errorf("at the edge of its reach a vortex has %g of 1 m/s²", edge)
	}
}

func TestRegionFades(t *testing.T) {
	if w := (&sim.Region{}).Weight(geom.V(1e6, 0, 0)); w != 1 {
		t.Errorf("a region without limits weighs %g", w)
	}
	r := sim.Region{Shape: ball(geom.Vec3{}, 2), Limited: true, Fade: 0.5}
	for x, want := range map[float64]float64{0: 1, 0.99: 1, 1.25: 0.5, 1.5: 0, 9: 0} {
		if w := r.Weight(geom.V(x, 0, 0)); math.Abs(w-want) > 1e-9 {
			t.Errorf("%g m from the middle: %g, want %g", x, w, want)
		}
	}
}

// What covers a voxel adds up to the body's volume at any voxel size, and a
// shell thinner than a voxel emits as much as a fine run of it would.
func TestCoverHoldsTheVolume(t *testing.T) {
	sum := func(e *sim.Emitter, h float64) float64 {
		v := 0.0
		for x := -1 + h/2; x < 1; x += h {
			for y := -1 + h/2; y < 1; y += h {
				for z := -1 + h/2; z < 1; z += h {
					v += e.Cover(geom.V(x, y, z), h) * h * h * h
				}
			}
		}
		return v
	}
	solid := &sim.Emitter{Shape: ball(geom.V(0.03, 0.01, -0.02), 1.2)}
	want := 4.0 / 3 * math.Pi * 0.6 * 0.6 * 0.6
	for _, h := range []float64{0.1, 0.05, 0.025} {
		if got := sum(solid, h); math.Abs(got/want-1) > 0.03 {
			t.Errorf("a ball of %.4f m³ is %.4f m³ in voxels of %g m", want, got, h)
		}
	}
	if c := solid.Cover(geom.V(0.03, 0.01, -0.02), 0.05); c != 1 {
		t.Errorf("its middle is covered by %g", c)
	}
	shell := &sim.Emitter{Shape: ball(geom.Vec3{}, 1.2), Surface: 0.1}
	area := 4 * math.Pi * 0.6 * 0.6
	if got := sum(shell, 0.025); math.Abs(got/(area*0.1)-1) > 0.05 {
		t.Errorf("a shell of %.4f m³ is %.4f m³", area*0.1, got)
	}
	if got := sum(shell, 0.2); math.Abs(got/(area*0.2)-1) > 0.15 { // a voxel thick at least
		t.Errorf("in voxels twice as thick it is %.4f m³, want about %.4f", got, area*0.2)
	}
}

// A body's velocity is that of its material: a turning and shifting one moves
// each point by its own way.
func TestBodiesMoveAsTheyTurn(t *testing.T) {
	turned := func(angle float64) geom.Mat3 { return geom.RotationXYZ(geom.V(0, angle, 0)) }
	now, before := ball(geom.V(1, 0, 0), 1), ball(geom.V(0.9, 0, 0), 1)
	now.Turn, before.Turn = turned(0.002*180/math.Pi), turned(0)
	c := sim.Collider{Shape: now, Before: before}
	const dt = 0.01
	v := c.Velocity(geom.V(1, 0, 0), dt)
	if v.Sub(geom.V(10, 0, 0)).Len() > 1e-6 {
		t.Errorf("its middle moves at %v, want 10 m/s along x", v)
	}
	rim := c.Velocity(geom.V(1.5, 0, 0), dt).Sub(v) // ω × r, 0.2 rad/s at half a metre
	if math.Abs(rim.Len()-0.1) > 1e-3 || math.Abs(rim.X) > 1e-3 || math.Abs(rim.Y) > 1e-9 {
		t.Errorf("its rim goes %v beside", rim)
	}
	c.Before = c.Shape
	if v := c.Velocity(geom.V(1.5, 0, 0), dt); v != (geom.Vec3{}) {
		t.Errorf("at rest it moves at %v", v)
	}
	c.Before = before
	if v := c.Velocity(geom.V(1.5, 0, 0), 0); v != (geom.Vec3{}) {
		t.Errorf("within no time it moves at %v", v)
	}
}

// Noise takes the more of an emitter the larger Breakup is, and the same each
// time.
func TestGaps(t *testing.T) {
	last := 2.0
	for _, breakup := range []float64{0, 0.3, 0.7, 1} {
		e := sim.Emitter{Breakup: breakup, NoiseSize: 0.3, Seed: 9}
		sum, n := 0.0, 0
		for x := 0.0; x < 6; x += 0.11 {
			for y := 0.0; y < 6; y += 0.11 {
				p := geom.V(x, y, 1.7)
				g := e.Gaps(p)
				if g < 0 || g > 1 || g != e.Gaps(p) {
					t.Fatalf("%g at %v", g, p)
				}
				sum += g
				n++
			}
		}
		share := sum / float64(n)
		if share >= last || breakup == 0 && share != 1 || breakup == 1 && share > 0.4 {
			t.Errorf("with breakup %g a share of %.2f emits, before %.2f", breakup, share, last)
		}
		last = share
	}
}

// Another fluid emits where its grid says and nowhere else.
func TestSources(t *testing.T) {
	d := grid.Dims{NX: 4, NY: 4, NZ: 4}
	o := &sim.Source{Share: grid.NewField(d), H: 0.5, Origin: geom.V(-1, 0, 0)}
	o.Share.Set(1, 2, 3, 0.8)
	for a := range o.Motion {
		o.Motion[a] = grid.NewField(d)
		for i := range o.Motion[a].Data {
			o.Motion[a].Data[i] = float32(a + 1)
		}
	}
	share, v := o.At(geom.V(-1+1.5*0.5, 2.5*0.5, 3.5*0.5))
	if math.Abs(share-0.8) > 1e-6 || v != geom.V(1, 2, 3) {
		t.Errorf("at the cell's middle %g, %v", share, v)
	}
	if share, v := o.At(geom.V(1.01, 1, 1)); share != 0 || v != (geom.Vec3{}) {
		t.Errorf("outside of its grid %g, %v", share, v)
	}
	if b := o.Bounds(); b.Min != geom.V(-1, 0, 0) || b.Max != geom.V(1, 2, 2) {
		t.Errorf("%v", b)
	}
	e := sim.Emitter{Source: o}
	if c := e.Cover(geom.V(-1+1.5*0.5, 2.5*0.5, 3.5*0.5), 0.1); math.Abs(c-0.8) > 1e-6 {
		t.Errorf("it covers %g", c)
	}
}

// A guide's wish: along the curve at its pace, inwards by Draw times the
// distance, round it fastest at half the reach; nothing beyond.
func TestGuides(t *testing.T) {
	line := geom.NewLine([]geom.Vec3{geom.V(0, 0, 0), geom.V(4, 0, 0), geom.V(8, 0, 0)}, false, 16)
	g := sim.Guide{Line: line, Pace: 3, Reach: 1}
	v, w := g.Wish(geom.V(4, 0, 0), nil)
	if math.Abs(w-1) > 1e-9 || v.Sub(geom.V(3, 0, 0)).Len() > 1e-6 {
		t.Errorf("on the curve %v, weight %g", v, w)
	}
	if _, w := g.Wish(geom.V(4, 0.5, 0), nil); math.Abs(w-0.75*0.75) > 1e-6 {
		t.Errorf("half way out the weight is %g", w)
	}
	if v, w := g.Wish(geom.V(4, 1.01, 0), nil); w != 0 || v != (geom.Vec3{}) {
		t.Errorf("beyond its reach %v, %g", v, w)
	}
	g.Draw = 2
	if v, _ := g.Wish(geom.V(4, 0.5, 0), nil); math.Abs(v.Y+1) > 1e-6 {
		t.Errorf("half way out it is drawn in by %g m/s, want 1", -v.Y)
	}
	g = sim.Guide{Line: line, Swirl: 2, Reach: 1}
	top, at := 0.0, 0.0
	for r := 0.02; r < 1; r += 0.02 {
		v, _ := g.Wish(geom.V(4, r, 0), nil)
		if math.Abs(v.X) > 1e-6 || math.Abs(v.Y) > 1e-6 {
			t.Fatalf("swirl has a part %v that isn't round the curve", v)
		}
		if v.Len() > top {
			top, at = v.Len(), r
		}
	}
	if math.Abs(at-0.5) > 0.021 || math.Abs(top-2) > 0.01 {
		t.Errorf("swirl is fastest, %g m/s, at %g of the reach", top, at)
	}
	if same := g; !g.Same(&same) {
		t.Error("a guide isn't the same as itself")
	}
	other := g
	other.Along[2] = []float64{0, 1}
	if g.Same(&other) {
		t.Error("another profile passes as the same")
	}
	end, _ := other.Wish(geom.V(7.9, 0.5, 0), nil)
	begin, _ := other.Wish(geom.V(0.1, 0.5, 0), nil)
	if begin.Len() > 0.1*end.Len() {
		t.Errorf("along a profile of 0 to 1 it swirls %g m/s at the beginning, %g at the end", begin.Len(), end.Len())
	}
}

// Records of other versions, with numbers that this one has no field for, keep
// them as amounts.
func TestStatsOfOtherVersions(t *testing.T) {
	var s sim.Stats
	if err := json.Unmarshal([]byte(`{"substeps":3,"max_speed":1.5,"sparkle":7,"note":"x","cut":[1,0,0,0,0,2]}`), &s); err != nil {
		t.Fatal(err)
	}
	if s.Substeps != 3 || s.Of("sparkle") != 7 || s.Cut[5] != 2 {
		t.Errorf("%+v", s)
	}
	b, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	var again sim.Stats
	if err := json.Unmarshal(b, &again); err != nil || again.Of("sparkle") != 7 || again.MaxSpeed != 1.5 {
		t.Errorf("%s: %+v %v", b, again, err)
	}
}

// Every fluid feels vortices, radial pushes and forces of further kinds, in
// their regions.
func TestPushes(t *testing.T) {
	sc := sim.Scene{
		Vortices: []sim.Vortex{{Axis: geom.V(0, 1, 0), Radius: 1, Strength: 1}},
		Radials:  []sim.Radial{{Radius: 1, Strength: 2, Region: sim.Region{Shape: ball(geom.Vec3{}, 1), Limited: true, Fade: 0.1}}},
		Forces:   []sim.Force{{At: func(geom.Vec3) geom.Vec3 { return geom.V(0, -1, 0) }}},
		Winds:    []sim.Wind{{Velocity: geom.V(9, 9, 9)}},
	}
	list := sc.Pushes()
	if len(list) != 3 {
		t.Fatalf("%d pushes", len(list))
	}
	var sum geom.Vec3
	for _, f := range list {
		p := geom.V(0.4, 0, 0)
		sum = sum.Add(f.At(p).Mul(f.Region.Weight(p)))
	}
	if sum.Y != -1 || math.Abs(sum.X-2) > 1e-9 || sum.Z == 0 {
		t.Errorf("together %v", sum)
	}
}
