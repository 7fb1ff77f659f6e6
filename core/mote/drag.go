package mote

import "math"

// excess is the factor f by which a ball's drag exceeds that of Stokes: Schiller and
// Naumann (1933) up to a Reynolds number of about 1000, Newton's constant coefficient of
// 0.44 beyond.
func excess(re float64) float64 {
	return max(1+0.15*math.Pow(re, 0.687), 0.44/24*re)
}

// Entries of excess for Reynolds numbers from 2^excessLow to 2^excessHigh, sixteen an
// octave, straight between: within 1e-3. A power of a fraction takes as long as all else
// that a particle's step needs.
const (
	excessLow, excessHigh = -10, 24
	excessBits            = 4
)

var excesses [((excessHigh - excessLow) << excessBits) + 1]float32

func init() {
	for i := range excesses {
		octave, part := i>>excessBits, float64(i&(1<<excessBits-1))/(1<<excessBits)
		excesses[i] = float32(excess(math.Ldexp(1+part, excessLow+octave)))
	}
}

// excessOf is excess from the table.
func excessOf(re float32) float32 {
	const least, most = 1.0 / (1 << -excessLow), 1 << (excessHigh - 1)
	if !(re > least) {
		return 1 + (excesses[0]-1)*max(re, 0)*(1<<-excessLow)
	}
	if re >= most {
		return 0.44 / 24 * re
	}
	// the leading bits of a float's mantissa tell which entry, the others how far
	bits := math.Float32bits(re)
	const rest = 23 - excessBits
	at := int(bits>>rest) - (127+excessLow)<<excessBits
	t := float32(bits&(1<<rest-1)) * (1.0 / (1 << rest))
	return excesses[at] + (excesses[at+1]-excesses[at])*t
}

// slowing is 1/τ for particles of a size that move at speed against a fluid: how fast what
// is left of their velocity against it dies away.
type slowing struct {
	stokes float32 // 1/τ of Stokes' drag
	re     float32 // Reynolds number a metre a second
}

// newSlowing takes a diameter, the density of particle and fluid, and the viscosity.
func newSlowing(d, rho, fluid, mu float32) slowing {
	m := (rho + 0.5*fluid) * d * d
	if m <= 0 || mu <= 0 {
		return slowing{}
	}
	return slowing{18 * mu / m, fluid * d / mu}
}

// faded is e^−x and (1 − e^−x)/x for x ≥ 0, to 1e-6 of either.
func faded(x float32) (left, mean float32) {
	if x > 30 {
		return 0, 1 / x
	}
	// e^−x = 2^k e^r, |r| ≤ ½ ln 2, and e^r by its series
	k := float32(int32(x*1.44269504 + 0.5))
	r := k*0.693147182 - x
	e := 1 + r*(1+r*(0.5+r*(0.166666667+r*(0.0416666667+r*(0.00833333333+r*0.00138888889)))))
	left = e * math.Float32frombits(uint32(127-int32(k))<<23)
	if x < 0.03125 { // the difference to 1 would lose its digits
		return left, 1 - x*(0.5-x*(1.0/6-x*(1.0/24)))
	}
	return left, (1 - left) / x
}

// midway is the rate of slowing in the middle of a step, for a velocity against the fluid
// under the acceleration a. A first guess of the first order, an implicit step, is enough
// for the whole to be of the second.
func (s slowing) midway(dx, dy, dz, ax, ay, az, dt float32) float32 {
	h := dt / 2
	k := s.stokes * excessOf(s.re*length(dx, dy, dz))
	q := 1 / (1 + k*h)
	return s.stokes * excessOf(s.re*q*length(dx+ax*h, dy+ay*h, dz+az*h))
}

// fading is what a step of dt seconds leaves of a velocity against the fluid that slows at
// the rate k, the mean of that over the step, and the mean speed that a unit of
// acceleration gives.
//
// With the rate constant over a step the velocity goes to u + a/k as e^−kt, exact for
// Stokes' drag whatever the step:
//
//	v(t) = u + (v − u) e^−kt + a (1 − e^−kt)/k
//
// The mean of (1 − e^−kt)/k is (1 − m)/k, with m that of e^−kt: ½ dt for small k dt.
func fading(k, dt float32) (left, m, rise float32) {
	x := k * dt
	left, m = faded(x)
	if x > 0.0625 {
		return left, m, (1 - m) / k
	}
	return left, m, 0.5 * dt * (1 - x*(1.0/3-x*(1.0/12-x*(1.0/60))))
}

// carried moves a velocity v on for dt seconds in a fluid of velocity u under the
// acceleration a, and returns it and the mean over the step, by which positions move. k
// depends on the speed against the fluid, so it is taken where that is in the step's
// middle (midpoint rule, second order).
func (s slowing) carried(v, u, a [3]float32, dt float32) (next, mean [3]float32) {
	k := s.midway(v[0]-u[0], v[1]-u[1], v[2]-u[2], a[0], a[1], a[2], dt)
	left, m, rise := fading(k, dt)
	for c := range 3 {
		d := v[c] - u[c]
		next[c], mean[c] = u[c]+d*left+a[c]*m*dt, u[c]+d*m+a[c]*rise
	}
	return next, mean
}

func length(x, y, z float32) float32 {
	return float32(math.Sqrt(float64(x*x + y*y + z*z)))
}
