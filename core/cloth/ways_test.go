package cloth

import (
	"fmt"
	"math"
	"testing"
	"time"

	"zarf/core/geom"
)

// What else could solve a sheet of 10,000 vertices, hung by its upper edge: its frames a second and,
// after a second, its stretch by what Hooke's law asks for. Frames are of two steps but for the small
// steps, whose number is told.
func BenchmarkWays(b *testing.B) {
	hang := func(b *testing.B, way func(*System)) {
		s, w := falling(b)
		for i := range 100 {
			s.Pin(i, geom.V(float64(i)/99, 0, 0))
		}
		x := make([]geom.Vec3, len(s.X))
		for i, p := range s.rest {
			x[i] = geom.V(p.X, p.Y-s.rest[0].Y, 0)
		}
		s.Place(x)
		w.Calm, w.Air = 10, nil
		way(s)
		begin := time.Now()
		for range 48 {
			s.Step(1.0/48, w)
		}
		tell(b, s.X, 24/time.Since(begin).Seconds())
	}
	b.Run("factor of every step", func(b *testing.B) { hang(b, func(*System) {}) })
	b.Run("patches", func(b *testing.B) {
		hang(b, func(s *System) { s.m.direct, s.m.coarse = nil, newCoarse(s.m) })
	})
	b.Run("each vertex for itself", func(b *testing.B) {
		hang(b, func(s *System) { s.m.direct, s.m.coarse = nil, nil })
	})
	for _, steps := range []int{20, 100, 500} {
		b.Run(fmt.Sprintf("%d small steps", steps), func(b *testing.B) {
			g := newGlued(100)
			begin := time.Now()
			for range 24 * steps {
				g.step(1 / (24 * float64(steps)))
			}
			tell(b, g.x, 24/time.Since(begin).Seconds())
		})
	}
}

func tell(b *testing.B, x []geom.Vec3, frames float64) {
	low := 0.0
	for _, p := range x[len(x)-100:] {
		low -= p.Y / 100
	}
	b.ReportMetric(frames, "frames/s")
	b.ReportMetric((low-1)/(0.4*9.81/(2*2e4)), "of_Hooke")
	b.ReportMetric(0, "ns/op")
}

// glued is a sheet of threads along its warp and weft by extended position-based dynamics with one
// round a step (Macklin, Müller and Chentanez 2016; Macklin et al. 2019): every second thread of a row
// at once, in the order of their ends.
type glued struct {
	n       int
	x, v, p []geom.Vec3
}

func newGlued(n int) *glued {
	g := &glued{n: n}
	for j := range n {
		for i := range n {
			g.x = append(g.x, geom.V(float64(i)/float64(n-1), -float64(j)/float64(n-1), 0))
		}
	}
	g.v, g.p = make([]geom.Vec3, n*n), make([]geom.Vec3, n*n)
	return g
}

func (g *glued) step(h float64) {
	n := g.n
	for i := range g.x {
		g.v[i].Y -= 9.81 * h
		g.v[i] = g.v[i].Mul(math.Exp(-10 * h))
		if i >= n {
			g.p[i] = g.x[i].Add(g.v[i].Mul(h))
		} else {
			g.p[i] = g.x[i]
		}
	}
	long := 1 / float64(n-1)
	light := 1 / (0.4 * long * long)
	// a thread of a cell's width: k = 2e4 N/m × width / length
	soft := 1 / (2e4 * h * h)
	for _, way := range []int{1, n} {
		for odd := range 2 {
			for j := range n {
				for i := range n {
					at := j*n + i
					if way == 1 && (i+1 == n || i%2 != odd) || way == n && (j+1 == n || j%2 != odd) {
						continue
					}
					wa, wb := light, light
					if at < n {
						wa = 0
					}
					if at+way < n {
						wb = 0
					}
					if wa+wb == 0 {
						continue
					}
					d := g.p[at+way].Sub(g.p[at])
					l := d.Len()
					by := d.Mul((l - long) / (l * (wa + wb + soft)))
					g.p[at], g.p[at+way] = g.p[at].Add(by.Mul(wa)), g.p[at+way].Sub(by.Mul(wb))
				}
			}
		}
	}
	for i := range g.x {
		g.v[i] = g.p[i].Sub(g.x[i]).Mul(1 / h)
		g.x[i] = g.p[i]
	}
}
