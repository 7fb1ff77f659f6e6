package render

import (
	"math"

	"zarf/core/geom"
	"zarf/core/look"
)

// path follows one light path backwards from the eye.
func (s *Scene) path(o, d geom.Vec3, r *dice) (light look.RGB, alpha float64) {
	w := look.RGB{1, 1, 1}
	l := &s.Look
	for bounce := 0; ; bounce++ {
		h, solid := s.trace(o, d, math.Inf(1))
		before := w
		t, inSmoke := s.fly(o, d, h.t, &w, r)
		gain := l.Flame
		if bounce > 0 {
			gain = l.FlameLight
		}
		if gain > 0 {
			far := h.t
			if inSmoke {
				far = t
			}
			light = light.Add(before.Mul(s.glow(o, d, far, r)).Scale(gain))
		}
		if w.Max() <= 0 {
			return light, 1
		}
		switch {
		case inSmoke:
			p := o.Add(d.Mul(t))
			if bounce >= l.Bounces {
				return light, 1
			}
			for c := range 3 {
				if l.Extinction[c] > 0 {
					w[c] *= l.Scattering[c] / l.Extinction[c]
				}
			}
			if !s.blocked(p) {
				f := look.HenyeyGreenstein(l.Phase, d.Dot(l.SunDir))
				light = light.Add(w.Mul(l.Sun).Mul(s.transmit(p, l.SunDir, r)).Scale(f))
			}
			o, d = p, scatterHG(d, l.Phase, r)
		case solid:
			if bounce >= l.Bounces {
				return light, 1
			}
			p := o.Add(d.Mul(h.t)).Add(h.normal.Mul(h.off))
			w = w.Mul(h.colour)
			if cos := h.normal.Dot(l.SunDir); cos > 0 && !s.blocked(p) {
				light = light.Add(w.Mul(l.Sun).Mul(s.transmit(p, l.SunDir, r)).Scale(cos / math.Pi))
			}
			o, d = p, about(h.normal, math.Sqrt(r.next()), 2*math.Pi*r.next())
		case bounce == 0:
			back, a := s.backdrop(d)
			return light.Add(w.Mul(back)), a
		default:
			return light.Add(w.Mul(l.SkyLight(d))), 1
		}
		if bounce > 3 { // Russian roulette
			keep := min(w.Max(), 0.95)
			if r.next() >= keep {
				return light, 1
			}
			w = w.Scale(1 / keep)
		}
	}
}

// flight walks a ray through a volume's tiles with a visitor that is given a
// stretch of constant majorant (density) in voxels; it ends where visit says.
func (v *Volume) flight(o, d geom.Vec3, far float64, visit func(from, to float64, major float32) bool) {
	if v.empty {
		return
	}
	near, exit, ok := v.tight.Ray(o, d)
	if !ok {
		return
	}
	q := v.toGrid(o)
	t, end := max(near, 0)/v.H, min(exit, far)/v.H
	dir := d.Array()
	for t < end {
		p := q.Add(d.Mul(t + 1e-4)).Array()
		var idx [3]int
		n := [3]int{v.tiles.NX, v.tiles.NY, v.tiles.NZ}
		next := end
		for a := range 3 {
			idx[a] = int(math.Floor(p[a] / tile))
			if dir[a] > 0 {
				next = min(next, t+1e-4+(float64(idx[a]+1)*tile-p[a])/dir[a])
			} else if dir[a] < 0 {
				next = min(next, t+1e-4+(float64(idx[a])*tile-p[a])/dir[a])
			}
			idx[a] = min(max(idx[a], 0), n[a]-1)
		}
		next = min(max(next, t+1e-3), end)
		if m := v.major[v.tiles.Index(idx[0], idx[1], idx[2])]; m > 0 {
			if !visit(t, next, m) {
				return
			}
		}
		t = next
	}
}

// fly draws a free flight by delta tracking up to far. With coloured
// extinction collisions are drawn by its mean, and the weights carry what
// differs, so the estimate stays unbiased.
func (s *Scene) fly(o, d geom.Vec3, far float64, w *look.RGB, r *dice) (t float64, collided bool) {
	e := s.Look.Extinction
	top := e.Max()
	if top == 0 {
		return 0, false
	}
	best := far
	base := *w
	out := base
	for _, v := range s.Volumes {
		weight := base
		q := v.toGrid(o)
		v.flight(o, d, best, func(from, to float64, major float32) bool {
			mu := float64(major) * top * v.H // collisions a voxel
			for t := from; ; {
				t -= math.Log(1-r.next()) / mu
				if t >= to {
					return true
				}
				p := q.Add(d.Mul(t))
				den := float64(v.at(float32(p.X), float32(p.Y), float32(p.Z))) / float64(major)
				var real look.RGB
				for c := range 3 {
					real[c] = den * e[c] / top
				}
				chance := (real[0] + real[1] + real[2]) / 3
				if r.next() < chance {
					for c := range 3 {
						weight[c] *= real[c] / chance
					}
					best, collided, out = t*v.H, true, weight
					return false
				}
				if chance < 1 {
					for c := range 3 {
						weight[c] *= (1 - real[c]) / (1 - chance)
					}
				}
			}
		})
		if !collided {
			base, out = weight, weight
		}
	}
	*w = out
	return best, collided
}

// transmit estimates the transmittance from p along d by ratio tracking.
func (s *Scene) transmit(p, d geom.Vec3, r *dice) look.RGB {
	e := s.Look.Extinction
	top := e.Max()
	w := look.RGB{1, 1, 1}
	if top == 0 {
		return w
	}
	for _, v := range s.Volumes {
		q := v.toGrid(p)
		v.flight(p, d, math.Inf(1), func(from, to float64, major float32) bool {
			mu := float64(major) * top * v.H
			for t := from; ; {
				t -= math.Log(1-r.next()) / mu
				if t >= to {
					return true
				}
				x := q.Add(d.Mul(t))
				den := float64(v.at(float32(x.X), float32(x.Y), float32(x.Z))) / float64(major)
				for c := range 3 {
					w[c] *= 1 - den*e[c]/top
				}
				if m := w.Max(); m < 0.05 { // Russian roulette keeps it unbiased
					if r.next() >= 0.5 {
						w = look.RGB{}
						return false
					}
					w = w.Scale(2)
				}
			}
		})
	}
	return w
}
