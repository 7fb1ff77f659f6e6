package mote

import (
	"math"
	"testing"

	"zarf/core/vec"
)

// ball is a particle in a fluid.
type ball struct {
	size, density float32
	Fluid
}

func newSlowing(d, rho, fluid, mu float32) *ball {
	return &ball{d, rho, Fluid{Density: fluid, Viscosity: mu}}
}

// carried is a step of it alone: its velocity behind that, and its mean.
func (b *ball) carried(v, u, a [3]float32, dt float32) (next, mean [3]float32) {
	t := new(room)
	t.of[0], t.size[0], t.density[0] = &b.Fluid, b.size, b.density
	for c := range 3 {
		t.was[c][0], t.u[c][0], t.a[c][0] = v[c], u[c], a[c]
	}
	t.drag(1, dt)
	for c := range 3 {
		next[c], mean[c] = t.v[c][0], t.mean[c][0]
	}
	return next, mean
}

// excess is the factor by which a ball's drag exceeds that of Stokes.
func excess(re float64) float64 { return max(1+0.15*math.Pow(re, 0.687), 0.44/24*re) }

// The standard drag curve of a ball: coefficients that were measured (Lapple and Shepherd
// 1940), by Reynolds number.
var standard = [][2]float64{
	{0.1, 244}, {0.2, 124}, {0.3, 83.8}, {0.5, 51.5}, {0.7, 37.6}, {1, 27.2}, {2, 14.8}, {3, 10.5}, {5, 7.03}, {7, 5.48},
	{10, 4.26}, {20, 2.72}, {30, 2.12}, {50, 1.57}, {70, 1.31}, {100, 1.09}, {200, 0.776}, {300, 0.653}, {500, 0.555}, {700, 0.508}, {1000, 0.471},
}

func TestTerminalSpeedsFollowTheStandardCurve(t *testing.T) {
	const rho, fluid, mu, g = 2600, 1.2, 1.8e-5, 9.81
	for _, p := range standard {
		// the ball whose weight is the drag at this Reynolds number: with
		// v = Re μ/(ρ d) and C ½ ρ v² π/4 d² = (ρp − ρ) g π/6 d³
		d := math.Cbrt(0.75 * p[1] * p[0] * p[0] * mu * mu / (fluid * (rho - fluid) * g))
		want := p[0] * mu / (fluid * d)
		s := newSlowing(float32(d), rho, fluid, mu)
		a := [3]float32{0, float32(-g * (rho - fluid) / (rho + fluid/2)), 0}
		var v [3]float32
		for range 4000 {
			v, _ = s.carried(v, [3]float32{}, a, 0.005)
		}
		if e := float64(-v[1])/want - 1; math.Abs(e) > 0.05 {
			t.Errorf("at a Reynolds number of %g a ball of %.3g m falls at %.4g m/s, measured %.4g (%+.1f %%)", p[0], d, -v[1], want, 100*e)
		}
	}
}

