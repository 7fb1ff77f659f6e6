package liquid

// Particles that turn to liquid: rain where it lands, ice where it melts.

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/noise"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Drip is liquid that comes at a place in one go.
type Drip struct {
	At, V  geom.Vec3 // m, m/s
	Volume float64   // m³
	Radius float64   // m, within which it lies
	Seed   uint64    // of where
	Heat   float64   // K; 0: none is carried
}

// Turn lets drips in, of an emitter by its id, and returns the volume that came. What is less
// than a particle's worth stays owed to it; drips outside the box are lost.
func (s *Solver) Turn(id string, list []Drip) (came float64) {
	unit := s.H * s.H * s.H / PerCell
	size := [3]float64{float64(s.NX), float64(s.NY), float64(s.NZ)}
	for _, d := range list {
		s.owed[id] += d.Volume
		for n := int64(0); s.owed[id] >= unit; n++ {
			s.owed[id] -= unit
			u := func(a int64) float64 { return float64(noise.Hash(d.Seed, n, a, 0)>>11)/(1<<53)*2 - 1 }
			// within its radius, or that of its particles so far
			r := max(d.Radius, 0.6*math.Cbrt(float64(n+1)*unit))
			x := d.At.Sub(s.Origin).Add(geom.V(u(0), u(1), u(2)).Mul(r)).Mul(1 / s.H).Array()
			p := Particle{V: [3]float32{float32(d.V.X), float32(d.V.Y), float32(d.V.Z)}, Heat: float32(d.Heat)}
			within := true
			for a := range 3 {
				if s.Flat && a == 2 {
					x[a] = 0.5
				}
				// what lies on a floor is as near to it as its own radius
				if x[a] < 0 && x[a] > -1 || x[a] > size[a] && x[a] < size[a]+1 {
					x[a] = min(max(x[a], 0.25), size[a]-0.25)
				}
				within = within && x[a] >= 0 && x[a] < size[a]
				p.X[a] = float32(x[a])
			}
			if within {
				s.P = append(s.P, p)
				s.unsorted(0)
				came += unit
			}
		}
	}
	return came
}

// fedByLiquid reports an emitter that is fed by another liquid: it keeps full what lies where
// that is.
func fedByLiquid(s *shot.Shot, e, d *shot.Element) bool {
	by := s.FedBy(e, d)
	return by != nil && by.Kind == shot.Domain && by != d && slices.Contains(by.Within(), Key)
}

// turned lets in what particles turn to in the frame that is made next.
func (l *Stage) turned() (came float64) {
	at := l.At(l.Began()+l.Lasts(), l.Lasts())
	for _, e := range l.Bound() {
		by := l.Shot.FedBy(e, l.Domain)
		if e.Kind != shot.Emitter || by == nil || fedByLiquid(l.Shot, e, l.Domain) {
			continue
		}
		em, ok := at.Emitter(e)
		f := l.Fed(by, l.Number)
		if !ok || f == nil {
			continue
		}
		if f.Points == nil {
			l.Failed(fmt.Errorf("its frames hold no particles, and a liquid is fed by these alone"), by)
			continue
		}
		heat := 0.0
		if val.CarriesHeat.Of(l.Domain) {
			heat = val.Temperature.At(e, at.Now)
		}
		amount, inherit, seed := val.TurnsAmount.At(e, at.Now), val.Inherit.At(e, at.Now), l.Seed(e)
		var list []Drip
		full := math.Pi / 6 // of a cube round a particle
		if f.Points.Of(frame.Sheet) != nil {
			full = 1 // drops beside cloth fill theirs
		}
		turning(f.Points, val.TurnsAt.Of(e), l.Lasts(), func(i int, id uint64, size float64) {
			p := f.Points.P[i]
			d := Drip{At: geom.V(float64(p[0]), float64(p[1]), float64(p[2])), Volume: full * size * size * size * amount, Radius: size / 2, Seed: noise.Hash(seed, int64(id), int64(l.Number), 0), Heat: heat}
			if v := f.Points.V; v != nil {
				d.V = geom.V(float64(v[i][0]), float64(v[i][1]), float64(v[i][2])).Mul(inherit)
			}
			if d.Volume *= em.Mask.Weight(d.At); d.Volume > 0 {
				list = append(list, d)
			}
		})
		var about geom.Box
		for n, d := range list {
			if at := (geom.Box{Min: d.At, Max: d.At}); n == 0 {
				about = at
			} else {
				about = geom.Box{Min: about.Min.Min(d.At), Max: about.Max.Max(d.At)}
			}
		}
		if len(list) > 0 {
			l.Solver.Reach(about)
		}
		came += l.Solver.Turn(e.ID, list)
	}
	return came
}

// turning calls fn for the particles that turn to liquid in a frame of so many seconds, with
// their identity and diameter.
func turning(p *frame.Points, when string, lasts float64, fn func(i int, id uint64, size float64)) {
	get := func(name string) []float32 {
		if v := p.Of(name); v != nil {
			return v
		}
		return make([]float32, len(p.P))
	}
	size, state, hit, age, fell := get("size"), get("state"), get("hit"), get("age"), get(frame.Fell)
	sheet := get(frame.Sheet)
	if p.Of(frame.Sheet) == nil {
		sheet = nil
	}
	ids := p.IDs()
	for i := range p.P {
		turns := false
		switch when {
		case "hit":
			turns = hit[i] > 0
		case "death":
			turns = state[i] >= frame.Gone
		case "fell":
			turns = fell[i] > 0
		default:
			turns = float64(age[i]) < lasts*(1-1e-6)
		}
		if turns && (sheet == nil || sheet[i] < 0) { // cloth itself doesn't
			id := uint64(i)
			if ids != nil {
				id = ids[i]
			}
			fn(i, id, float64(size[i]))
		}
	}
}
