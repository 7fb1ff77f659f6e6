package sea

import "math"

// State is what makes a sea.
type State struct {
	Wind     float64 // m/s, 10 m above the water
	Bearing  float64 // rad, where the waves run to: 0 is −z, a quarter turn +x
	Fetch    float64 // m over which the wind has blown
	Depth    float64 // m
	Spread   float64 // of directions: 0 all waves run one way, 1 as measured at sea
	Choppy   float64 // of the horizontal motion at the surface: 1 as it is, 0 rounds crests
	Height   float64 // factor of all heights
	Longest  float64 // m, tile of the longest waves
	Shortest float64 // m, waves under this are left out
	Under    float64 // m, waves from this on are left out; 0: none are
	Level    float64 // m, height of the still water
	Gravity  float64 // m/s²
	Seed     uint64
	Crest    Crest
}

// Crest is a wave that stands out: so high over the still water, at a place at a moment.
type Crest struct {
	High float64 // m; 0: there is none
	X, Z float64 // m
	T    float64 // s
}

// Constants of JONSWAP.
const (
	peakGamma = 3.3
	pierson   = 1.25
	tension   = 0.072 / 1025 // m³/s², of sea water
)

// omega is the frequency of a wave of wavenumber k, rad/s, and the change of it by that,
// m/s: its group's speed.
func (s *State) omega(k float64) (w, slope float64) {
	kd := min(k*s.Depth, 40)
	th := math.Tanh(kd)
	a, da := s.Gravity*k+tension*k*k*k, s.Gravity+3*tension*k*k
	w = math.Sqrt(a * th)
	return w, (da*th + a*s.Depth*(1-th*th)) / (2 * w)
}

// peak is the frequency of the highest waves, rad/s.
func (s *State) peak() float64 {
	return 22 * math.Cbrt(s.Gravity*s.Gravity/(s.Wind*s.Fetch))
}

// Energy is the spectrum of the heights' variance, m² s/rad, at a frequency of w rad/s.
func (s *State) Energy(w float64) float64 {
	if s.Wind <= 0 || w <= 0 {
		return 0
	}
	g, wp := s.Gravity, s.peak()
	alpha := 0.076 * math.Pow(s.Wind*s.Wind/(s.Fetch*g), 0.22)
	sigma := 0.07
	if w > wp {
		sigma = 0.09
	}
	r := math.Exp(-(w - wp) * (w - wp) / (2 * sigma * sigma * wp * wp))
	e := alpha * g * g / math.Pow(w, 5) * math.Exp(-pierson*math.Pow(wp/w, 4)) * math.Pow(peakGamma, r)
	return e * s.Height * s.Height * shallow(w*math.Sqrt(s.Depth/g))
}

// shallow is the factor of TMA, by Kitaigorodskii's depth function in Thompson and Vincent's
// form: w is the frequency times √(d/g).
func shallow(w float64) float64 {
	switch {
	case w <= 1:
		return w * w / 2
	case w < 2:
		return 1 - (2-w)*(2-w)/2
	}
	return 1
}

// spreads is how much of a frequency's energy goes in directions at an angle to the wind,
// 1/rad, its integral 1: that of Donelan, Hamilton and Hui with Banner's (1990) tail, drawn
// together by Spread.
func (s *State) spreads(w, angle float64) float64 {
	r := w / s.peak()
	var beta float64
	switch {
	case r < 0.95:
		beta = 2.61 * math.Pow(max(r, 0.56), 1.3)
	case r < 1.6:
		beta = 2.28 * math.Pow(r, -1.3)
	default:
		beta = math.Pow(10, -0.4+0.8393*math.Exp(-0.567*math.Log(r*r)))
	}
	beta /= max(s.Spread, 0.02)
	c := 1 / math.Cosh(min(beta*angle, 300))
	return beta / (2 * math.Tanh(beta*math.Pi)) * c * c
}

// Variance of the height, m², of waves from lengths of from to to, m.
func (s *State) Variance(from, to float64) float64 {
	const steps = 4000
	lo, hi := math.Log(2*math.Pi/to), math.Log(2*math.Pi/from)
	var sum float64
	for i := range steps {
		k := math.Exp(lo + (hi-lo)*(float64(i)+0.5)/steps)
		w, slope := s.omega(k)
		sum += s.Energy(w) * slope * k * (hi - lo) / steps
	}
	return sum
}

// Significant is the significant height, m: the mean of the highest third of waves from
// trough to crest, four times the deviation of heights.
func (s *State) Significant() float64 {
	if s.Wind <= 0 {
		return 0
	}
	return 4 * math.Sqrt(s.Variance(max(s.Shortest, 1e-3), s.reach()))
}

// reach is the longest wave that is added up.
func (s *State) reach() float64 { return s.Longest / least }

// PeakLength is the length of the highest waves, m; 0 without wind.
func (s *State) PeakLength() float64 {
	if s.Wind <= 0 {
		return 0
	}
	return s.LengthOf(s.peak())
}

// LengthOf is the length of waves of frequency w, m.
func (s *State) LengthOf(w float64) float64 {
	k := w * w / s.Gravity
	for range 60 { // Newton; the deep-water wave is never shorter
		v, slope := s.omega(k)
		k = max(k-(v-w)/slope, k/4)
	}
	return 2 * math.Pi / k
}

// PeakPeriod is that of the highest waves, s; 0 without wind.
func (s *State) PeakPeriod() float64 {
	if s.Wind <= 0 {
		return 0
	}
	return 2 * math.Pi / s.peak()
}
