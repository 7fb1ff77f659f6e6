package vec

import "fmt"

// Kernels of rays through bricks: blocks of 8³ cells with the values at all their
// corners, four numbers each. A look at a place reads 4 pairs of values, each by one
// load that holds both with all their numbers.

// Of a brick: its cells an edge, values an edge, and numbers in all.
const (
	BrickCells  = 8
	BrickValues = BrickCells + 1
	BrickSize   = 4 * BrickValues * BrickValues * BrickValues
)

// MaxLooks is how many places Looks hold.
const MaxLooks = 256

// Four are four numbers of each look.
type Four [4][MaxLooks]float32

// Looks are places along a ray, in bricks.
type Looks struct {
	n       int
	off     [MaxLooks + Lanes]int32
	x, y, z [MaxLooks + Lanes]float32
	far     int32 // where the farthest brick begins
}

// Clear forgets all places.
func (l *Looks) Clear() { l.n, l.far = 0, 0 }

// Len is how many places there are.
func (l *Looks) Len() int { return l.n }

// Place adds n places, MaxLooks in all at most, in the brick that begins at number base
// of an array: the first at start, in cells from the brick's corner, each of the others a
// step on.
func (l *Looks) Place(n int, base int32, start, step [3]float32) {
	at := l.n
	if n < 0 || at+n > MaxLooks || base < 0 {
		panic(fmt.Sprintf("vec: looks %d to %d of %d, in a brick from %d on", at, at+n, MaxLooks, base))
	}
	if n == 0 {
		return
	}
	l.n, l.far = at+n, max(l.far, base)
	way := [6]float32{start[0], start[1], start[2], step[0], step[1], step[2]}
	full := (n + Lanes - 1) &^ (Lanes - 1) // there is room, and what comes next writes over it
	switch Chosen {
	case AVX512:
		placeAVX512(&l.off[at], &l.x[at], &l.y[at], &l.z[at], &way, base, full)
	case AVX2:
		placeAVX2(&l.off[at], &l.x[at], &l.y[at], &l.z[at], &way, base, full)
	default:
		for i := range full {
			var cell [3]int32
			for a, to := range [3]*[MaxLooks + Lanes]float32{&l.x, &l.y, &l.z} {
				v := start[a] + float32(step[a]*float32(i))
				if !(v > 0) {
					v = 0
				} else if v > BrickCells {
					v = BrickCells
				}
				cell[a] = min(int32(v), BrickCells-1)
				to[at+i] = v - float32(cell[a])
			}
			l.off[at+i] = base + 4*((cell[2]*BrickValues+cell[1])*BrickValues+cell[0])
		}
	}
}

// Read is what lies at all places, a multiple of Lanes, of an array of bricks; those in
// the brick that begins at limit, or beyond, are read at its corner.
func (l *Looks) Read(dst *Four, data []float32, limit int32) {
	n := l.n
	Whole(n)
	if far := int(min(l.far, limit)); limit < 0 || far+BrickSize > len(data) {
		panic(fmt.Sprintf("vec: bricks up to %d of %d numbers", far, len(data)))
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		lookAVX512(&dst[0][0], &data[0], &l.off[0], &l.x[0], &l.y[0], &l.z[0], limit, MaxLooks, n)
	case Chosen == AVX2:
		lookAVX2(&dst[0][0], &data[0], &l.off[0], &l.x[0], &l.y[0], &l.z[0], limit, MaxLooks, n)
	default:
		for i := range n {
			const row, plane = 4 * BrickValues, 4 * BrickValues * BrickValues
			p := data[min(l.off[i], limit):][:plane+row+8]
			for c := range 4 {
				side := func(o int) float32 {
					near := Lerp(p[o], p[o+row], l.y[i])
					return Lerp(near, Lerp(p[o+plane], p[o+plane+row], l.y[i]), l.z[i])
				}
				dst[c][i] = Lerp(side(c), side(c+4), l.x[i])
			}
		}
	}
}

// Dim turns what looks along a ray let pass into what they take away. With T what is left
// of light before a look, through at the first: kept = T and pass = T (1 − pass). It
// returns what is left behind the last of n, a multiple of Lanes.
func Dim(pass, kept *[MaxLooks]float32, through float32, n int) float32 {
	Whole(n)
	if n > MaxLooks {
		panic(fmt.Sprintf("vec: %d looks of %d", n, MaxLooks))
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		return dimAVX512(&pass[0], &kept[0], through, n)
	case Chosen == AVX2:
		return dimAVX2(&pass[0], &kept[0], through, n)
	default:
		for o := 0; o < n; o += 8 {
			a, k := pass[o:o+8], kept[o:o+8]
			var p [8]float32 // products of all up to each
			copy(p[:], a)
			for by := 1; by < 8; by *= 2 {
				q := p
				for i := range p {
					switch {
					case by < 4 && i%4 >= by:
						p[i] = q[i] * q[i-by]
					case by == 4 && i >= 4:
						p[i] = q[i] * q[3]
					}
				}
			}
			before := through
			for i := range p {
				k[i] = before
				a[i] = before * (1 - a[i])
				before = p[i] * through
			}
			through = before
		}
	}
	return through
}

// Shares adds up rows of looks by weight: dst[c] += Σ w·rows[c] over the first n, a
// multiple of Lanes.
func Shares(dst *[4]float32, w *[MaxLooks]float32, rows *Four, n int) {
	Whole(n)
	if n > MaxLooks {
		panic(fmt.Sprintf("vec: %d looks of %d", n, MaxLooks))
	}
	switch {
	case n == 0:
	case Chosen == AVX512:
		sharesAVX512(dst, &w[0], &rows[0][0], MaxLooks, n)
	case Chosen == AVX2:
		sharesAVX2(dst, &w[0], &rows[0][0], MaxLooks, n)
	default:
		for c := range dst {
			var sum [8]float32
			for i, k := range w[:n] {
				sum[i%8] += float32(k * rows[c][i])
			}
			for h := 4; h > 0; h /= 2 {
				for i := range h {
					sum[i] += sum[i+h]
				}
			}
			dst[c] += sum[0]
		}
	}
}
