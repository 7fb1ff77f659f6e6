package vec

import (
	"fmt"
	"math"
)

// Sixteen are the numbers of a point of a lattice that is refined.
type Sixteen = [Lanes]float32

// Midway puts points between those of rows: dst halfway from b to c, on a cubic that goes
// through a, b, c and d too, evenly apart (Keys 1981). bad is 1 where that lies farther from
// the straight line than base + rel times the value, in any number, and else 0.
func Midway(dst, a, b, c, d []Sixteen, rel, base *Sixteen, bad []uint8) {
	n := len(dst)
	if len(a) != n || len(b) != n || len(c) != n || len(d) != n || len(bad) != n {
		panic(fmt.Sprintf("vec: rows of %d, %d, %d, %d and %d for %d points and %d marks", len(a), len(b), len(c), len(d), n, n, len(bad)))
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		midwayAVX512(&dst[0][0], &a[0][0], &b[0][0], &c[0][0], &d[0][0], &rel[0], &base[0], &bad[0], n)
	case Chosen == AVX2:
		midwayAVX2(&dst[0][0], &a[0][0], &b[0][0], &c[0][0], &d[0][0], &rel[0], &base[0], &bad[0], n)
	default:
		for i := range dst {
			bad[i] = 0
			for l := range dst[i] {
				near := b[i][l] + c[i][l]
				e := (near - (a[i][l] + d[i][l])) * (1.0 / 16)
				near *= 0.5
				dst[i][l] = near + e
				if !(abs(e) <= float32(abs(near)*rel[l])+base[l]) {
					bad[i] = 1
				}
			}
		}
	}
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }
