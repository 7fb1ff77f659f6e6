package vec

import (
	"fmt"
	"math"
	"sync"
)

// Kernels of rays through bricks: blocks of 8³ cells with the values at all their
// corners, four numbers each. A look at a place reads 4 pairs of values, each by one
// load that holds both with all their numbers. Rays wait for memory: numbers are halves.

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

// Looks are what lies at places along a ray.
type Looks struct {
	n    int
	four [MaxLooks + 4][4]float32
	few  [MaxLooks + 4][4]float32 // those that ReadFew looks at
}

// Way is a stretch of a ray: where its first place lies, in cells from the corner of all
// bricks, and how far apart places are.
type Way [6]float32

// Bricks are those of a box, and where they begin in arrays.
type Bricks struct {
	At   []int32 // x fastest
	Most int32   // of them
	top  [3]float32
	c    [5]int32 // last cell along each axis; bricks to the next row and plane
}

// NewBricks are n bricks along each axis, with room for where they begin.
func NewBricks(n [3]int) Bricks {
	b := Bricks{At: make([]int32, n[0]*n[1]*n[2])}
	for a, m := range n {
		b.top[a], b.c[a] = float32(BrickCells*m), int32(BrickCells*m-1)
	}
	b.c[3], b.c[4] = int32(n[0]), int32(n[0]*n[1])
	return b
}

// Clear forgets all places.
func (l *Looks) Clear() { l.n = 0 }

// Len is how many places there are.
func (l *Looks) Len() int { return l.n }

// Nothing adds n places where there is nothing.
func (l *Looks) Nothing(n int) {
	clear(l.four[l.n : l.n+n])
	l.n += n
}

// Read adds n places, MaxLooks in all at most, of bricks in an array; those beyond the
// box are read at its side, and bricks that begin beyond limit as one that begins there.
func (l *Looks) Read(data []uint16, b *Bricks, limit int32, w *Way, n int) {
	if far := int(min(b.Most, limit)); n < 0 || l.n+n > MaxLooks || limit < 0 || far+BrickSize > len(data) {
		panic(fmt.Sprintf("vec: looks %d to %d of %d, in bricks up to %d of %d numbers", l.n, l.n+n, MaxLooks, far, len(data)))
	}
	if n == 0 {
		return
	}
	to := &l.four[l.n]
	l.n += n
	switch Chosen {
	case AVX512:
		looksAVX512(&to[0], &data[0], &b.At[0], (*[6]float32)(w), &b.top, &b.c, limit, n)
	case AVX2:
		looksAVX2(&to[0], &data[0], &b.At[0], (*[6]float32)(w), &b.top, &b.c, limit, n)
	default:
		for i := range n {
			l.four[l.n-n+i] = b.read(data, w, limit, float32(i))
		}
	}
}

// ReadFew is Read of what changes so slowly along the way that every gap places are enough:
// the first, the last, and some evenly between are read, others put between them.
func (l *Looks) ReadFew(data []uint16, b *Bricks, limit int32, w *Way, n, gap int) {
	parts := (n - 2 + max(gap, 1)) / max(gap, 1) // at most half of n where gap is 2
	if n < 3 || parts >= n-1 || n >= len(evenly) {
		l.Read(data, b, limit, w, n)
		return
	}
	few := &evenly[n][parts]
	few.once.Do(func() { few.fill(n, parts) })
	far := *w
	for a := range 3 {
		far[3+a] *= float32(n-1) / float32(parts)
	}
	begin := l.n
	l.Read(data, b, limit, &far, parts+1)
	l.n = begin + n
	if l.n > MaxLooks {
		panic(fmt.Sprintf("vec: looks up to %d of %d", l.n, MaxLooks))
	}
	copy(l.few[:parts+1], l.four[begin:])
	switch Chosen {
	case AVX512:
		stretchAVX512(&l.four[begin][0], &l.few[0][0], &few.at[0], &few.f[0], n)
	case AVX2:
		stretchAVX2(&l.four[begin][0], &l.few[0][0], &few.at[0], &few.f[0], n)
	default:
		for i := range n {
			a, c := &l.few[few.at[i]], &l.few[few.at[i]+1]
			for k := range a {
				l.four[begin+i][k] = Lerp(a[k], c[k], few.f[i])
			}
		}
	}
}

