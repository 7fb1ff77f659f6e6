package drop

import "math"

// Reach is how far a drop sees others, in spacings.
const Reach = 2.2

// kernel is W(r) = (1 − r²/R²)⁴ of a reach R, for the density in shares of that at rest, and how much
// of it lies beyond a plane. It is as wide as the cubic spline of the same reach (their second moments
// are 3/13 and 9/40 of R²), and neither it nor its slope asks for a root.
type kernel struct {
	r      float64 // reach, m
	scale  float64 // of W: the sum over a lattice at rest is 1
	within float64 // of a drop itself
	fall   float64 // of W by place: that times d t³, 1/m² (vec.Crowd)
	beyond []float64
	slope  []float64
}

// shape is the kernel at q = r/R.
func shape(q float64) float64 {
	t := 1 - q*q
	if t <= 0 {
		return 0
	}
	return t * t * t * t
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
				sum += shape(math.Sqrt(float64(x*x+y*y+z*z)) / Reach)
			}
		}
	}
	k.scale = 1 / sum
	k.within, k.fall = k.scale, -8*k.scale/(k.r*k.r)
	// the kernel's volume, and that beyond a plane at d: ∫ 2π ρ W dρ dz over z > d
	k.beyond, k.slope = make([]float64, planes+1), make([]float64, planes+1)
	const steps = 400
	disc := func(z float64) (a float64) { // the integral over the plane at z
		for i := range steps {
			rho := (float64(i) + 0.5) / steps
			a += 2 * math.Pi * rho * shape(math.Hypot(rho, z)) / steps
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
