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

func TestBlastSlowsDown(t *testing.T) {
	s, d := box(40, 1)
	whole := fireGrows * math.Sqrt(2*15)
	frames := front(func(t float64) float64 { return 15 * math.Pow(min((t+1.0/24)/whole, 1), 0.4) }, 800, 72)
	for n := range frames {
		f := frames[n]
		if n < 8 {
			f.Put(sim.HeatMade, 1)
		}
		frames[n] = f
	}
	r := Of(s, d, frames)
	if r.Kind != Blast || r.Off() < 0.6 || r.Off() > 1.7 || math.Abs(r.Slope-0.4) > 0.1 {
		t.Errorf("a fireball after the law: %+v", r)
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
	if r := Of(s, d, frames); r.Fits() || len(r.Mends) == 0 || r.Caveat != "" {
		t.Errorf("%+v", r)
	}
	s.Add(shot.Wind).Name = "Gale"
	if r := Of(s, d, frames); len(r.Mends) > 0 || !strings.HasPrefix(r.Caveat, "Gale drives it") {
		t.Errorf("in a wind: %q, %d mends", r.Caveat, len(r.Mends))
	}
	if r := Of(s, d, map[int]sim.Stats{1: {Amounts: map[sim.Amount]float64{sim.SmokeTotal: 1}}}); !strings.Contains(r.Why, "run it again") {
		t.Errorf("of an old take: %q", r.Why)
	}
}

// What the solver makes by itself reads as what it is, within the factor of
// two that readings are good to; the same at three times the speed doesn't.
func TestSimulatedThermalReadsAsItsSize(t *testing.T) {
	for _, size := range []float64{1.5, 40} {
		for _, pace := range []float64{1, 3} {
			s, d := box(size, size/22)
			val.TimeScale.Set(s.Self, pace)
			val.Last.Set(s.Self, math.Round(24*3.2*math.Sqrt(size)/pace))
			val.Cooling.Set(d, 0)
			e := s.Add(shot.Emitter)
			val.Position.Set(e, 0, size*0.25, 0)
			val.Size.Set(e, size/4, size/4, size/4)
			val.Temperature.Set(e, 373)
			val.End.Set(e, 2)
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
			r := Of(s, d, frames)
			t.Logf("%g m at %g times: reads as %.3g m of %.3g m (%.2g m/s, its size wants %.2g) %s", size, pace, r.Reads, r.Size, r.Speed, r.Wants, r.Why)
			if r.Why != "" {
				t.Errorf("%g m: %s", size, r.Why)
				continue
			}
			if off := r.Off() / (pace * pace); off > 2.2 || off < 0.45 {
				t.Errorf("%g m at %g times its pace is off by %.2g", size, pace, r.Off())
			}
		}
	}
}