// spacing says between which of few places each of many lies, and how far along.
type spacing struct {
	once sync.Once
	at   []int32
	f    []float32
}

// evenly are spacings of so many places over so many parts.
var evenly [65][33]spacing

func (s *spacing) fill(n, parts int) {
	s.at, s.f = make([]int32, n), make([]float32, n)
	for i := range n {
		x := float32(i) * float32(parts) / float32(n-1)
		at := min(int(x), parts-1)
		s.at[i], s.f[i] = int32(at), x-float32(at)
	}
}

// Seen is how much of what steps along a ray give off is seen, of what is left before each
// and what each takes: e^−τ falls from k to k − pass, and Simpson's rule takes its mean, (k + b
// + 4 √(k b))/6 with b = max(k − pass, 0).
func Seen(dst, kept, pass []float32) {
	n := len(dst)
	Row2(n, kept, pass)
	switch {
	case n == 0:
	case Chosen == AVX512:
		seenAVX512(&dst[0], &kept[0], &pass[0], n)
	case Chosen == AVX2:
		seenAVX2(&dst[0], &kept[0], &pass[0], n)
	default:
		for i, k := range kept[:n] {
			b := max(k-pass[i], 0)
			dst[i] = ((k + b) + float32(4*float32(math.Sqrt(float64(float32(k*b)))))) * (1.0 / 6)
		}
	}
}

// read reads one place.
func (b *Bricks) read(data []uint16, w *Way, limit int32, i float32) (out [4]float32) {
	const row, plane = 4 * BrickValues, 4 * BrickValues * BrickValues
	var cell [3]int
	var f [3]float32
	for a := range f {
		v := w[a] + float32(w[3+a]*i)
		if !(v > 0) {
			v = 0
		} else if v > b.top[a] {
			v = b.top[a]
		}
		cell[a] = min(int(v), int(b.c[a]))
		f[a] = v - float32(cell[a])
	}
	begin := min(b.At[cell[2]/BrickCells*int(b.c[4])+cell[1]/BrickCells*int(b.c[3])+cell[0]/BrickCells], limit)
	p := data[int(begin)+4*((cell[2]%BrickCells*BrickValues+cell[1]%BrickCells)*BrickValues+cell[0]%BrickCells):][:plane+row+8]
	for c := range out {
		side := func(o int) float32 {
			at := func(o int) float32 { return Float(p[o]) }
			near := Lerp(at(o), at(o+row), f[1])
			return Lerp(near, Lerp(at(o+plane), at(o+plane+row), f[1]), f[2])
		}
		out[c] = Lerp(side(c), side(c+4), f[0])
	}
	return out
}

