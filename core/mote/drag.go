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

func (s slowing) at(speed float32) float32 { return s.stokes * excessOf(s.re*speed) }

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

// carried moves a velocity v on for dt seconds in a fluid of velocity u under the
// acceleration a, and returns it and the mean over the step, by which positions move.
//
// With the rate k = 1/τ constant over a step, the velocity goes to u + a/k as e^−kt: exact
// for Stokes' drag whatever the step. k depends on the speed against the fluid, so it is
// taken where that is in the step's middle (midpoint rule, second order).
func (s slowing) carried(v, u, a [3]float32, dt float32) (next, mean [3]float32) {
	k := s.at(length(v[0]-u[0], v[1]-u[1], v[2]-u[2]))
	half, _ := s.over(v, u, a, k, dt/2)
	k = s.at(length(half[0]-u[0], half[1]-u[1], half[2]-u[2]))
	return s.over(v, u, a, k, dt)
}

// over is carried for a given rate.
func (s slowing) over(v, u, a [3]float32, k, dt float32) (next, mean [3]float32) {
	left, m := faded(k * dt)
	for c := range 3 {
		// v(t) = u + (v − u) e^−kt + a (1 − e^−kt)/k
		d := v[c] - u[c]
		next[c] = u[c] + d*left + a[c]*m*dt
		// the mean of e^−kt is m; that of (1 − e^−kt)/k is (1 − m)/k, ½ dt for small k dt
		rise := 0.5 * dt
		if x := k * dt; x > 0.0625 {
			rise = (1 - m) / k
		} else {
			rise *= 1 - x*(1.0/3-x*(1.0/12-x*(1.0/60)))
		}
		mean[c] = u[c] + d*m + a[c]*rise
	}
	return next, mean
}

func length(x, y, z float32) float32 {
	return float32(math.Sqrt(float64(x*x + y*y + z*z)))
}