// Free fall against its closed solutions: with Stokes' drag v = v∞ (1 − e^(−t/τ)), with
// Newton's v = v∞ tanh(g t/v∞).
func TestFallFollowsItsClosedSolutions(t *testing.T) {
	const g, dt = 9.81, 1.0 / 48
	fall := func(d, rho, fluid, mu float64, seconds float64) (v, y, a float64) {
		s := newSlowing(float32(d), float32(rho), float32(fluid), float32(mu))
		a = g * (rho - fluid) / (rho + fluid/2)
		var now [3]float32
		for range int(math.Round(seconds / dt)) {
			var mean [3]float32
			now, mean = s.carried(now, [3]float32{}, [3]float32{0, float32(-a), 0}, dt)
			y += float64(mean[1]) * dt
		}
		return -float64(now[1]), -y, a
	}
	near := func(what string, got, want float64) {
		if math.Abs(got/want-1) > 1e-3 {
			t.Errorf("%s is %.6g, want %.6g", what, got, want)
		}
	}
	// a ball in syrup, Re = 1e-4 at most
	v, y, a := fall(0.002, 7800, 1400, 100, 0.5)
	tau := (7800 + 700) * 0.002 * 0.002 / (18 * 100)
	near("speed in syrup", v, a*tau*(1-math.Exp(-0.5/tau)))
	near("fall in syrup", y, a*tau*(0.5-tau*(1-math.Exp(-0.5/tau))))
	// slower to settle: τ of a second
	v, y, a = fall(0.001, 18000, 1e-6, 0.001, 0.75)
	tau = 18000 * 1e-6 / (18 * 0.001)
	near("speed with a long memory", v, a*tau*(1-math.Exp(-0.75/tau)))
	near("fall with a long memory", y, a*tau*(0.75-tau*(1-math.Exp(-0.75/tau))))
	// a stone, at Reynolds numbers where the coefficient is Newton's but for its first moments
	for _, seconds := range []float64{2, 6} {
		v, y, a = fall(0.1, 2600, 1.2, 1.8e-7, seconds)
		end := math.Sqrt(a * (2600 + 0.6) * 0.1 * 4 / (3 * 0.44 * 1.2))
		near("a stone's speed", v, end*math.Tanh(a*seconds/end))
		near("a stone's fall", y, end*end/a*math.Log(math.Cosh(a*seconds/end)))
	}
}

// The order of the error in the step is two: half the step, a quarter of the error.
func TestDragIsOfSecondOrder(t *testing.T) {
	s := newSlowing(0.01, 2600, 1.2, 1.8e-5)
	after := func(steps int) float64 {
		v := [3]float32{30, 0, 0}
		for range steps {
			v, _ = s.carried(v, [3]float32{}, [3]float32{0, -9.81, 0}, 4/float32(steps))
		}
		return float64(v[0])
	}
	exact := after(4096)
	coarse, fine := math.Abs(after(4)-exact), math.Abs(after(8)-exact)
	if r := coarse / fine; r < 3 {
		t.Errorf("half the step leaves 1/%.2f of the error, want about a quarter (%.3g, %.3g)", r, coarse, fine)
	}
}

// The batch's rates against the formula, over all Reynolds numbers that occur, by each set
// of kernels, and with particles in two fluids.
func TestRatesFollowTheFormula(t *testing.T) {
	was := vec.Chosen
	defer func() { vec.Chosen = was }()
	fluids := [2]Fluid{Air, {Density: 1000, Viscosity: 1e-3}}
	for _, set := range vec.Sets() {
		vec.Chosen = set
		r := new(room)
		const n = 300
		for i := range n {
			r.of[i] = &fluids[i/7%2]
			r.size[i], r.density[i] = float32(math.Exp(float64(i%50)/6-12)), float32(20+i)
			r.was[0][i] = float32(math.Exp(float64(i*13%90)/10 - 5))
		}
		r.drag(n, 1e-9)
		for i := range n {
			f, d := r.of[i], float64(r.size[i])
			re := float64(f.Density) * d * float64(r.was[0][i]) / float64(f.Viscosity)
			want := 18 * float64(f.Viscosity) * excess(re) / ((float64(r.density[i]) + float64(f.Density)/2) * d * d)
			if math.Abs(float64(r.k[i])/want-1) > 1e-3 {
				t.Fatalf("%v: at a Reynolds number of %.4g a ball of %.3g m is slowed at %.6g/s, want %.6g", set, re, d, r.k[i], want)
			}
		}
	}
}

// Bubbles rise with twice the acceleration of gravity at first, as they move half of their
// room's fluid along.
func TestBubblesRise(t *testing.T) {
	s := newSlowing(0.001, 1.2, 1000, 1e-9)
	v, _ := s.carried([3]float32{}, [3]float32{}, [3]float32{0, float32(9.81 * (1000 - 1.2) / (1.2 + 500)), 0}, 1e-4)
	if a := float64(v[1]) / 1e-4; math.Abs(a/19.55-1) > 0.02 {
		t.Errorf("a bubble sets off with %.2f m/s², want 19.5", a)
	}
}
