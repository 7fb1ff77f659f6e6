package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// What goes through a face where straight slopes pass by is what lay that far upstream.
func TestCrossingOfSlopes(t *testing.T) {
	const at, slope = 3.0, 0.7
	for _, c := range []float64{-2.5, -1, -0.3, 0, 0.4, 1, 1.7, 2.5} {
		before := func(x float64) float32 { return float32(at + slope*x) }
		after := func(x float64) float32 { return float32(at + slope*(x-c)) }
		got := crossing(c, -0.5, before(-1.5), before(-0.5), before(0.5), before(1.5)) + crossing(c, 0.5, after(-1.5), after(-0.5), after(0.5), after(1.5))
		if want := c*at - slope*c*c/2; math.Abs(got-want) > 1e-5 {
			t.Errorf("%g cells pass: %g goes through, want %g", c, got, want)
		}
	}
}

// Budgets pass on from lot to lot what goes through their faces, and no more: what a blob that
// drifts leaves behind in each is what the budget said there would be.
func TestBudgetsFollowWhatDrifts(t *testing.T) {
	const n = 48
	s := mustNew(t, room(n, 1.0/n, pressure.Sides{}), 2)
	for k := range n {
		for j := range n {
			for i := range n {
				r2 := math.Pow(float64(i)-20, 2) + math.Pow(float64(j)-22, 2) + math.Pow(float64(k)-25, 2)
				s.Smoke.Set(i, j, k, float32(math.Exp(-r2/30)))
			}
		}
	}
	speed := [3]float64{1.3, -0.9, 0.6} // cells a step
	for c, f := range s.velocity() {
		for i := range f.Data {
			f.Data[i] = float32(speed[c] / n)
		}
	}
	s.Forget()
	s.survey()
	var b budget
	b.begin(s, 0, 1)
	was := append([]float64(nil), b.want...)
	moved := grid.NewField(s.Dims)
	for k := range n {
		for j := range n {
			for i := range n {
				r2 := math.Pow(float64(i)-20-speed[0], 2) + math.Pow(float64(j)-22-speed[1], 2) + math.Pow(float64(k)-25-speed[2], 2)
				moved.Set(i, j, k, float32(math.Exp(-r2/30)))
			}
		}
	}
	copy(s.Smoke.Data, moved.Data)
	b.flow(s, 0, n, n, 0.5)
	holds := make([]float64, b.Len())
	for k := range n {
		for j := range n {
			for i := range n {
				holds[b.Index(i>>lotBits, j>>lotBits, k>>lotBits)] += float64(moved.At(i, j, k))
			}
		}
	}
	far, gone := 0.0, 0.0
	for c, want := range b.want {
		far, gone = max(far, math.Abs(want-holds[c])), max(gone, math.Abs(was[c]-holds[c]))
	}
	if far > 0.7 || gone < 10 { // of 163 in all
		t.Errorf("lots hold up to %.3g other than they should (%.3g by half a step)", far, gone)
	}
}

// What a source feeds goes through every height over it: nothing is made where its edge is
// sharp to be taken away higher up.
func TestPlumesCarryWhatTheyAreFed(t *testing.T) {
	for _, scheme := range []Scheme{MacCormack, Reflection} {
		carried(t, scheme)
	}
}

func carried(t *testing.T, scheme Scheme) {
	const n = 28
	b := room(n, 1.0/n, pressure.Sides{true, true, false, true, true, true})
	b.NY = 2 * n
	s := mustNew(t, b, 2)
	in := Inputs{Physics: calm, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(0.5, 0.15, 0.5), 0.12)}, Add: true, Smoke: 1, Temperature: 400}}}
	in.Physics.Gravity, in.Physics.Scheme = 9.81, scheme
	in.Turbulences = []sim.Turbulence{{Strength: 0.2, Size: 0.2, Octaves: 2}}
	flow := make([]float64, s.NY) // m³/s of smoke of density 1
	var fed, before float64
	const last, from = 160, 90
	for f := range last {
		st := frames(t, s, 1, in)
		if f == from/2 {
			fed = st.SmokeTotal
		} else if f == from/2+10 {
			fed = (st.SmokeTotal - fed) * 24 / 10
		}
		if before = st.Top; f < from {
			continue
		}
		for k := range s.NZ {
			for j := range s.NY {
				for i, v := range s.Smoke.Row(j, k) {
					flow[j] += 0.5 * float64(s.V.At(i, j, k)+s.V.At(i, j+1, k)) * float64(v) * s.H * s.H / (last - from)
				}
			}
		}
	}
	if before < 1.5 {
		t.Errorf("it rose to %g m alone", before)
	}
	for _, y := range []float64{0.3, 0.5, 0.7, 0.9} {
		share := flow[int(y*n)] / fed
		if math.Abs(share-1) > 0.15 {
			t.Errorf("%s: %g m up, %.2f of what it is fed goes through", scheme, y, share)
		}
	}
}
