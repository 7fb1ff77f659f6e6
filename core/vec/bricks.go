package vec

import "fmt"

// BrickRows are values of a brick, a row of them in room for Lanes.
type BrickRows [BrickValues * BrickValues][Lanes]float32

// Spread says between which values of a field a brick's lie: how many values from the
// first along each axis, the near ones and then the far ones, and how far along between
// them.
type Spread struct {
	X    [2][Lanes]int32 // below 8
	FX   [Lanes]float32
	Y, Z [2 * BrickValues]int // of whole rows: in values
	F    [2][BrickValues]float32
}

// Fill takes rows from between those of a field that begin at f. Values up to the eighth of
// each row must be there.
func (b *BrickRows) Fill(f []float32, s *Spread) {
	far := 0
	var y, z [2 * BrickValues]int
	for i := range y {
		y[i], z[i] = 4*s.Y[i], 4*s.Z[i]
	}
	for _, by := range [2]*[2 * BrickValues]int{&s.Y, &s.Z} {
		most := 0
		for _, v := range by {
			if most = max(most, v); v < 0 {
				panic(fmt.Sprintf("vec: rows %d values before a field", -v))
			}
		}
		far += most
	}
	if far+8 > len(f) {
		panic(fmt.Sprintf("vec: rows up to value %d of %d", far+8, len(f)))
	}
	switch Chosen {
	case AVX512:
		spreadBrickAVX512(&b[0][0], &f[0], &y, &z, &s.F[0], &s.F[1], &s.X[0], &s.X[1], &s.FX)
	case AVX2:
		spreadBrickAVX2(&b[0][0], &f[0], &y, &z, &s.F[0], &s.F[1], &s.X[0], &s.X[1], &s.FX)
	default:
		for n := range b {
			j, k := n%BrickValues, n/BrickValues
			row := func(j, k int) []float32 { return f[s.Y[j]+s.Z[k]:][:8] }
			r0, r1, r2, r3 := row(j, k), row(j+BrickValues, k), row(j, k+BrickValues), row(j+BrickValues, k+BrickValues)
			var cols [8]float32
			for i := range cols {
				cols[i] = Lerp(Lerp(r0[i], r1[i], s.F[0][j]), Lerp(r2[i], r3[i], s.F[0][j]), s.F[1][k])
			}
			for i := range b[n] {
				b[n][i] = Lerp(cols[s.X[0][i]&7], cols[s.X[1][i]&7], s.FX[i])
			}
		}
	}
}

// Braid puts four numbers of a brick's values side by side, times by.
func Braid(dst []uint16, from *[4]*BrickRows, by *[4]float32) {
	if len(dst) < BrickSize {
		panic(fmt.Sprintf("vec: a brick in %d numbers", len(dst)))
	}
	switch Chosen {
	case AVX512:
		braidAVX512(&dst[0], &from[0][0][0], &from[1][0][0], &from[2][0][0], &from[3][0][0], by, len(from[0]))
	case AVX2:
		braidAVX2(&dst[0], &from[0][0][0], &from[1][0][0], &from[2][0][0], &from[3][0][0], by, len(from[0]))
	default:
		for c, rows := range from {
			for n := range rows {
				for i, v := range rows[n][:BrickValues] {
					dst[4*(n*BrickValues+i)+c] = Half(v * by[c])
				}
			}
		}
	}
}
