package vec

// Crowd and Apart work on drops: records of four numbers, a place and l. list names a drop's
// neighbours by where their records begin, in runs of whole blocks of 16 that are filled up with one
// that is farther away than any: those of the drop numbered first + k are list[from[k]:from[k+1]].
// t is 1 − d²/R², or 0 beyond R, with d the way from a neighbour to the drop and inv 1/R².

// Crowd puts five numbers for each drop in out: the sums of t⁴, of the three of d t³, and of d² t⁶.
func Crowd(out, rec []float32, list, from []int32, first int, inv float32) {
	n := neighbours(5, out, rec, list, from, first)
	switch {
	case n == 0:
	case Chosen == AVX512:
		crowdAVX512(&out[0], &rec[0], &list[0], &from[0], first, inv, n)
	case Chosen == AVX2:
		crowdAVX2(&out[0], &rec[0], &list[0], &from[0], first, inv, n)
	default:
		for k := range n {
			var sum [5][Lanes]float32
			around(rec, list[from[k]:from[k+1]], first+k, inv, func(lane int, d [3]float32, r2, t, l float32) {
				t2 := float32(t * t)
				t3 := float32(t * t2)
				sum[0][lane] += float32(t2 * t2)
				for m, d := range d {
					sum[1+m][lane] += float32(t3 * d)
				}
				sum[4][lane] += float32(r2 * float32(t3*t3))
			})
			for m := range sum {
				out[5*k+m] = halved(&sum[m])
			}
		}
	}
}

// Apart puts three numbers for each drop in out: the sum of (l + l') d t³, l being the drop's own.
func Apart(out, rec []float32, list, from []int32, first int, inv float32) {
	n := neighbours(3, out, rec, list, from, first)
	switch {
	case n == 0:
	case Chosen == AVX512:
		apartAVX512(&out[0], &rec[0], &list[0], &from[0], first, inv, n)
	case Chosen == AVX2:
		apartAVX2(&out[0], &rec[0], &list[0], &from[0], first, inv, n)
	default:
		for k := range n {
			var sum [3][Lanes]float32
			own := rec[4*(first+k)+3]
			around(rec, list[from[k]:from[k+1]], first+k, inv, func(lane int, d [3]float32, r2, t, l float32) {
				by := float32(float32(l+own) * float32(t*float32(t*t)))
				for m, d := range d {
					sum[m][lane] += float32(by * d)
				}
			})
			for m := range sum {
				out[3*k+m] = halved(&sum[m])
			}
		}
	}
}

// neighbours checks what kernels on drops are given, and returns how many drops there are. Indices
// within list are the caller's to keep.
func neighbours(sums int, out, rec []float32, list, from []int32, first int) int {
	n := max(len(from)-1, 0)
	Row(sums*n, out)
	Row(4*(first+n), rec)
	for k := range n {
		Whole(int(from[k+1] - from[k]))
	}
	if n > 0 && (from[0] < 0 || int(from[n]) > len(list)) {
		short(0, len(list), int(from[n]))
	}
	if n > 0 && from[n] == from[0] { // nobody is near
		clear(out[:sums*n])
		return 0
	}
	return n
}

// around calls pair for every neighbour of a drop.
func around(rec []float32, list []int32, drop int, inv float32, pair func(lane int, d [3]float32, r2, t, l float32)) {
	p := rec[4*drop:][:3]
	for i, at := range list {
		q := rec[at:][:4]
		d := [3]float32{p[0] - q[0], p[1] - q[1], p[2] - q[2]}
		r2 := float32(d[0]*d[0]) + float32(d[1]*d[1]) + float32(d[2]*d[2])
		pair(i%Lanes, d, r2, 1-min(float32(inv*r2), 1), q[3])
	}
}

// halved is the sum of lanes: the second half onto the first, down to one.
func halved(v *[Lanes]float32) float32 {
	for w := Lanes / 2; w > 0; w /= 2 {
		for i := range w {
			v[i] += v[i+w]
		}
	}
	return v[0]
}
