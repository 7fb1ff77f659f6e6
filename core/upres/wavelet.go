package upres

// Noise that lives in one octave and has no divergence. A tile of it is made once a
// seed and repeated: 65³ vectors, 3.3 MB, small enough to stay in the last cache.

import (
	"math"
	"sync"

	"zarf/core/grid"
	"zarf/core/noise"
)

// tileSize is the edge of the periodic noise tile in its own texels; it is
// stored twice as fine.
const (
	tileSize = 32
	tileFine = 2 * tileSize
)

// Filters of wavelet noise (Cook and DeRose 2005): analysis and refinement of
// quadratic B-splines.
var (
	analysis = [32]float64{
		0.000334, -0.001528, 0.000410, 0.003545, -0.000938, -0.008233, 0.002172, 0.019120,
		-0.005040, -0.044412, 0.011655, 0.103311, -0.025936, -0.243780, 0.033979, 0.655340,
		0.655340, 0.033979, -0.243780, -0.025936, 0.103311, 0.011655, -0.044412, -0.005040,
		0.019120, 0.002172, -0.008233, -0.000938, 0.003546, 0.000410, -0.001528, 0.000334}
	refine = [4]float64{0.25, 0.75, 0.75, 0.25}
)

func wrap(i, n int) int { return ((i % n) + n) % n }

// band takes from periodic noise what its half resolution can't hold.
func band(seed uint64) []float64 {
	// Random numbers less what remains of them after going down to half the
	// resolution and back: what is left lives in the upper octave alone (Cook and
	// DeRose 2005, 3.2).
	n := tileSize
	r := make([]float64, n*n*n)
	for i := range r {
		// the sum of four uniform numbers is normal enough
		h := noise.Hash(seed, int64(i), 1, 2)
		s := 0.0
		for b := range 4 {
			s += float64(h>>(16*b)&0xffff)/65535 - 0.5
		}
		r[i] = s * math.Sqrt(3)
	}
	low := append([]float64(nil), r...)
	line, half := make([]float64, n), make([]float64, n/2)
	// an axis at a time, in place: the filters are separable and the tile periodic
	for axis, step := range [3]int{1, n, n * n} {
		for a := range n * n {
			var o int
			switch axis {
			case 0:
				o = a * n
			case 1:
				o = a/n*n*n + a%n
			case 2:
				o = a
			}
			for i := range line {
				line[i] = low[o+i*step]
			}
			for i := range half {
				s := 0.0
				// downsample by the analysis filter: least squares for quadratic
				// B-splines
				for k := -16; k < 16; k++ {
					s += analysis[16+k] * line[wrap(2*i+k, n)]
				}
				half[i] = s
			}
			for i := range line {
				s := 0.0
				// refine: the B-spline's two-scale relation
				for k := i / 2; k <= i/2+1; k++ {
					s += refine[2+i-2*k] * half[wrap(k, n/2)]
				}
				low[o+i*step] = s
			}
		}
	}
	for i := range r {
		r[i] -= low[i]
	}
	return r
}

// spline evaluates the quadratic B-spline and its derivative at a position;
// first is the index of the first of the three texels.
func spline(x float64) (first int, w, d [3]float64) {
	// the three texels whose splines reach x; their weights add up to 1, their
	// slopes to 0
	m := math.Ceil(x - 0.5)
	t := m - (x - 0.5)
	w = [3]float64{t * t / 2, 0, (1 - t) * (1 - t) / 2}
	w[1] = 1 - w[0] - w[2]
	d = [3]float64{-t, 2*t - 1, 1 - t}
	return int(m) - 1, w, d
}

// gradient of the noise at a position in texels.
// 27 texels with their products of splines; it runs only when the tile is made.
func gradient(r []float64, x, y, z float64) (g [3]float64) {
	// product of splines: the slope along an axis takes that axis's derivative
	i, wx, dx := spline(x)
	j, wy, dy := spline(y)
	k, wz, dz := spline(z)
	n := tileSize
	for c := range 3 {
		for b := range 3 {
			o := (wrap(k+c, n)*n + wrap(j+b, n)) * n
			for a := range 3 {
				v := r[o+wrap(i+a, n)]
				g[0] += v * dx[a] * wy[b] * wz[c]
				g[1] += v * wx[a] * dy[b] * wz[c]
				g[2] += v * wx[a] * wy[b] * dz[c]
			}
		}
	}
	return g
}

// whirls is a periodic tile of divergence-free noise of one octave: the curl of
// three bands, with a root mean square of 1.
type whirls [3]*grid.Field

var made sync.Map // seed → *whirls

// whirlsOf is the curl of three tiles of band-limited noise, divided by its mean
// strength: velocities without divergence whose square is 1 on the mean. It is
// made once for a seed, 3 × 4 bytes a point.
func whirlsOf(seed uint64, crew grid.Crew) *whirls {
	if w, ok := made.Load(seed); ok {
		return w.(*whirls)
	}
	var r [3][]float64
	for c := range r {
		r[c] = band(seed*3 + uint64(c) + 77)
	}
	// one more value along each axis repeats the first, so that sampling
	// across the seam needs no wrapping
	d := grid.Dims{NX: tileFine + 1, NY: tileFine + 1, NZ: tileFine + 1}
	w := &whirls{grid.NewField(d), grid.NewField(d), grid.NewField(d)}
	crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				for i := range d.NX {
					x, y, z := float64(i)/2, float64(j)/2, float64(k)/2
					a, b, c := gradient(r[0], x, y, z), gradient(r[1], x, y, z), gradient(r[2], x, y, z)
					// ∇ × (a, b, c) from exact derivatives: free of divergence
					// before interpolation
					w[0].Set(i, j, k, float32(c[1]-b[2]))
					w[1].Set(i, j, k, float32(a[2]-c[0]))
					w[2].Set(i, j, k, float32(b[0]-a[1]))
				}
			}
		}
	})
	sum := 0.0
	for c := range w {
		for _, v := range w[c].Data {
			sum += float64(v) * float64(v)
		}
	}
	// to a root mean square of 1, so that gain is a speed
	q := float32(1 / math.Sqrt(sum/float64(d.Len())))
	for c := range w {
		for i := range w[c].Data {
			w[c].Data[i] *= q
		}
	}
	made.Store(seed, w)
	return w
}
