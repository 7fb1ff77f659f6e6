package ripple

import (
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/dsp/fourier"

	"zarf/core/grid"
)

// Water is what waves run on.
type Water struct {
	Gravity   float64 // m/s²
	Tension   float64 // surface tension over density, m³/s²
	Viscosity float64 // kinematic, m²/s
	Depth     float64 // m
	Fade      float64 // 1/s, by which all waves die down besides
}

// Omega is the frequency of waves of wavenumber k, rad/s.
func (w *Water) Omega(k float64) float64 {
	return math.Sqrt((w.Gravity + w.Tension*k*k) * w.rises(k))
}

// rises is by how much a surface rises, m/s, for a potential of 1 m²/s on it.
func (w *Water) rises(k float64) float64 { return k * math.Tanh(min(k*w.Depth, 40)) }

// fastest is the highest speed of a group of waves between two lengths, m/s.
func (w *Water) fastest(from, to float64) (c float64) {
	const steps = 32
	for n := range steps {
		k := 2 * math.Pi / (from * math.Pow(to/from, float64(n)/(steps-1)))
		c = max(c, (w.Omega(k*1.001)-w.Omega(k*0.999))/(0.002*k))
	}
	return c
}

// pool is a rectangle of waves: heights and the potential on the surface, values x first.
type pool struct {
	nx, nz  int     // values
	h       float64 // m, between values
	height  []float32
	push    []float32 // potential, m²/s
	px, pz  int       // padded, for transforms
	shorter float64   // m: waves are shorter than this
	crew    grid.Crew
	waves   []complex128
	gives   []complex128
	fx, fz  []*fourier.CmplxFFT // one a thread
}

// shortest is how many values a wave has at least.
const shortest = 3.0

func newPool(nx, nz int, h, shorter float64, crew grid.Crew) *pool {
	p := &pool{nx: nx, nz: nz, h: h, shorter: shorter, crew: crew, px: smooth(nx), pz: smooth(nz)}
	p.height, p.push = make([]float32, nx*nz), make([]float32, nx*nz)
	p.waves, p.gives = make([]complex128, p.px*p.pz), make([]complex128, p.px*p.pz)
	for range crew.Threads() {
		p.fx, p.fz = append(p.fx, fourier.NewCmplxFFT(p.px)), append(p.fz, fourier.NewCmplxFFT(p.pz))
	}
	return p
}

// smooth is the next number without prime factors over five: transforms of others are slow.
func smooth(n int) int {
	for ; ; n++ {
		m := n
		for _, f := range []int{2, 3, 5} {
			for m%f == 0 {
				m /= f
			}
		}
		if m == 1 {
			return n
		}
	}
}

// put lays two arrays of the pool into transforms, as real and as imaginary part.
func (p *pool) put(to []complex128, re, im []float32) {
	p.crew.For(p.pz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			row := to[k*p.px : (k+1)*p.px]
			clear(row)
			if k >= p.nz {
				continue
			}
			for i := range p.nx {
				v := complex(float64(re[k*p.nx+i]), 0)
				if im != nil {
					v += complex(0, float64(im[k*p.nx+i]))
				}
				row[i] = v
			}
		}
	})
}

// turn transforms all waves, or back; back isn't scaled.
func (p *pool) turn(w []complex128, back bool) {
	one := func(f *fourier.CmplxFFT, a []complex128) {
		if back {
			f.Sequence(a, a)
		} else {
			f.Coefficients(a, a)
		}
	}
	rows := func() {
		p.pieces(p.pz, func(thread, k int) { one(p.fx[thread], w[k*p.px:(k+1)*p.px]) })
	}
	columns := func() {
		const wide = 8 // columns that share lines of memory
		p.pieces((p.px+wide-1)/wide, func(thread, n int) {
			var col [wide][]complex128
			many := min(wide, p.px-n*wide)
			for c := range many {
				col[c] = make([]complex128, p.pz)
			}
			for k := range p.pz {
				for c, v := range w[k*p.px+n*wide:][:many] {
					col[c][k] = v
				}
			}
			for c := range many {
				one(p.fz[thread], col[c])
			}
			for k := range p.pz {
				row := w[k*p.px+n*wide:][:many]
				for c := range row {
					row[c] = col[c][k]
				}
			}
		})
	}
	if back {
		columns()
		rows()
		return
	}
	rows()
	columns()
}

