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
