package sea

import (
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"zarf/core/grid"
)

// part is what of a wave a field shows: its amplitude from that of the wave that runs with
// its wavenumber, and of that which runs against it.
type part func(i int, m *mode, with, against complex128) complex128

// sheet holds fields of a band at a moment, one after another for each of n² values.
type sheet struct {
	n      int
	per    int     // fields
	inv    float64 // values a metre
	v      []float32
	lo, hi int // columns that are there, from lo to hi, not included, counted on beyond n
}

// at is where the fields of value (i, k) are.
func (s *sheet) at(i, k int) []float32 {
	o := ((k&(s.n-1))*s.n + i&(s.n-1)) * s.per
	return s.v[o : o+s.per]
}

// room is what transforms need of a thread.
type room struct {
	fft   *fourier.CmplxFFT
	a     []complex128
	waves []complex128
}

var rooms [10]sync.Pool // by the logarithm of the length

func borrow(n int) *room {
	log := 0
	for 1<<log < n {
		log++
	}
	if r, ok := rooms[log].Get().(*room); ok {
		return r
	}
	return &room{fourier.NewCmplxFFT(n), make([]complex128, n), make([]complex128, n*n)}
}

func giveBack(r *room) {
	log := 0
	for 1<<log < len(r.a) {
		log++
	}
	rooms[log].Put(r)
}

// lay makes a sheet of a band of n values an edge at the moment t, of so many fields; of columns
// along x only those from lo to hi are made.
//
// Two fields share a transform, as its real and its imaginary part: rows that have waves
// first, then columns that are asked for.
func (b *band) lay(t float64, n, lo, hi int, fields []part, crew grid.Crew) *sheet {
	per := len(fields)
	out := &sheet{n: n, per: per, inv: float64(n) / b.long, v: make([]float32, n*n*per), lo: lo, hi: hi}
	if len(b.modes) == 0 {
		return out
	}
	with, against := make([]complex128, len(b.modes)), make([]complex128, len(b.modes))
	crew.For(len(b.modes), 512, func(from, to int) {
		for i := from; i < to; i++ {
			with[i], against[i] = b.modes[i].at(t)
		}
	})
	hi = min(hi, lo+n)
	rows := b.rows()
	crew.For((per+1)/2, 1, func(from, to int) {
		r := borrow(n)
		defer giveBack(r)
		for p := from; p < to; p++ {
			b.mix(r.waves, n, with, against, fields[2*p:min(2*p+2, per)])
			r.turn(rows, n, lo, hi, func(i, k int, v complex128) {
				o := (k*n+i)*per + 2*p
				out.v[o] = float32(real(v))
				if 2*p+1 < per {
					out.v[o+1] = float32(imag(v))
				}
			})
		}
	})
	return out
}

// mix puts a field or two into n² waves.
func (b *band) mix(waves []complex128, n int, with, against []complex128, fields []part) {
	clear(waves)
	for i := range b.modes {
		m := &b.modes[i]
		if !m.within(n) {
			continue
		}
		v := fields[0](i, m, with[i], against[i])
		if len(fields) > 1 {
			w := fields[1](i, m, with[i], against[i])
			v += complex(-imag(w), real(w))
		}
		waves[(m.z&(n-1))*n+m.x&(n-1)] = v
	}
}

// turn transforms n² waves, of which rows have any, to places in columns from lo to hi.
func (r *room) turn(rows []int, n, lo, hi int, put func(i, k int, v complex128)) {
	for _, z := range rows {
		if z < n/2 && z >= -n/2 {
			row := r.waves[(z&(n-1))*n:][:n]
			r.fft.Sequence(row, row)
		}
	}
	for c := lo; c < hi; c++ {
		i := c & (n - 1)
		for k := range r.a {
			r.a[k] = r.waves[k*n+i]
		}
		for k, v := range r.fft.Sequence(r.a, r.a) {
			put(i, k, v)
		}
	}
}

// cubic are the weights of four values for a place at f between the middle two, by
// Catmull and Rom's (1974) spline.
func cubic(f float32) [4]float32 {
	return [4]float32{
		f * (-0.5 + f*(1-0.5*f)),
		1 + f*f*(-2.5+1.5*f),
		f * (0.5 + f*(2-1.5*f)),
		f * f * (-0.5 + 0.5*f),
	}
}

// shifts adds a surface's displacements at (x, z), m, in straight lines, to where v has them.
func (s *sheet) shifts(x, z float64, v *[3]float32) {
	i, fx := split(x * s.inv)
	k, fz := split(z * s.inv)
	a, b, c, d := s.at(i, k)[:3], s.at(i+1, k)[:3], s.at(i, k+1)[:3], s.at(i+1, k+1)[:3]
	for n := shiftX; n <= shiftZ; n++ {
		p, q := a[n]+(b[n]-a[n])*fx, c[n]+(d[n]-c[n])*fx
		v[n] += p + (q-p)*fz
	}
}

// read adds a sheet's fields at (x, z), m, to out, as many as that holds.
func (s *sheet) read(x, z float64, out []float32) {
	i, fx := split(x * s.inv)
	k, fz := split(z * s.inv)
	wx, wz := cubic(fx), cubic(fz)
	if at := i & (s.n - 1); at > 0 && at < s.n-2 { // four values follow each other
		for b := range 4 {
			o := (((k+b-1)&(s.n-1))*s.n + at - 1) * s.per
			row, w := s.v[o:o+4*s.per], wz[b]
			p, q, r, t := row[:len(out)], row[s.per:][:len(out)], row[2*s.per:][:len(out)], row[3*s.per:][:len(out)]
			for n := range out {
				out[n] += w * (wx[0]*p[n] + wx[1]*q[n] + wx[2]*r[n] + wx[3]*t[n])
			}
		}
		return
	}
	for b := range 4 {
		p, q, r, t := s.at(i-1, k+b-1)[:len(out)], s.at(i, k+b-1)[:len(out)], s.at(i+1, k+b-1)[:len(out)], s.at(i+2, k+b-1)[:len(out)]
		for n := range out {
			out[n] += wz[b] * (wx[0]*p[n] + wx[1]*q[n] + wx[2]*r[n] + wx[3]*t[n])
		}
	}
}
