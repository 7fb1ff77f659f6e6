package vec

import (
	"fmt"
	"math"
)

// Kernels of light from a place on the points of a row.

// Points are so many of a row.
const Points = 32

// Row32 is a number of each point.
type Row32 = [Points]float32

// Ways are those of a row's points to a place through a grid, in Looks even steps. Along x
// a point at x begins at (x − From) By, and goes on by (At − x) Step; Y and Z are where all
// of them begin along the other axes, in the middle of a step, and SY and SZ how they go on.
type Ways struct {
	At, Step, From, By, Y, Z, SY, SZ float32
	Looks                            int
}

// Depths adds up what lies in the cells of a grid on the ways of points. Beyond the grid is
// nothing; mean goes on for Lanes values behind the grid's n.
func Depths(dst, x *Row32, mean []float32, n [3]int, w *Ways) {
	if min(n[0], n[1], n[2], w.Looks) < 1 || len(mean) < n[0]*n[1]*n[2]+Lanes {
		panic(fmt.Sprintf("vec: %d looks in a grid of %v that has %d values", w.Looks, n, len(mean)))
	}
	switch Chosen {
	case AVX512:
		depthsAVX512(&dst[0], &x[0], &mean[0], n[0], n[1], n[2], w.At, w.Step, w.From, w.By, w.Y, w.Z, w.SY, w.SZ, w.Looks)
	case AVX2:
		depthsAVX2(&dst[0], &x[0], &mean[0], n[0], n[1], n[2], w.At, w.Step, w.From, w.By, w.Y, w.Z, w.SY, w.SZ, w.Looks)
	default:
		for m := range dst {
			d := (w.At - x[m]) * w.Step
			p, y, z := float32((x[m]-w.From)*w.By)+float32(0.5*d), w.Y, w.Z
			var sum float32
			for range w.Looks {
				if i, j, k := int(p), int(y), int(z); i >= 0 && i < n[0] && j >= 0 && j < n[1] && k >= 0 && k < n[2] {
					sum += mean[(k*n[1]+j)*n[0]+i]
				}
				p, y, z = p+d, y+w.SY, z+w.SZ
			}
			dst[m] = sum
		}
	}
}

// Reach is how far points are from a place at x = at whose distance across is the root of
// across: way, and radii = way·one; tau becomes way·tau.
func Reach(radii, way, tau, x *Row32, at, across, one float32) {
	switch Chosen {
	case AVX512:
		reachAVX512(&radii[0], &way[0], &tau[0], &x[0], at, across, one)
	case AVX2:
		reachAVX2(&radii[0], &way[0], &tau[0], &x[0], at, across, one)
	default:
		for m := range way {
			d := at - x[m]
			d = float32(math.Sqrt(float64(float32(d*d) + across)))
			way[m], radii[m] = d, d*one
			tau[m] *= d
		}
	}
}

// Beam is how much of a ball's light comes to points so many radii from its middle, through
// smoke of depth tau that lets pass through: w = share·pass·(sinh q/q to its eighth
// power)/radii², q = min(tau/radii, 4) the depth of a radius.
func Beam(w, radii, tau, pass *Row32, share float32) {
	switch Chosen {
	case AVX512:
		beamAVX512(&w[0], &radii[0], &tau[0], &pass[0], share)
	case AVX2:
		beamAVX2(&w[0], &radii[0], &tau[0], &pass[0], share)
	default:
		for m, x := range radii {
			q := tau[m] / x
			if !(q < 4) {
				q = 4
			}
			q *= q
			v := float32(1)
			for _, n := range [4]float32{1.0 / 72, 1.0 / 42, 1.0 / 20, 1.0 / 6} {
				v = float32(v*float32(q*n)) + 1
			}
			w[m] = float32(float32(v*pass[m])*share) / float32(x*x)
		}
	}
}

// Receive adds w of a light's power to points, and to its flux as it comes from a place at
// x = at[0]; the way there along the other axes is at[1] and at[2].
func Receive(sum, flux *[3]Row32, w, way, x *Row32, power, at *[3]float32, bright float32) {
	switch Chosen {
	case AVX512:
		receiveAVX512(&sum[0][0], &flux[0][0], &w[0], &way[0], &x[0], power, at, bright)
	case AVX2:
		receiveAVX2(&sum[0][0], &flux[0][0], &w[0], &way[0], &x[0], power, at, bright)
	default:
		for m, v := range w {
			k := float32(v*bright) / (way[m] + 1e-9)
			for c := range 3 {
				sum[c][m] += float32(v * power[c])
			}
			flux[0][m] -= float32((at[0] - x[m]) * k)
			flux[1][m] -= float32(at[1] * k)
			flux[2][m] -= float32(at[2] * k)
		}
	}
}
