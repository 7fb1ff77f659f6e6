package render

import (
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/look"
)

// Light scattered more than once is guessed by orders of scattering (Wrenninge,
// Kulla, Lundqvist 2013): each order keeps half of the light, meets half of the
// optical depth, and has half of the phase function's directness.
const (
	maxOrders  = 4
	lightShare = 0.5
	phaseShare = 0.5
)

func scaled(share float64, n int) float64 { return math.Pow(share, float64(n)) }

// opaque is the transmittance under which a march gives up.
const opaque = 0.004

// marchRay follows one ray front to back.
func (p *Picture) marchRay(o, d geom.Vec3, r *dice) (look.RGB, float64) {
	s := p.scene
	h, solid := s.trace(o, d, math.Inf(1))
	far := h.t
	if !solid {
		far = math.Inf(1)
	}
	var light look.RGB
	through := look.RGB{1, 1, 1}
	for i, v := range s.Volumes {
		p.marchVolume(v, p.lights[i], o, d, far, &light, &through, r)
	}
	if solid {
		at := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
		return light.Add(through.Mul(p.shade(at, h))), 1
	}
	back, alpha := s.backdrop(d)
	mean := (through[0] + through[1] + through[2]) / 3
	return light.Add(through.Mul(back)), alpha*mean + (1 - mean)
}

// shade lights a surface by the sun, through smoke and past solids, and by
// the sky.
func (p *Picture) shade(at geom.Vec3, h hit) look.RGB {
	s := p.scene
	var e look.RGB
	if cos := h.normal.Dot(s.Look.SunDir); cos > 0 && !s.blocked(at) {
		e = s.Look.Sun.Mul(s.depth(at, s.Look.SunDir, 2)).Scale(cos / math.Pi)
	}
	for _, v := range s.Volumes {
		e = e.Add(v.fireOn(s, at, h.normal))
	}
	// half of the sky for a wall, all for a floor, and darker near other solids
	open := 0.5 + 0.5*h.normal.Y
	open *= s.openness(at, h.normal)
	return h.colour.Mul(e.Add(s.Look.SkyMean().Scale(open)))
}

// openness guesses how much of the sky solids leave free, from distances along
// the normal.
func (s *Scene) openness(at, n geom.Vec3) float64 {
	if len(s.Solids) == 0 {
		return 1
	}
	free := 1.0
	size := 0.0
	for i := range s.Solids {
		size = max(size, s.Solids[i].Shape.Size.MinComponent())
	}
	for k := 1; k <= 4; k++ {
		reach := size * 0.15 * float64(k)
		q := at.Add(n.Mul(reach))
		d := q.Y
		if !s.Look.Ground {
			d = reach
		}
		for i := range s.Solids {
			d = min(d, s.Solids[i].Shape.Distance(q))
		}
		free -= max(0, reach-d) / reach * 0.5 / float64(int(1)<<k)
	}
	return max(free, 0)
}

// depth is the transmittance from p along d through all volumes, marched at
// the given step in voxels.
func (s *Scene) depth(p, d geom.Vec3, step float64) look.RGB {
	var tau float64
	for _, v := range s.Volumes {
		if v.empty {
			continue
		}
		near, far, ok := v.tight.Ray(p, d)
		if !ok {
			continue
		}
		o, dir := v.toGrid(p), d
		t := max(near, 0) / v.H
		end := far / v.H
		for t < end {
			q := o.Add(dir.Mul(t))
			if free := v.leap(q); free > 0 {
				t += free
				continue
			}
			tau += float64(v.at(float32(q.X), float32(q.Y), float32(q.Z))) * step * v.H
			t += step
		}
	}
	e := s.Look.Extinction
	return look.RGB{math.Exp(-tau * e[0]), math.Exp(-tau * e[1]), math.Exp(-tau * e[2])}
}

// leap is how far, in voxels, a ray may go from q without meeting smoke; 0
// where it is in or beside some.
func (v *Volume) leap(q geom.Vec3) float64 {
	i, j, k := int(math.Floor(q.X/tile)), int(math.Floor(q.Y/tile)), int(math.Floor(q.Z/tile))
	t := v.tiles
	i, j, k = min(max(i, 0), t.NX-1), min(max(j, 0), t.NY-1), min(max(k, 0), t.NZ-1)
	d := v.skip[t.Index(i, j, k)]
	if d == 0 {
		return 0
	}
	// at least d−1 whole tiles lie between, and what is left of this one
	return max(float64(d-1)*tile, 0) + 0.5 + v.toEdge(q, i, j, k)
}

// toEdge is the distance from q to the nearest side of its tile.
func (v *Volume) toEdge(q geom.Vec3, i, j, k int) float64 {
	e := math.Inf(1)
	for _, a := range [3][2]float64{{q.X, float64(i)}, {q.Y, float64(j)}, {q.Z, float64(k)}} {
		f := a[0] - a[1]*tile
		e = min(e, max(f, 0), max(tile-f, 0))
	}
	return e
}

