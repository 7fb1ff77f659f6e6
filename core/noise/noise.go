package noise

import "math"

// Hash mixes a seed and three lattice coordinates (finaliser of splitmix64).
func Hash(seed uint64, i, j, k int64) uint64 {
	h := seed + uint64(i)*0x9E3779B97F4A7C15 + uint64(j)*0xC2B2AE3D27D4EB4F + uint64(k)*0x165667B19E3779F9
	h ^= h >> 30
	h *= 0xBF58476D1CE4E5B9
	h ^= h >> 27
	h *= 0x94D049BB133111EB
	return h ^ h>>31
}

func fade(t float64) float64 { return t * t * t * (t*(t*6-15) + 10) }

// grad dots (x,y,z) with one of Perlin's twelve edge directions.
func grad(h uint64, x, y, z float64) float64 {
	switch h >> 60 {
	case 0, 12:
		return x + y
	case 1, 13:
		return -x + y
	case 2:
		return x - y
	case 3:
		return -x - y
	case 4:
		return x + z
	case 5:
		return -x + z
	case 6:
		return x - z
	case 7:
		return -x - z
	case 8:
		return y + z
	case 9, 14:
		return -y + z
	case 10:
		return y - z
	}
	return -y - z
}

// At is gradient noise at (x,y,z), about −1 to 1, 0 at lattice points, with
// features of size 1.
func At(seed uint64, x, y, z float64) float64 {
	fx, fy, fz := math.Floor(x), math.Floor(y), math.Floor(z)
	i, j, k := int64(fx), int64(fy), int64(fz)
	x, y, z = x-fx, y-fy, z-fz
	u, v, w := fade(x), fade(y), fade(z)
	mix := func(a, b, t float64) float64 { return a + (b-a)*t }
	g := func(a, b, c int64) float64 {
		return grad(Hash(seed, i+a, j+b, k+c), x-float64(a), y-float64(b), z-float64(c))
	}
	return mix(
		mix(mix(g(0, 0, 0), g(1, 0, 0), u), mix(g(0, 1, 0), g(1, 1, 0), u), v),
		mix(mix(g(0, 0, 1), g(1, 0, 1), u), mix(g(0, 1, 1), g(1, 1, 1), u), v), w)
}

// Octaves sums n octaves, each half the size and half the height.
func Octaves(seed uint64, n int, x, y, z float64) float64 {
	var s, a float64 = 0, 1
	for o := range n {
		s += a * At(seed+uint64(o)*0x51ED, x, y, z)
		x, y, z, a = 2*x, 2*y, 2*z, a/2
	}
	return s
}

// Row adds n octaves at (xs[i], y, z) to dst[i], with the bits of [Octaves] where dst
// is 0. Along a row places mostly lie in the cell of the one before, whose
// gradients are known, or in the next one.
func Row(dst []float64, seed uint64, n int, xs []float64, y, z float64) {
	times, a := 1.0, 1.0
	for o := range n {
		octave(dst, seed+uint64(o)*0x51ED, a, xs, times, y, z)
		y, z, a, times = 2*y, 2*z, a/2, 2*times
	}
}

// octave adds a times noise at times xs[i], which is exact as times is a power of 2.
func octave(dst []float64, seed uint64, a float64, xs []float64, times, y, z float64) {
	fy, fz := math.Floor(y), math.Floor(z)
	j, k := int64(fy), int64(fz)
	y, z = y-fy, z-fz
	v, w := fade(y), fade(z)
	var low, high corners
	at := int64(math.MinInt64)
	xs = xs[:len(dst)]
	for n := 0; n < len(xs); {
		i := int64(math.Floor(xs[n] * times))
		if i == at+1 && n > 0 {
			low = high
		} else {
			low.find(seed, i, j, k, y, z)
		}
		high.find(seed, i+1, j, k, y, z)
		at = i
		// the places in this cell
		p, q, from, first := low, high, float64(i), n
		for ; n < len(xs); n++ {
			x := xs[n]*times - from
			// the first one's cell is this, though rounding may put it at the end
			if n > first && !(x >= 0 && x < 1) {
				break
			}
			u, r := fade(x), x-1
			a0, b0 := p.g[0]*x+p.k[0], q.g[0]*r+q.k[0]
			a1, b1 := p.g[1]*x+p.k[1], q.g[1]*r+q.k[1]
			a2, b2 := p.g[2]*x+p.k[2], q.g[2]*r+q.k[2]
			a3, b3 := p.g[3]*x+p.k[3], q.g[3]*r+q.k[3]
			a0, a1, a2, a3 = a0+(b0-a0)*u, a1+(b1-a1)*u, a2+(b2-a2)*u, a3+(b3-a3)*u
			a0, a2 = a0+(a1-a0)*v, a2+(a3-a2)*v
			dst[n] += a * (a0 + (a2-a0)*w)
		}
	}
}

// corners are the four of a cell at one of its ends along x: what their gradients
// contribute along a row, g x + k each. Two of the three coordinates count, so that
// neither their order nor the one left out rounds anything.
type corners struct{ g, k [4]float64 }

func (s *corners) find(seed uint64, i, j, k int64, y, z float64) {
	for c := range s.g {
		b, d := int64(c&1), int64(c>>1)
		e := &edges[Hash(seed, i, j+b, k+d)>>60]
		s.g[c], s.k[c] = e[0], e[1]*(y-float64(b))+e[2]*(z-float64(d))
	}
}

// edges are Perlin's twelve directions as grad takes them: looked up, as they can't be
// foreseen.
var edges = func() (e [16][3]float64) {
	for h := range e {
		e[h] = [3]float64{grad(uint64(h)<<60, 1, 0, 0), grad(uint64(h)<<60, 0, 1, 0), grad(uint64(h)<<60, 0, 0, 1)}
	}
	return e
}()
