package sea

import (
	"math"
	"sync"

	"zarf/core/grid"
)

// Water is the sea's water about a simulation: how high it stands over places of a lattice,
// and how it moves at depths under them.
type Water struct {
	sea    *Sea
	crew   grid.Crew
	x, z   []float64 // m, places
	deep   []float64 // m under the surface, of layers, growing
	step   float64   // s between moments that are worked out
	cell   float64
	parts  [3][]part
	lo, hi float64 // m, between which places lie along x
	mu     sync.Mutex
	kept   [2]*instant
}

// instant is the water at a moment that is worked out.
type instant struct {
	n      int64
	height []float32 // by place, over the level
	speed  []float32 // by place and layer, three each
}

// layers is how many depths are worked out.
const layers = 9

// Water is the sea over so many places, down to deepest m under the level, for voxels of h.
func (s *Sea) Water(x, z []float64, deepest, h float64, crew grid.Crew) *Water {
	w := &Water{sea: s, crew: crew, x: x, z: z, cell: 1.5 * h}
	// geometric: short waves end near the surface
	const ratio = 1.9
	all := math.Pow(ratio, layers-1) - 1
	for j := range layers {
		w.deep = append(w.deep, max(deepest, h)*(math.Pow(ratio, float64(j))-1)/all)
	}
	// lines between moments are within a hundredth of waves of 3.5 of these periods
	short, _ := s.omega(2 * math.Pi / (4 * h))
	w.step = min(1.0/24, 2*math.Pi/short/12)
	w.lo, w.hi = math.Inf(1), math.Inf(-1)
	for _, v := range x {
		w.lo, w.hi = min(w.lo, v), max(w.hi, v)
	}
	for n := range s.bands {
		w.parts[n] = s.waterParts(&s.bands[n], w.deep)
	}
	return w
}

// waterParts are height and displacement at the surface, and the velocity on layers: along
// the wave a ω cosh k(z+d) / sinh kd, upwards a quarter of a period later with sinh.
func (s *Sea) waterParts(b *band, deep []float64) (out []part) {
	out = s.surfaceParts()[:3]
	for _, z := range deep {
		flat, up := make([]float64, len(b.modes)), make([]float64, len(b.modes))
		for i := range b.modes {
			flat[i], up[i] = s.profile(b.modes[i].k, z)
			flat[i] *= b.modes[i].w / b.modes[i].k
			up[i] *= b.modes[i].w
		}
		along := func(of func(m *mode) float64) part {
			return func(i int, m *mode, a, b complex128) complex128 { return complex(of(m)*flat[i], 0) * (a - b) }
		}
		out = append(out, along(func(m *mode) float64 { return m.kx }),
			func(i int, m *mode, a, b complex128) complex128 { return complex(0, -up[i]) * (a - b) },
			along(func(m *mode) float64 { return m.kz }))
	}
	return out
}

// profile is how far a wave's motion reaches down to z m: flat and upright, of that upright
// at the surface.
func (s *Sea) profile(k, z float64) (flat, up float64) {
	z = min(z, s.Depth)
	if k*s.Depth > 20 {
		e := math.Exp(-k * z)
		return e, e
	}
	d := math.Sinh(k * s.Depth)
	return math.Cosh(k*(s.Depth-z)) / d, math.Sinh(k*(s.Depth-z)) / d
}

// At is the water at t seconds.
func (w *Water) At(t float64) *Moment {
	x := t / w.step
	n := int64(math.Floor(x))
	return &Moment{w, w.instant(n), w.instant(n + 1), float32(x - float64(n))}
}

// instant works a moment out, or finds it: two are kept.
func (w *Water) instant(n int64) *instant {
	w.mu.Lock()
	defer w.mu.Unlock()
	slot := &w.kept[n&1]
	if *slot != nil && (*slot).n == n {
		return *slot
	}
	*slot = w.work(n)
	return *slot
}

func (w *Water) work(n int64) *instant {
	s := w.sea
	out := &instant{n: n, height: make([]float32, len(w.x)), speed: make([]float32, 3*layers*len(w.x))}
	t := float64(n) * w.step
	far := 2 + 6*math.Sqrt(s.Variance(max(s.Shortest, 1e-2), s.reach()))
	var list []*sheet
	for i := range s.bands {
		b := &s.bands[i]
		mip := b.mip(w.cell)
		if mip < 0 {
			continue
		}
		size := edge >> mip
		inv := float64(size) / b.long
		lo, hi := int(math.Floor((w.lo-far)*inv))-2, int(math.Ceil((w.hi+far)*inv))+3
		list = append(list, b.lay(t, size, lo, hi, w.parts[i], w.crew))
	}
	w.crew.For(len(w.x), 64, func(from, to int) {
		for p := from; p < to; p++ {
			x, z := w.x[p], w.z[p]
			for range 4 {
				var v [3]float32
				for _, f := range list {
					f.read(x, z, v[:])
				}
				x, z = w.x[p]-float64(v[shiftX]), w.z[p]-float64(v[shiftZ])
			}
			var v [3 + 3*layers]float32
			for _, f := range list {
				f.read(x, z, v[:])
			}
			out.height[p] = v[height]
			copy(out.speed[3*layers*p:], v[3:])
		}
	})
	return out
}

// Moment is water at a moment.
type Moment struct {
	w    *Water
	a, b *instant
	f    float32
}

// Height of the surface over place p, m.
func (m *Moment) Height(p int) float64 {
	a, b := m.a.height[p], m.b.height[p]
	return m.w.sea.Level + float64(a+(b-a)*m.f)
}

// Velocity is that under place p at height y, m/s; over the surface, that of the surface.
// Depths are counted from the surface (Wheeler 1970).
func (m *Moment) Velocity(p int, y float64) (v [3]float32) {
	deep := max(m.Height(p)-y, 0)
	d := m.w.deep
	j := 0
	for j < layers-2 && d[j+1] < deep {
		j++
	}
	g := float32(min((deep-d[j])/(d[j+1]-d[j]), 1))
	o := 3 * (layers*p + j)
	for c := range v {
		lo := m.a.speed[o+c] + (m.b.speed[o+c]-m.a.speed[o+c])*m.f
		hi := m.a.speed[o+3+c] + (m.b.speed[o+3+c]-m.a.speed[o+3+c])*m.f
		v[c] = lo + (hi-lo)*g
	}
	return v
}