// pieces runs a job n times over, each with the number of a thread that no other has then.
func (p *pool) pieces(n int, job func(thread, m int)) {
	many := len(p.fx)
	p.crew.For(many, 1, func(a, b int) {
		for t := a; t < b; t++ {
			for m := t * n / many; m < (t+1)*n/many; m++ {
				job(t, m)
			}
		}
	})
}

// step is what a wave of a length turns into within a while.
type step struct {
	cos, lift, sink float64 // of itself, of height from potential, of potential from height
	gain            float64 // of potential from a vertical velocity that is given to it
}

// steps are those of all wavenumbers of a quarter of the plane, row by row of z.
func (p *pool) steps(w *Water, dt float64) []step {
	nx, nz := p.px/2+1, p.pz/2+1
	out := make([]step, nx*nz)
	longest := 2 * math.Pi / p.shorter
	most := 2 * math.Pi / (shortest * p.h)
	p.crew.For(nz, 4, func(a, b int) {
		for z := a; z < b; z++ {
			for x := range nx {
				k := 2 * math.Pi * math.Hypot(float64(x)/(float64(p.px)*p.h), float64(z)/(float64(p.pz)*p.h))
				if k == 0 || k >= most {
					continue
				}
				om, rise := w.Omega(k), w.rises(k)
				sin, cos := math.Sincos(om * dt)
				// what is longer is the run's own, and is given back to it within a period
				fade := w.Fade + 2*w.Viscosity*k*k + om/math.Pi*edge(longest, k)
				gone := math.Exp(-fade * dt)
				out[z*nx+x] = step{cos * gone, rise / om * sin * gone, -om / rise * sin * gone, (1 - edge(longest, k)) / rise}
			}
		}
	})
	return out
}

// edge is 1 for waves that are longer than the limit, 0 for those of two thirds of it.
func edge(limit, k float64) float64 {
	t := min(max((k/limit-1)/0.5, 0), 1)
	return 1 - t*t*(3-2*t)
}

// advance moves all waves on by what steps say; given is a vertical velocity, m/s, that the
// surface is given, or nil.
func (p *pool) advance(s []step, given []float32) {
	p.put(p.waves, p.height, p.push)
	p.turn(p.waves, false)
	if given != nil {
		p.put(p.gives, given, nil)
		p.turn(p.gives, false)
	}
	nx := p.px/2 + 1
	p.crew.For(p.pz/2+1, 2, func(a, b int) {
		for z := a; z < b; z++ {
			for x := range p.px {
				p.pair(s[z*nx+min(x, p.px-x)], x, z, given != nil)
			}
		}
	})
	p.turn(p.waves, true)
	scale := 1 / float64(p.px*p.pz)
	p.crew.For(p.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range p.nx {
				v := p.waves[k*p.px+i]
				p.height[k*p.nx+i], p.push[k*p.nx+i] = float32(real(v)*scale), float32(imag(v)*scale)
			}
		}
	})
}

// pair moves on the wave (x, z) and the one that is its mirror image: heights and potential
// are the real and the imaginary part of what was transformed, so they are told apart by both.
func (p *pool) pair(s step, x, z int, given bool) {
	mx, mz := (p.px-x)%p.px, (p.pz-z)%p.pz
	if z == mz && mx < x { // its partner did it
		return
	}
	at, other := z*p.px+x, mz*p.px+mx
	a, b := p.waves[at], cmplx.Conj(p.waves[other])
	height, push := (a+b)/2, (a-b)/complex(0, 2)
	if given {
		push += p.gives[at] * complex(s.gain, 0)
	}
	h := height*complex(s.cos, 0) + push*complex(s.lift, 0)
	q := push*complex(s.cos, 0) + height*complex(s.sink, 0)
	p.waves[at] = h + q*complex(0, 1)
	p.waves[other] = cmplx.Conj(h) + cmplx.Conj(q)*complex(0, 1)
}
