package drop

import "math"

// Reach is how far a drop sees others, in spacings.
const Reach = 2.2

// kernel is the cubic spline of a reach R: W(r) and W'(r) for the density in shares of that at rest,
// and how much of it lies beyond a plane.
type kernel struct {
	r      float64 // reach, m
	scale  float64 // of W: the sum over a lattice at rest is 1
	within float64 // of a drop itself
	beyond []float64
	slope  []float64
}

// spline is the kernel's shape at q = r/R, 0 to 1, and its slope by q (Monaghan 1992).
func spline(q float64) (w, dw float64) {
	switch {
	case q >= 1:
		return 0, 0
	case q < 0.5:
		return 1 + 6*q*q*(q-1), q * (18*q - 12)
	}
	t := 1 - q
	return 2 * t * t * t, -6 * t * t
}

// planes is how finely a kernel beyond a plane is known.
const planes = 256

func newKernel(spacing float64) *kernel {
	k := &kernel{r: Reach * spacing}
	sum := 0.0
	const n = 3 // ⌈Reach⌉
	for x := -n; x <= n; x++ {
		for y := -n; y <= n; y++ {
			for z := -n; z <= n; z++ {
				w, _ := spline(math.Sqrt(float64(x*x+y*y+z*z)) / Reach)
				sum += w
			}
		}
	}
	k.scale = 1 / sum
	k.within = k.scale
	// the kernel's volume, and that beyond a plane at d: ∫ 2π ρ W dρ dz over z > d
	k.beyond, k.slope = make([]float64, planes+1), make([]float64, planes+1)
	const steps = 400
	disc := func(z float64) (a float64) { // the integral over the plane at z
		for i := range steps {
			rho := (float64(i) + 0.5) / steps
			w, _ := spline(math.Hypot(rho, z))
			a += 2 * math.Pi * rho * w / steps
		}
		return a
	}
	area := make([]float64, planes+1)
	all := 0.0
	for i := range area {
		area[i] = disc(float64(i) / planes)
		all += area[i] / planes
	}
	all -= (area[0] + area[planes]) / (2 * planes)
	for i := planes - 1; i >= 0; i-- {
		k.beyond[i] = k.beyond[i+1] + (area[i]+area[i+1])/(2*planes)
	}
	for i := range area {
		k.beyond[i] /= 2 * all
		k.slope[i] = -area[i] / (2 * all) / k.r
	}
	return k
}

// past is the share of the density that lies beyond a plane at a distance, which may be behind it,
// and its slope by that, 1/m.
func (k *kernel) past(d float64) (share, slope float64) {
	q := math.Abs(d) / k.r
	if q >= 1 {
		if d < 0 {
			return 1, 0
		}
		return 0, 0
	}
	x := q * planes
	i := min(int(x), planes-1)
	f := x - float64(i)
	share = k.beyond[i]*(1-f) + k.beyond[i+1]*f
	slope = k.slope[i]*(1-f) + k.slope[i+1]*f
	if d < 0 {
		share = 1 - share
	}
	return share, slope
}
