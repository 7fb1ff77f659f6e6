package vec

import (
	"math/rand/v2"
)

// plane is a plane of rows of n values, two rows of halo and a pad between rows, and
// runs that cover some of it.
type plane struct {
	sy, size int
	list     []Run
	rng      *rand.Rand
}

func newPlane(r *rand.Rand, n int) plane {
	blocks := n/16%5 + 1
	p := plane{sy: blocks*16 + 16, rng: r}
	rows := 1 + r.IntN(5)
	p.size = (rows+2)*p.sy + 16
	for j := range rows {
		for b := 0; b < blocks; {
			skip := r.IntN(2) * r.IntN(blocks)
			long := 1 + r.IntN(blocks)
			if b += skip; b >= blocks {
				break
			}
			long = min(long, blocks-b)
			p.list = append(p.list, Run{int32((j+1)*p.sy + 16 + 16*b), int32(16 * long)})
			b += long + 1
		}
	}
	return p
}

// window holds all of the plane, or a bit more before and after it.
func (p plane) window() *Window {
	before := p.rng.IntN(20)
	return &Window{values(p.rng, p.size+before+p.rng.IntN(9)), -before}
}

func (p plane) hood() *Hood { return &Hood{*p.window(), *p.window(), *p.window(), p.sy} }

func (p plane) faces() *Faces {
	if p.rng.IntN(2) == 0 {
		return nil
	}
	return &Faces{*p.window(), *p.window(), *p.window(), *p.window()}
}

// both keeps all bits of a sum.
func both(v float64) []float32 { return []float32{float32(v), float32(v - float64(float32(v)))} }

func init() {
	for name, fn := range map[string]func(p plane) []float32{
		"ScaleRuns": func(p plane) []float32 {
			dst := p.window()
			ScaleRuns(dst, p.window(), p.window(), p.list, 0.57)
			return dst.A
		},
		"XpayRuns": func(p plane) []float32 {
			dst := p.window()
			XpayRuns(dst, p.window(), p.list, -0.3)
			return dst.A
		},
		"MixRuns": func(p plane) []float32 {
			dst := p.window()
			MixRuns(dst, p.window(), p.list, 0.9, -0.3)
			return dst.A
		},
		"DotRuns": func(p plane) []float32 { return both(DotRuns(p.window(), p.window(), p.list)) },
		"RelaxRuns": func(p plane) []float32 {
			dst := p.window()
			RelaxRuns(dst, p.hood(), p.window(), p.window(), p.faces(), p.list, 1.732, 999)
			return dst.A
		},
		"RelaxDotRuns": func(p plane) []float32 {
			dst := p.window()
			v := RelaxDotRuns(dst, p.hood(), p.window(), p.window(), p.faces(), p.list, 0.57, 0)
			return append(dst.A, both(v)...)
		},
		"ResidualRuns": func(p plane) []float32 {
			dst := p.window()
			ResidualRuns(dst, p.hood(), p.window(), p.window(), p.window(), p.faces(), p.list)
			return dst.A
		},
		"ApplyDotRuns": func(p plane) []float32 {
			return both(ApplyDotRuns(p.hood(), p.window(), p.faces(), p.list))
		},
		"UpdateRuns": func(p plane) []float32 {
			sol, res, diag := p.window(), p.window(), p.window()
			for i := range diag.A {
				if p.rng.IntN(3) == 0 {
					diag.A[i] = 0
				}
			}
			v := UpdateRuns(sol, res, p.hood(), diag, p.faces(), p.list, 0.21, p.rng.IntN(2) == 0)
			return append(append(sol.A, res.A...), both(v)...)
		},
	} {
		kernels[name] = func(r *rand.Rand, n int) []float32 { return fn(newPlane(r, n)) }
		for _, way := range []string{"ends early", "begins late"} {
			shortRuns[name+" "+way] = func() {
				p := newPlane(rand.New(rand.NewPCG(1, 1)), 64)
				p.list = []Run{{int32(p.sy + 16), 16}}
				if way == "ends early" {
					p.size = p.sy + 20
				} else {
					p.list[0].O = -25
				}
				fn(p)
			}
		}
	}
	kernels["Prolong"] = func(r *rand.Rand, n int) []float32 {
		p := newPlane(r, n)
		dst, near, far := p.window(), values(r, 200), values(r, 200)
		var draws []Draw
		for _, run := range p.list {
			a, b := r.IntN(200-int(run.N)/2-7), r.IntN(200-int(run.N)/2-7)
			draws = append(draws, Draw{int32(a), int32(b - a)})
		}
		Prolong(dst, p.window(), p.window(), near, far, draws, p.list, &[4]float32{0.5625, 0.1875, 0.1875, 0.0625})
		return dst.A
	}
	for name, d := range map[string]Draw{"before": {-1, 5}, "step before": {3, -4}, "beyond": {185, 0}, "step beyond": {100, 85}} {
		shortRuns["Prolong "+name] = func() {
			w := Window{A: make([]float32, 200)}
			Prolong(&w, &w, &w, w.A, w.A, []Draw{d}, []Run{{16, 16}}, &[4]float32{})
		}
	}
	kernels["Fold"] = func(r *rand.Rand, n int) []float32 {
		n = n&^15 + 16
		rows, step, sy := 1+r.IntN(4), n+r.IntN(20), n+r.IntN(20)
		dst := values(r, (rows-1)*step+n)
		Fold(dst, values(r, (2*rows+1)*sy+n), rows, n, step, sy, &[4]float32{0.2, 0.7, 0.8, 0.3})
		return dst
	}
	kernels["Halve"] = func(r *rand.Rand, n int) []float32 {
		dst := values(r, n&^15)
		Halve(dst, values(r, 2*n+2), 0.125)
		return dst
	}
}

// shortRuns are calls whose runs leave a window that they read or write.
var shortRuns = map[string]func(){}