func (p *Picture) marchVolume(v *Volume, lg *lightGrid, o, d geom.Vec3, far float64, light, through *look.RGB, r *dice) {
	s := p.scene
	if v.empty {
		return
	}
	near, exit, ok := v.tight.Ray(o, d)
	exit = min(exit, far)
	if !ok || near >= exit {
		return
	}
	l := &s.Look
	orders := min(max(l.Bounces, 1), maxOrders)
	var sun [maxOrders]look.RGB
	for n := range orders {
		sun[n] = l.Sun.Scale(look.HenyeyGreenstein(l.Phase*scaled(phaseShare, n), d.Dot(l.SunDir)) * scaled(lightShare, n))
	}
	sky := l.SkyMean() // the same from all round: L·4π/4π
	step := l.Step
	q := v.toGrid(o)
	t := max(near, 0)/v.H + step*0.5
	if p.Samples > 0 {
		t += step * (r.next() - 0.5)
	}
	end := exit / v.H
	long := step * v.H
	b := strands.Get().(*strand)
	defer strands.Put(b)
	for t < end {
		// gather a run of looks into occupied tiles, then sample them together
		n := 0
		for n < len(b.x) && t < end {
			x := q.Add(d.Mul(t))
			if free := v.leap(x); free > step {
				t += free
				continue
			}
			b.x[n], b.y[n], b.z[n] = float32(x.X), float32(x.Y), float32(x.Z)
			t += step
			n++
		}
		if n == 0 {
			return
		}
		v.Density.SampleBatch(b.den[:n], b.x[:n], b.y[:n], b.z[:n], halves)
		hot := v.glowBatch(b, n)
		if !hot && !b.any(n) {
			continue
		}
		lg.readBatch(b, n)
		for i, den := range b.den[:n] {
			if hot {
				for c := range 3 {
					light[c] += through[c] * l.Flame * float64(b.glow[c][i]) * long
				}
			}
			if den < 1e-5 {
				continue
			}
			around := sky.Scale(float64(b.sky[i]))
			if lg.fire[0] != nil {
				around = around.Add(look.RGB{float64(b.fire[0][i]), float64(b.fire[1][i]), float64(b.fire[2][i])})
			}
			p.absorb(float64(den)*long, float64(b.sun[i]), float64(b.sky[i]), sun[:orders], around, sky, light, through)
			if through.Max() < opaque {
				*through = look.RGB{}
				return
			}
		}
	}
}

// strand is a run of looks along a ray.
type strand struct {
	x, y, z, den, sun, sky [32]float32
	glow, fire             [3][32]float32
}

var (
	strands = sync.Pool{New: func() any { return new(strand) }}
	halves  = [3]float32{0.5, 0.5, 0.5} // voxel centres lie half a voxel in
)

func (b *strand) any(n int) bool {
	for _, d := range b.den[:n] {
		if d >= 1e-5 {
			return true
		}
	}
	return false
}

// readBatch reads the light at the looks of a strand; it uses up positions.
func (l *lightGrid) readBatch(b *strand, n int) {
	if l.fire[0] != nil {
		q := l.scale / l.coarse
		for i := range n {
			b.x[i], b.y[i], b.z[i] = b.x[i]/l.scale, b.y[i]/l.scale, b.z[i]/l.scale
		}
		for c := range 3 {
			for i := range n {
				b.fire[c][i] = l.fire[c].Sample(b.x[i]*q-0.5, b.y[i]*q-0.5, b.z[i]*q-0.5)
			}
		}
		l.sun.SampleBatch(b.sun[:n], b.x[:n], b.y[:n], b.z[:n], halves)
		l.sky.SampleBatch(b.sky[:n], b.x[:n], b.y[:n], b.z[:n], halves)
		return
	}
	q := 1 / l.scale
	for i := range n {
		b.x[i], b.y[i], b.z[i] = b.x[i]*q, b.y[i]*q, b.z[i]*q
	}
	l.sun.SampleBatch(b.sun[:n], b.x[:n], b.y[:n], b.z[:n], halves)
	l.sky.SampleBatch(b.sky[:n], b.x[:n], b.y[:n], b.z[:n], halves)
}

// absorb adds the light of one step of the given depth (density times metres)
// and takes what it absorbs off through. first is the light from all round,
// sky's part of which goes on through further orders.
func (p *Picture) absorb(depth, ts, ta float64, sun []look.RGB, first, sky look.RGB, light, through *look.RGB) {
	l := &p.scene.Look
	var direct look.RGB
	around, share := 0.0, 1.0
	for n := range sun {
		for c := range direct {
			direct[c] += sun[n][c] * ts
		}
		if n > 0 {
			around += share * ta
		}
		share *= lightShare
		ts, ta = math.Sqrt(ts), math.Sqrt(ta) // a share of ½ of the depth
	}
	tr := 0.0
	for c := range 3 {
		e := l.Extinction[c]
		if e == 0 {
			continue
		}
		if c == 0 || e != l.Extinction[c-1] {
			tr = math.Exp(-e * depth)
		}
		in := (direct[c] + first[c] + sky[c]*around) * l.Scattering[c] / e
		light[c] += through[c] * (1 - tr) * in
		through[c] *= tr
	}
}
