package scale

import (
	"math"
	"strings"
	"testing"

	"zarf/core/gas"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// box is a shot with one domain.
func box(size, voxel float64) (*shot.Shot, *shot.Element) {
	s := shot.New("S")
	val.Last.Set(s.Self, 60)
	d := s.Add(shot.Domain)
	val.Size.Set(d, size, 2*size, size)
	val.Position.Set(d, 0, size, 0)
	val.Voxel.Set(d, voxel)
	return s, d
}

// front makes frames whose front is at l(t) over its source.
func front(l func(t float64) float64, warm float64, n int) map[int]sim.Stats {
	out := map[int]sim.Stats{}
	for i := range n {
		t := float64(i) / 24
		out[i+1] = sim.Stats{Bulk: 1, Amounts: map[sim.Amount]float64{sim.Warm: warm}, Low: [3]float64{-0.01, 0, -0.01}, High: [3]float64{0.01, 0.02 + l(t), 0.01}}
	}
	return out
}

// A front that follows the law of its size reads as its size; one that is n
// times as fast as n² times smaller.
func TestThermalReadsAsItsSize(t *testing.T) {
	for _, size := range []float64{1, 40} {
		s, d := box(size, size/40)
		const warm = 60.0
		g := 9.81 * warm / (293 + warm)
		// dL/dt = c√(gL) from L₀: √L = √L₀ + c√g·t/2
		law := func(pace float64) func(t float64) float64 {
			return func(t float64) float64 {
				q := math.Sqrt(size/50) + froude*math.Sqrt(g)*t*pace/2
				return min(q*q, size)
			}
		}
		n := int(24*2*math.Sqrt(size)/(froude*math.Sqrt(g))) + 30
		for _, pace := range []float64{1, 3, 0.5} {
			r := Of(s, d, front(law(pace), warm, n))
			if r.Why != "" || r.Kind != Rising {
				t.Fatalf("%g m: %+v", size, r)
			}
			if want := r.Size / (pace * pace); math.Abs(r.Reads/want-1) > 0.1 {
				t.Errorf("%g m at %g times its pace reads as %g m, want %g", size, pace, r.Reads, want)
			}
			if r.Fits() != (len(r.Mends) == 0) {
				t.Errorf("fits %v, with %d mends", r.Fits(), len(r.Mends))
			}
			if pace == 3 {
				c := r.Mends[0].Changes[0]
				if c.Key != "time_scale" || math.Abs(c.Value.Num-1.0/3) > 0.02 {
					t.Errorf("three times too fast, it offers %+v", r.Mends[0])
				}
			}
		}
	}
}

func TestBlastReadsByHowLongItBurns(t *testing.T) {
	for _, pace := range []float64{1, 2} {
		s, d := box(60, 1)
		burns := fireLasts * 15 / pace
		frames := front(func(t float64) float64 { return 15 * math.Pow(min(t/burns, 3), 0.4) }, 800, 300)
		for n := range frames {
			f := frames[n]
			f.Bulk = 4 * math.Pi / 3 * math.Pow(f.High[1]-0.02, 3)
			if float64(n)/24 < burns/0.95 {
				f.Put(sim.HeatMade, 1)
			}
			frames[n] = f
		}
		r := Of(s, d, frames)
		if r.Kind != Blast || math.Abs(r.Off()/pace-1) > 0.1 || math.Abs(r.Slope-0.4) > 0.15 || r.Fits() != (pace == 1) {
			t.Errorf("a fireball of 15 m at %g times its pace: %+v", pace, r)
		}
		if pace == 2 {
			if c := r.Mends[0].Changes[0]; c.Key != "time_scale" || math.Abs(c.Value.Num-0.5) > 0.06 {
				t.Errorf("it offers %+v", r.Mends[0])
			}
		}
	}
}

func TestWhatCantBeRead(t *testing.T) {
	s, d := box(1, 0.02)
	for want, frames := range map[string]map[int]sim.Stats{
		"No frame holds":     {1: {}},
		"Too few frames":     front(func(t float64) float64 { return t }, 50, 5),
		"as warm as the air": front(func(t float64) float64 { return t }, 0, 40),
	} {
		if r := Of(s, d, frames); !strings.Contains(r.Why, want) {
			t.Errorf("%q: %+v", want, r)
		}
	}
}

func TestForcesMakeAReadingCountLess(t *testing.T) {
	s, d := box(1, 0.02)
	frames := front(func(t float64) float64 { return 5 * t }, 60, 40)
	if r := Of(s, d, frames); r.Fits() || len(r.Mends) == 0 {
		t.Errorf("%+v", r)
	}
	for _, k := range []shot.Kind{shot.Wind, shot.Guide} {
		by := s.Add(k)
		by.Name = "Gale"
		if r := Of(s, d, frames); !strings.HasPrefix(r.Why, "Gale drives it") || r.Reads != 0 {
			t.Errorf("with a %s: %+v", k, r)
		}
		by.Muted = true
	}
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "cylinder")
	val.Size.Set(e, 0.5, 0.1, 0.5)
	for n := range frames {
		f := frames[n]
		f.Put(sim.HeatMade, 200/24.0*1e3/(val.AirDensity.Of(s)*gas.HeatCapacity)*0.65)
		frames[n] = f
	}
	if r := Of(s, d, frames); !strings.Contains(r.Why, "200 kW") || !strings.Contains(r.Why, "0.5 m is 1.4 m high") {
		t.Errorf("of a fire that burns on: %q", r.Why)
	}
	if r := Of(s, d, map[int]sim.Stats{1: {Amounts: map[sim.Amount]float64{sim.SmokeTotal: 1}}}); !strings.Contains(r.Why, "run it again") {
		t.Errorf("of an old take: %q", r.Why)
	}
}

