package sea

import (
	"math"
	"testing"

	"zarf/core/grid"
)

// breeze is a common sea: 10 m/s over 100 km.
func breeze() State {
	return State{Wind: 10, Fetch: 1e5, Depth: 200, Spread: 1, Choppy: 1, Height: 1, Longest: 600, Shortest: 0.1, Gravity: 9.81, Seed: 3}
}

func made(t *testing.T, s State) *Sea {
	t.Helper()
	out, err := New(s)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestSignificantHeight holds the sum over the spectrum against Goda's (1988) closed form of
// JONSWAP's, S(f) = β H² f_p⁴ f⁻⁵ …, and that against the growth with fetch that Kahma and
// Calkoen (1992) put together from measurements, 5.2·10⁻⁷ (g F/U²)^0.9 U⁴/g².
func TestSignificantHeight(t *testing.T) {
	for _, c := range [][2]float64{{7, 2e4}, {10, 1e5}, {20, 3e5}} {
		s := breeze()
		s.Wind, s.Fetch, s.Depth, s.Longest, s.Shortest = c[0], c[1], 4000, 4000, 0.05
		const gamma = 3.3
		beta := 0.0624 / (0.230 + 0.0336*gamma - 0.185/(1.9+gamma)) * (1.094 - 0.01915*math.Log(gamma))
		alpha := 0.076 * math.Pow(s.Wind*s.Wind/(s.Fetch*s.Gravity), 0.22)
		want := s.Gravity * math.Sqrt(alpha/beta) / (s.peak() * s.peak())
		got := s.Significant()
		if math.Abs(got-want) > 0.04*want {
			t.Errorf("waves of %g m/s over %g m: %.3f m, by Goda %.3f", c[0], c[1], got, want)
		}
		sea := 4 * math.Sqrt(5.2e-7*math.Pow(s.Gravity*s.Fetch/(s.Wind*s.Wind), 0.9)) * s.Wind * s.Wind / s.Gravity
		if math.Abs(got-sea) > 0.25*sea {
			t.Errorf("waves of %g m/s over %g m: %.3f m, measured at sea %.3f", c[0], c[1], got, sea)
		}
	}
}

// TestShallowIsLower holds TMA: shallow water carries lower waves, deep water those of JONSWAP.
func TestShallowIsLower(t *testing.T) {
	s := breeze()
	deep := s.Significant()
	last := deep
	for _, d := range []float64{30, 10, 3} {
		s.Depth = d
		if now := s.Significant(); now >= last {
			t.Errorf("%g m deep: waves of %.3f m, no lower than %.3f", d, now, last)
		} else {
			last = now
		}
	}
	if last > 0.5*deep {
		t.Errorf("3 m deep: waves of %.2f m against %.2f in deep water", last, deep)
	}
}

// TestDirectionsAddUp: all directions together have the whole energy.
func TestDirectionsAddUp(t *testing.T) {
	for _, spread := range []float64{0.1, 0.5, 1} {
		s := breeze()
		s.Spread = spread
		for _, r := range []float64{0.6, 1, 2, 6} {
			const n = 20000
			var sum float64
			for i := range n {
				sum += s.spreads(r*s.peak(), (float64(i)+0.5)/n*2*math.Pi-math.Pi) * 2 * math.Pi / n
			}
			if math.Abs(sum-1) > 0.003 {
				t.Errorf("spread %g at %g of the peak: %.4f", spread, r, sum)
			}
		}
	}
}

// TestDispersion is ω² = g k tanh kh within 2 %, of lengths from ripples to swell, against
// Airy's limits and what the surface itself does.
func TestDispersion(t *testing.T) {
	s := breeze()
	for _, kh := range []float64{0.1, 0.5, 1, 2, 5} {
		for _, length := range []float64{5, 50, 300} {
			k := 2 * math.Pi / length
			s.Depth = kh / k
			w, slope := s.omega(k)
			if want := math.Sqrt(s.Gravity * k * math.Tanh(kh)); math.Abs(w-want) > 0.001*want {
				t.Errorf("kh %g, %g m: ω %g, not %g", kh, length, w, want)
			}
			a, _ := s.omega(k * 0.999)
			b, _ := s.omega(k * 1.001)
			if num := (b - a) / (0.002 * k); math.Abs(num-slope) > 1e-4*slope {
				t.Errorf("kh %g, %g m: dω/dk %g, not %g", kh, length, slope, num)
			}
			if got := s.LengthOf(w); math.Abs(got-length) > 1e-6*length {
				t.Errorf("%g m long waves are taken for %g", length, got)
			}
		}
	}
}

// TestHeightsHaveTheSpectrumsVariance is what transforms must give back.
func TestHeightsHaveTheSpectrumsVariance(t *testing.T) {
	var got, want float64
	for seed := range uint64(6) {
		st := breeze()
		st.Seed, st.Choppy = seed, 0
		s := made(t, st)
		f := s.Surface(float64(seed)*7, grid.NewCrew(2))
		const n = 96
		var sum float64
		for i := range n * n {
			y, _ := f.At(float64(i%n)*st.Longest/n*1.037, float64(i/n)*st.Longest/n*0.971, 0.01)
			sum += y * y / (n * n)
		}
		got += sum / 6
		want += s.Variance(0.1, s.reach()) / 6
	}
	if math.Abs(got-want) > 0.12*want {
		t.Errorf("variance %.4f m², the spectrum's %.4f", got, want)
	}
}

// TestWavesRunWithTheWind follows the surface for a tenth of a second: it is most like itself
// shifted downwind.
func TestWavesRunWithTheWind(t *testing.T) {
	for _, bearing := range []float64{0, math.Pi / 2, 2.5} {
		st := breeze()
		st.Bearing, st.Spread, st.Choppy, st.Shortest = bearing, 0.2, 0, 5
		s := made(t, st)
		crew := grid.NewCrew(2)
		a, b := s.Surface(0, crew), s.Surface(0.5, crew)
		differ := func(by float64) (sum float64) {
			for i := range 400 {
				x, z := float64(i%20)*11, float64(i/20)*13
				p, _ := a.At(x, z, 1)
				q, _ := b.At(x+by*math.Sin(bearing), z-by*math.Cos(bearing), 1)
				sum += (p - q) * (p - q)
			}
			return sum
		}
		c := s.peak() * s.PeakLength() / (2 * math.Pi) // the pace of the highest
		if with, against := differ(0.5*c), differ(-0.5*c); with > 0.3*against {
			t.Errorf("bearing %.1f: downwind it differs by %.3f, upwind by %.3f", bearing, with, against)
		}
	}
}

// TestCrestArrives: the wave that stands out is at its place at its moment.
func TestCrestArrives(t *testing.T) {
	st := breeze()
	st.Wind, st.Crest = 6, Crest{High: 5, X: 31, Z: -12, T: 9}
	st.Choppy = 0
	s := made(t, st)
	f := s.Surface(9, grid.NewCrew(2))
	y, _ := f.At(31, -12, 0.1)
	if math.Abs(y-5) > s.Significant() {
		t.Errorf("the crest is %.2f m high, not 5", y)
	}
	if then, _ := s.Surface(0, grid.NewCrew(2)).At(31, -12, 0.1); then > 3 {
		t.Errorf("nine seconds before it is %.2f m high there", then)
	}
}

// TestWaterMoves holds velocities against the surface that they carry and against each other:
// what is upright at the surface is the height's change, and none is squeezed.
func TestWaterMoves(t *testing.T) {
	for _, depth := range []float64{200, 4} {
		st := breeze()
		st.Depth, st.Choppy, st.Shortest, st.Longest = depth, 0, 4, 200
		st.Height = 0.05 // so low that waves are those of linear theory
		s := made(t, st)
		const e = 0.1
		x, z := []float64{10, 10 - e, 10 + e, 10, 10}, []float64{20, 20, 20, 20 - e, 20 + e}
		w := s.Water(x, z, min(depth, 30), 0.5, grid.NewCrew(2))
		var err, all, div, shear float64
		for n := range 10 {
			at := float64(n) * 1.31
			m := w.At(at)
			up := (w.At(at+0.02).Height(0) - w.At(at-0.02).Height(0)) / 0.04
			v := m.Velocity(0, m.Height(0))
			err, all = err+math.Pow(float64(v[1])-up, 2), all+up*up
			// at a layer's middle, where lines between layers are what counts
			y := m.Height(0) - 0.5
			at5 := func(p int, dy float64) [3]float32 { return m.Velocity(p, m.Height(p)-0.5+dy) }
			dx := float64(at5(2, 0)[0]-at5(1, 0)[0]) / (2 * e)
			dz := float64(at5(4, 0)[2]-at5(3, 0)[2]) / (2 * e)
			dy := float64(m.Velocity(0, y+0.3)[1]-m.Velocity(0, y-0.3)[1]) / 0.6
			div, shear = div+math.Pow(dx+dy+dz, 2), shear+dx*dx+dy*dy+dz*dz
		}
		if err > 0.0025*all {
			t.Errorf("%g m deep: upright velocity is off by %.1f %%", depth, 100*math.Sqrt(err/all))
		}
		if div > 0.01*shear {
			t.Errorf("%g m deep: divergence is %.1f %% of the gradients", depth, 100*math.Sqrt(div/shear))
		}
	}
}

// TestSameOnAnyThreads.
func TestSameOnAnyThreads(t *testing.T) {
	s := made(t, breeze())
	for _, at := range []float64{0, 3.3} {
		a, b := s.Surface(at, grid.NewCrew(1)), s.Surface(at, grid.NewCrew(2))
		for i := range 50 {
			p, q := a.Normal(float64(i), 3, 0.2), b.Normal(float64(i), 3, 0.2)
			if p != q {
				t.Fatalf("%v and %v", p, q)
			}
		}
	}
}

// TestBadSeas are refused by what is wrong, and none is flat.
func TestBadSeas(t *testing.T) {
	for name, change := range map[string]func(s *State){
		"wind":  func(s *State) { s.Wind = 200 },
		"winds": func(s *State) { s.Wind = math.NaN() },
		"fetch": func(s *State) { s.Fetch = 0 },
		"depth": func(s *State) { s.Depth = -1 },
	} {
		st := breeze()
		change(&st)
		if _, err := New(st); err == nil {
			t.Errorf("%s: accepted", name)
		} else {
			t.Log(err)
		}
	}
	st := breeze()
	st.Wind = 0
	s := made(t, st)
	if y, fold := s.Surface(3, grid.NewCrew(1)).At(5, 5, 0.1); y != 0 || fold != 1 {
		t.Errorf("without wind the sea is %g m high", y)
	}
	if s.Significant() != 0 || s.PeakLength() != 0 || s.Steep(0.1) != 0 {
		t.Error("without wind there are waves")
	}
}

func BenchmarkSurface(b *testing.B) {
	s, _ := New(breeze())
	for b.Loop() {
		s.Surface(1, grid.NewCrew(2)).At(1, 1, 0.01)
	}
}

func BenchmarkWater(b *testing.B) {
	s, _ := New(breeze())
	var x, z []float64
	for i := range 128 {
		for k := range 32 {
			x, z = append(x, float64(i)*0.15), append(z, float64(k)*0.15)
		}
	}
	w := s.Water(x, z, 6, 0.15, grid.NewCrew(2))
	for n := int64(0); b.Loop(); n++ {
		w.work(n)
	}
}