// Rows are the four numbers of all places, in a row each and times scale, filled up with
// nothing to a multiple of Lanes, which is returned.
func (l *Looks) Rows(dst *Four, scale *[4]float32) int {
	count := l.n
	n := (count + Lanes - 1) &^ (Lanes - 1)
	l.Nothing(n - count)
	l.n = count
	switch {
	case n == 0:
	case Chosen == AVX512:
		turnAVX512(&dst[0][0], &l.four[0][0], scale, MaxLooks, n)
	case Chosen == AVX2:
		turnAVX2(&dst[0][0], &l.four[0][0], scale, MaxLooks, n)
	default:
		for i, p := range l.four[:n] {
			for c, v := range p {
				dst[c][i] = v * scale[c]
			}
		}
	}
	return n
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

// Slice is rows of n values in arrays: Wide apart where light goes on, Step apart in cells.
type Slice struct{ N, Rows, Wide, Step int }

// Carry takes light on through a slice of cells that give e = aim·src: to = in·pass + e (1 −
// pass), and out = share (e + (in − e) mean), the mean within them.
func Carry(to, in, pass, mean, src, out []float32, s Slice, aim, share float32) {
	if s.N <= 0 || s.Rows <= 0 {
		return
	}
	light, cells := (s.Rows-1)*s.Wide+s.N, (s.Rows-1)*s.Step+s.N
	if min(len(to), len(in)) < light || min(len(pass), len(mean), len(src), len(out)) < cells || s.Wide < 0 || s.Step < 0 {
		panic(fmt.Sprintf("vec: %d rows of %d values, %d and %d apart, of %d, %d and %d, %d, %d, %d", s.Rows, s.N, s.Wide, s.Step, len(to), len(in), len(pass), len(mean), len(src), len(out)))
	}
	switch Chosen {
	case AVX512:
		carryAVX512(&to[0], &in[0], &pass[0], &mean[0], &src[0], &out[0], s.Wide, s.Step, s.Rows, s.N, aim, share)
	case AVX2:
		carryAVX2(&to[0], &in[0], &pass[0], &mean[0], &src[0], &out[0], s.Wide, s.Step, s.Rows, s.N, aim, share)
	default:
		for r := range s.Rows {
			l, c := r*s.Wide, r*s.Step
			for i, v := range in[l : l+s.N] {
				e := float32(aim * src[c+i])
				out[c+i] = float32(share * (e + float32((v-e)*mean[c+i])))
				to[l+i] = float32(v*pass[c+i]) + float32(e*(1-pass[c+i]))
			}
		}
	}
}

// Collect adds up rows that lie as far apart as by has room for each: dst = Σ parts and
// seen += Σ parts·by. dst and seen may be part of a row, from value at on.
func Collect(dst, seen, parts, by []float32, at, step int) {
	n := len(dst)
	Row(n, seen)
	if at < 0 || step < at+n || len(parts)%max(step, 1) != 0 || len(by) < len(parts) {
		panic(fmt.Sprintf("vec: values %d to %d of rows of %d, of %d in all and %d", at, at+n, step, len(parts), len(by)))
	}
	count := len(parts) / max(step, 1)
	switch {
	case n == 0 || count == 0:
	case Chosen == AVX512:
		collectAVX512(&dst[0], &seen[0], &parts[at], &by[at], step, count, n)
	case Chosen == AVX2:
		collectAVX2(&dst[0], &seen[0], &parts[at], &by[at], step, count, n)
	default:
		for i := range dst {
			var sum float32
			eye := seen[i]
			for o := at + i; o < len(parts); o += step {
				sum += parts[o]
				eye += float32(parts[o] * by[o])
			}
			dst[i], seen[i] = sum, eye
		}
	}
}

// Flux is the mean direction of what parts of rows go along, as many as there are
// directions: to = Σ dir·parts/max(Σ parts, 10⁻³⁰), of values at and on of rows of step.
func Flux(to [3][]float32, parts []float32, dirs [][3]float32, at, step int) {
	n := len(to[0])
	Row2(n, to[1], to[2])
	if at < 0 || step < at+n || len(parts) < len(dirs)*step {
		panic(fmt.Sprintf("vec: values %d to %d of %d rows of %d, of %d in all", at, at+n, len(dirs), step, len(parts)))
	}
	switch {
	case n == 0 || len(dirs) == 0:
	case Chosen == AVX512:
		fluxAVX512(&to[0][0], &to[1][0], &to[2][0], &parts[at], &dirs[0][0], step, len(dirs), n)
	case Chosen == AVX2:
		fluxAVX2(&to[0][0], &to[1][0], &to[2][0], &parts[at], &dirs[0][0], step, len(dirs), n)
	default:
		for i := range n {
			var sum float32
			var f [3]float32
			for r, d := range dirs {
				v := parts[at+i+r*step]
				sum += v
				for a := range f {
					f[a] += float32(v * d[a])
				}
			}
			if !(sum > 1e-30) {
				sum = 1e-30
			}
			for a := range f {
				to[a][i] = f[a] / sum
			}
		}
	}
}

// Lean is out = src·max(1 + by·f, 0), f a direction of each. Rows of any length.
func Lean(out, src []float32, f [3][]float32, by [3]float32) {
	n := len(out)
	Row2(n, src, f[0])
	Row2(n, f[1], f[2])
	switch {
	case n == 0:
	case Chosen == AVX512:
		leanAVX512(&out[0], &src[0], &f[0][0], &f[1][0], &f[2][0], by[0], by[1], by[2], n)
	case Chosen == AVX2:
		leanAVX2(&out[0], &src[0], &f[0][0], &f[1][0], &f[2][0], by[0], by[1], by[2], n)
	default:
		for i, v := range src[:n] {
			k := ((float32(by[0]*f[0][i]) + float32(by[1]*f[1][i])) + float32(by[2]*f[2][i])) + 1
			if !(k > 0) {
				k = 0
			}
			out[i] = v * k
		}
	}
}