// ran runs a shot's gas and reads it.
func ran(t *testing.T, s *shot.Shot, d *shot.Element) Reading {
	t.Helper()
	g, err := gas.NewStage(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	frames := map[int]sim.Stats{}
	_, last := s.Range()
	for g.Next() <= last {
		n, st, err := g.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		frames[n] = st
	}
	return Of(s, d, frames)
}

// What the solver makes by itself reads as what it is within a quarter: thermals of
// three sizes, the same at three times their speed, and a fireball.
func TestSimulatedEffectsReadAsTheirSize(t *testing.T) {
	thermal := func(size, pace float64) (*shot.Shot, *shot.Element) {
		s, d := box(size, size/22)
		val.TimeScale.Set(s.Self, pace)
		val.Last.Set(s.Self, math.Round(24*3.2*math.Sqrt(size)/pace))
		val.Cooling.Set(d, 0)
		e := s.Add(shot.Emitter)
		val.Position.Set(e, 0, size*0.25, 0)
		val.Size.Set(e, size/4, size/4, size/4)
		val.Temperature.Set(e, 373)
		val.End.Set(e, 2)
		return s, d
	}
	for _, c := range []struct {
		name       string
		size, pace float64
	}{{"1.5 m", 1.5, 1}, {"1.5 m, three times as fast", 1.5, 3}, {"5 m", 5, 1}, {"40 m", 40, 1}, {"40 m, three times as fast", 40, 3}} {
		s, d := thermal(c.size, c.pace)
		r := ran(t, s, d)
		t.Logf("%s: reads as %.3g m of %.3g m (%.2g m/s, its size wants %.2g) %s", c.name, r.Reads, r.Size, r.Speed, r.Wants, r.Why)
		if off := r.Off() / (c.pace * c.pace); r.Why != "" || off > 1.25 || off < 1/1.25 {
			t.Errorf("%s: off by %.2g %s", c.name, off, r.Why)
		}
	}
	const kg, heat = 10.0, 29.9
	lasts := 0.45 * math.Cbrt(kg)
	s, d := box(28, 0.5)
	val.Size.Set(d, 28, 28, 28)
	val.Position.Set(d, 0, 14, 0)
	val.Last.Set(s.Self, 96)
	val.Burning.Set(d, "fuel")
	val.HeatReleased.Set(d, heat)
	val.BurnRate.Set(d, 3.5/lasts)
	val.Spread.Set(d, 5)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 2, 0)
	val.Size.Set(e, 3.8, 3.8, 3.8)
	val.Temperature.Set(e, 1000)
	val.Smoke.Set(e, 0)
	val.FuelPower.Set(e, kg*heat*1e3/0.65/(3/24.0))
	val.End.Set(e, 3)
	r := ran(t, s, d)
	t.Logf("fireball: reads as %.3g m of %.3g m %s", r.Reads, r.Size, r.Why)
	if r.Kind != Blast || r.Off() > 1.25 || r.Off() < 1/1.25 {
		t.Errorf("a fireball of %g kg, which nature makes %.3g m: reads as %.3g m of %.3g m %s", kg, 2.9*math.Cbrt(kg), r.Reads, r.Size, r.Why)
	}
}
