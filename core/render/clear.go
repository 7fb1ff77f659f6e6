package render

// Liquids and glass: finding the surface of a liquid by its distances, which medium
// is at a place, and what happens to a ray at a clear surface (Fresnel, Snell,
// Beckmann).

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Liquid is a body of liquid in the picture, by the distance to its surface.
// Phi need not be a true distance: ray only trusts its sign, and its size near the
// surface.
type Liquid struct {
	Phi    *grid.Field // m, negative inside, at cell centres; cut off at ±Band
	H      float64     // cell, m
	Origin geom.Vec3   // low corner, m
	Band   float64     // m
	Voxel  float64     // of the simulation, m: to glass nearer than this the liquid clings

	Carried *Carried // nil: nothing
	Damp    *Damp    // where solids are wet; nil: nobody knows

	joined bool // its sides are those of a sea, which goes on beyond them
	moves  *drift
	tiles  grid.Dims
	none   bool // nothing is wet
	bounds geom.Box
	wet    geom.Box // round all tiles that aren't dry, a tile wider
	kind   []uint8  // of every tile: nothing, surface, all liquid
	clear  []uint8  // how many tiles about each are like it
}

// What a tile of a liquid holds.
// As numbers of one byte: a box of 512³ cells has 262,144 tiles.
const (
	dry = iota
	mixed
	flooded
)

// NewLiquid prepares a liquid. vel is its velocity, m/s, at cells of width velH
// from velLow on; nil where it isn't known or not wanted. shutter is how long
// it is open, s; where that is 0 motion goes into its layer alone.
//
// Tiles are told apart once: those that are all air or all liquid are crossed in one
// step by ray. It looks at each cell twice, rims included.
func NewLiquid(phi *grid.Field, h float64, origin geom.Vec3, band, voxel float64, vel [3]*grid.Field, velH float64, velLow geom.Vec3, shutter float64) *Liquid {
	l := &Liquid{Phi: phi, H: h, Origin: origin, Band: band, Voxel: voxel}
	// motion may carry the surface into tiles that look empty at the frame itself
	reach := 0
	if vel[0] != nil {
		l.moves = &drift{vel: vel, h: velH, origin: velLow, shutter: shutter}
		var fast float32
		for _, f := range vel {
			lo, hi, _ := f.Range()
			fast = max(fast, hi, -lo)
		}
		// Half of the shutter before the frame and half after.
		reach = int(math.Ceil(float64(fast) * shutter / 2 / (h * tile)))
	}
	l.tiles = grid.Dims{NX: (phi.NX + tile - 1) / tile, NY: (phi.NY + tile - 1) / tile, NZ: (phi.NZ + tile - 1) / tile}
	l.kind = make([]uint8, l.tiles.Len())
	for n := range l.kind {
		i, j, k := n%l.tiles.NX, n/l.tiles.NX%l.tiles.NY, n/(l.tiles.NX*l.tiles.NY)
		// With a rim of one cell, since a surface may lie between two tiles.
		lo, hi := float32(math.Inf(1)), float32(math.Inf(-1))
		for z := max(k*tile-1, 0); z < min(k*tile+tile+1, phi.NZ); z++ {
			for y := max(j*tile-1, 0); y < min(j*tile+tile+1, phi.NY); y++ {
				for _, v := range phi.Row(y, z)[max(i*tile-1, 0):min(i*tile+tile+1, phi.NX)] {
					lo, hi = min(lo, v), max(hi, v)
				}
			}
		}
		switch {
		case lo > 0: // what lies between values of one sign has that sign
			l.kind[n] = dry
		case hi < 0:
			l.kind[n] = flooded
		default:
			l.kind[n] = mixed
		}
	}
	if reach > 0 {
		l.widen(min(reach, 8))
	}
	l.bounds = l.box()
	l.bound()
	l.clearings()
	return l
}

// clearings finds how many tiles about each one are like it, air or liquid: a ray leaves them
// in one go.
func (l *Liquid) clearings() {
	t := l.tiles
	l.clear = make([]uint8, t.Len())
	const most = 32
	for n, k := range l.kind {
		if k != mixed {
			l.clear[n] = most
		}
	}
	// the least of a tile's and its neighbours' and one, along each axis in turn both ways,
	// until nothing changes: a tile beside one of another kind has none
	size, stride := [3]int{t.NX, t.NY, t.NZ}, [3]int{1, t.NX, t.NX * t.NY}
	for changed := true; changed; {
		changed = false
		for n := range l.clear {
			at := [3]int{n % t.NX, n / t.NX % t.NY, n / stride[2]}
			best := l.clear[n]
			for z := max(at[2]-1, 0); z <= min(at[2]+1, size[2]-1) && best > 0; z++ {
				for y := max(at[1]-1, 0); y <= min(at[1]+1, size[1]-1); y++ {
					for x := max(at[0]-1, 0); x <= min(at[0]+1, size[0]-1); x++ {
						m := t.Index(x, y, z)
						if l.kind[m] != l.kind[n] {
							best = 0
						} else {
							best = min(best, l.clear[m]+1)
						}
					}
				}
			}
			if best < l.clear[n] {
				l.clear[n], changed = best, true
			}
		}
	}
}

// bound finds the box of all tiles that aren't dry, and one more round.
func (l *Liquid) bound() {
	t := l.tiles
	lo, hi := [3]int{t.NX, t.NY, t.NZ}, [3]int{}
	for n, k := range l.kind {
		if k == dry {
			continue
		}
		for a, i := range [3]int{n % t.NX, n / t.NX % t.NY, n / (t.NX * t.NY)} {
			lo[a], hi[a] = min(lo[a], i), max(hi[a], i+1)
		}
	}
	if l.none = hi == ([3]int{}); l.none {
		return
	}
	e := l.H * tile
	l.wet = geom.Box{
		Min: l.Origin.Add(geom.V(float64(lo[0]-1), float64(lo[1]-1), float64(lo[2]-1)).Mul(e)),
		Max: l.Origin.Add(geom.V(float64(hi[0]+1), float64(hi[1]+1), float64(hi[2]+1)).Mul(e)),
	}
}

// widen marks the tiles that a surface may be carried into.
// A box of tiles round each that holds surface, as far as the fastest liquid goes.
// A tile that is marked needlessly costs steps and no light.
func (l *Liquid) widen(reach int) {
	old := append([]uint8(nil), l.kind...)
	t := l.tiles
	for n, k := range old {
		if k != mixed {
			continue
		}
		a, b, c := n%t.NX, n/t.NX%t.NY, n/(t.NX*t.NY)
		for z := max(c-reach, 0); z <= min(c+reach, t.NZ-1); z++ {
			for y := max(b-reach, 0); y <= min(b+reach, t.NY-1); y++ {
				for x := max(a-reach, 0); x <= min(a+reach, t.NX-1); x++ {
					l.kind[t.Index(x, y, z)] = mixed
				}
			}
		}
	}
}

// Distance is that to the surface at p, m; beyond the box nothing is wet.
func (l *Liquid) Distance(p geom.Vec3, moment float64) float64 {
	q := p.Sub(l.Origin).Mul(1 / l.H)
	if l.joined {
		if v, ok := l.onwards(q); ok {
			return v
		}
	}
	if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(l.Phi.NX) || q.Y > float64(l.Phi.NY) || q.Z > float64(l.Phi.NZ) {
		return l.Band
	}
	// The place is followed back by the velocity there, and the distance read where
	// it was.
	if l.moves != nil && moment != 0 {
		q = p.Sub(l.moves.at(p).Mul(moment)).Sub(l.Origin).Mul(1 / l.H)
	}
	return float64(l.Phi.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
}

// onwards is the distance at q, in cells, half a cell within the sides and a cell beyond: there
// a surface that is joined to a sea goes on straight.
func (l *Liquid) onwards(q geom.Vec3) (v float64, ok bool) {
	nx, nz := float64(l.Phi.NX), float64(l.Phi.NZ)
	if q.X < -1.5 || q.Z < -1.5 || q.X > nx+1.5 || q.Z > nz+1.5 || q.Y < 0 || q.Y > float64(l.Phi.NY) {
		return 0, false
	}
	x, z := min(max(q.X, 0.5), nx-0.5), min(max(q.Z, 0.5), nz-0.5)
	if x == q.X && z == q.Z {
		return 0, false
	}
	at := func(x, z float64) float64 {
		return float64(l.Phi.Sample(float32(x-0.5), float32(q.Y-0.5), float32(z-0.5)))
	}
	v = at(x, z)
	inner := v
	if x != q.X {
		in := min(max(x-math.Copysign(1, q.X-x), 0.5), nx-0.5)
		v += (inner - at(in, z)) * math.Abs(q.X-x)
	}
	if z != q.Z {
		in := min(max(z-math.Copysign(1, q.Z-z), 0.5), nz-0.5)
		v += (inner - at(x, in)) * math.Abs(q.Z-z)
	}
	return min(max(v, -l.Band), l.Band), true
}

func (l *Liquid) box() geom.Box {
	return geom.Box{Min: l.Origin, Max: l.Origin.Add(geom.V(float64(l.Phi.NX), float64(l.Phi.NY), float64(l.Phi.NZ)).Mul(l.H))}
}

// normal points out of the liquid.
func (l *Liquid) normal(p geom.Vec3, moment float64) geom.Vec3 {
	e := l.H
	d := func(v geom.Vec3) float64 { return l.Distance(p.Add(v), moment) - l.Distance(p.Sub(v), moment) }
	n := geom.V(d(geom.V(e, 0, 0)), d(geom.V(0, e, 0)), d(geom.V(0, 0, e)))
	// In the middle of nothing any normal will do; nobody looks at it.
	if n.Len() == 0 {
		return geom.V(0, 1, 0)
	}
	return n.Unit()
}

// ray finds where a ray crosses the surface next: into the liquid or out of
// it. Where liquid stands at the side of its box, the side is its surface.
//
// Sphere tracing would trust distances that aren't: a liquid's φ comes from
// particles and is shallow inside. So steps are no less than a third of a cell and,
// within the liquid, no more than one and a half, and a change of sign is bisected.
func (l *Liquid) ray(o, d geom.Vec3, far, moment float64) (t float64, normal geom.Vec3, ok bool) {
	if l.none {
		return 0, normal, false
	}
	inv := geom.V(1/d.X, 1/d.Y, 1/d.Z)
	first, last, hit := slabs(&l.wet, o, inv)
	if !hit || first >= far || last <= 0 {
		return 0, normal, false
	}
	near, end, hit := slabs(&l.bounds, o, inv)
	if !hit || near >= far || end <= 0 {
		return 0, normal, false
	}
	side := func(t float64, out float64) geom.Vec3 { // the side of the box met at t
		q := o.Add(d.Mul(t)).Sub(l.bounds.Centre())
		s := l.bounds.Size().Mul(0.5)
		x, y, z := math.Abs(q.X)/s.X, math.Abs(q.Y)/s.Y, math.Abs(q.Z)/s.Z
		switch {
		case x >= y && x >= z:
			return geom.V(math.Copysign(1, q.X), 0, 0)
		case y >= z:
			return geom.V(0, math.Copysign(1, q.Y), 0)
		}
		return geom.V(0, 0, math.Copysign(1, q.Z))
	}
	// To stand clearly within a tile after leaving another.
	small := l.H * 1e-3
	// On which side the ray is now; what is looked for is the first place on the
	// other.
	was := false
	from := 0.0
	if near = max(near, first); near > 0 { // all is dry up to there
		from = near
		if l.Distance(o.Add(d.Mul(near+small)), moment) < 0 {
			return near, side(near, 1), true
		}
	} else {
		was = l.Distance(o, moment) < 0
	}
	stop := min(end, far, last)
	prev := from
	still := (l.moves == nil || moment == 0) && !l.joined
	// whole tiles without a surface are left in one go; in mixed ones steps follow
	// the distance, never under a third of a cell nor over one and a half
	o1, d1 := o.Sub(l.Origin).Mul(1/l.H), d.Mul(1/l.H) // in cells
	for t = from; t < stop; {
		q := o1.Add(d1.Mul(t))
		i, j, k := min(max(int(q.X)/tile, 0), l.tiles.NX-1), min(max(int(q.Y)/tile, 0), l.tiles.NY-1), min(max(int(q.Z)/tile, 0), l.tiles.NZ-1)
		// Flooded tiles are left only by a ray that is wet, dry ones by one that is
		// dry; if the two disagree, rounding put the ray beside its tile, and a step
		// follows.
		m := l.tiles.Index(i, j, k)
		if kind := l.kind[m]; kind != mixed && (kind == flooded) == was {
			prev = t
			t += l.leave(q.Mul(1.0/tile), inv, i, j, k, int(l.clear[m])) + small
			continue
		}
		var v float64
		if still {
			v = float64(l.Phi.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
		} else {
			v = l.Distance(o.Add(d.Mul(t)), moment)
		}
		if (v < 0) != was {
			a, b := prev, t
			// bisection: 2⁻¹⁴ of a step is well under a thousandth of a cell
			for range 14 {
				m := (a + b) / 2
				if (l.Distance(o.Add(d.Mul(m)), moment) < 0) == was {
					a = m
				} else {
					b = m
				}
			}
			t = (a + b) / 2
			return t, l.normal(o.Add(d.Mul(t)), moment), true
		}
		prev = t
		// particles within the liquid leave its distance shallow: it says little
		// of how far the way out is
		step := max(math.Abs(v)*0.7, 0.35*l.H)
		if was {
			step = min(step, 1.5*l.H)
		}
		t += step
	}
	if was && end <= far {
		return end, side(end, 1), true
	}
	return 0, normal, false
}

// leave is how far a ray at q, in tiles, goes within tile (i,j,k) and so many round it, m;
// inv is one over its direction. Slabs, as for any box; only the nearest way out matters.
func (l *Liquid) leave(q, inv geom.Vec3, i, j, k, round int) float64 {
	best := out(q.X, inv.X, i, round)
	best = min(best, out(q.Y, inv.Y, j, round))
	best = min(best, out(q.Z, inv.Z, k, round))
	return max(best, 0) * l.H * tile
}

// out is how far it is along an axis to the end of tile c and so many round it.
func out(q, inv float64, c, round int) float64 {
	switch {
	case math.Abs(inv) > 1e12:
		return math.Inf(1)
	case inv > 0:
		return (float64(c+1+round) - q) * inv
	}
	return (float64(c-round) - q) * inv
}

// medium is what fills space at a place.
type medium uint8

const (
	inAir medium = iota
	inLiquid
	inGlass
)

// medium is what is at p: glass before liquid, so that a liquid may overlap
// the glass that holds it; and liquid where only a gap of the simulation's
// voxel parts it from glass.
func (t *trip) medium(p geom.Vec3) medium {
	s := t.s
	if !s.clear {
		return inAir
	}
	// Simulated liquid ends about a voxel from the glass that holds it. Rendered as
	// it is, light would see air between the two and mirror there.
	// A scene has a handful of clear solids, and each is asked by its exact
	// distance.
	near := math.Inf(1)
	for i := range t.solids {
		if !t.solids[i].Clear || !t.solids[i].Shape.Hollow && beyond(&t.solids[i].box, p, s.rim) {
			continue
		}
		d := t.solids[i].Shape.Distance(p)
		if d < 0 {
			return inGlass
		}
		near = min(near, d)
	}
	if s.Sea != nil && s.Sea.under(p) {
		return inLiquid
	}
	for _, l := range s.Liquids {
		edge := 0.0
		if near < clings*l.Voxel {
			edge = clings * l.Voxel
		}
		if l.Distance(p, t.moment) < edge && !s.Look.Liquid.Opaque {
			return inLiquid
		}
	}
	return inAir
}

// clings is how many voxels from glass a liquid may end and still touch it.
const clings = 0.8

// Index of refraction of glass.
const glassIndex = 1.5

func (s *Scene) index(m medium) float64 {
	switch m {
	case inLiquid:
		return s.Look.Liquid.Index
	case inGlass:
		return glassIndex
	}
	return 1
}

// soaked is what a way through a medium leaves of light (Beer and Lambert).
func (s *Scene) soaked(m medium, far float64) look.RGB {
	if m == inAir || math.IsInf(far, 0) {
		return look.RGB{1, 1, 1}
	}
	a := s.Look.Liquid.Absorb
	if m == inGlass {
		// Glass has no values on any sheet.
		a = look.RGB{0.6, 0.25, 0.4} // 1/m: greenish, as in windows
	}
	return look.RGB{math.Exp(-a[0] * far), math.Exp(-a[1] * far), math.Exp(-a[2] * far)}
}

// Fresnel is the share of unpolarised light that a surface between two clear
// media throws back: cos is that of the angle to the normal, eta the index
// before over the one behind. bent is the cosine behind it.
func Fresnel(cos, eta float64) (share, bent float64) {
	// Snell; over 1 there is total reflection
	sin2 := eta * eta * (1 - cos*cos)
	if sin2 >= 1 {
		return 1, 0
	}
	bent = math.Sqrt(1 - sin2)
	// amplitudes for light polarised across and along, their squares averaged
	// Across the plane of incidence, then along it; natural light is half of each.
	s := (eta*cos - bent) / (eta*cos + bent)
	p := (cos - eta*bent) / (cos + eta*bent)
	return (s*s + p*p) / 2, bent
}

// mirrored and bent are directions behind a surface whose normal n is turned
// against d.
func mirrored(d, n geom.Vec3) geom.Vec3 { return d.Sub(n.Mul(2 * d.Dot(n))) }

func refracted(d, n geom.Vec3, eta, cos, bent float64) geom.Vec3 {
	// Snell's law as vectors. Unit takes away what rounding adds.
	return d.Mul(eta).Add(n.Mul(eta*cos - bent)).Unit()
}

// facet is a normal drawn about n by a Beckmann distribution of the given
// roughness (Walter et al. 2007).
func facet(n geom.Vec3, rough float64, r *dice) geom.Vec3 {
	if rough <= 0 {
		return n
	}
	a := rough * rough
	// Beckmann: tan²θ = −α² ln(1 − u); 0.999 keeps the normal off the horizon
	tan2 := -a * a * math.Log(1-r.next()*0.999)
	return about(n, 1/math.Sqrt(1+tan2), r)
}

// maxClear is how many clear surfaces a path may cross.
// A glass of water is eight; more is light caught in total reflection, which fades.
const maxClear = 32

// cross takes a path through or off a clear surface at h: where and which way
// it goes on, what it is in then, and whether it was thrown back.
// behind equal to in means that two surfaces lie together, or that a gap was closed
// by medium: the path goes on straight.
func (t *trip) crossClear(o, d geom.Vec3, h hit, in medium) (p, dir geom.Vec3, now medium, thrown bool) {
	at := o.Add(d.Mul(h.t))
	behind := t.mediumBehind(&h, at, d, &in)
	if behind == in {
		return at.Add(d.Mul(4 * h.off)), d, in, false
	}
	n := h.normal
	if in == inLiquid || behind == inLiquid {
		// Glass is smooth; a liquid's roughness stands for ripples that the voxels
		// can't hold.
		rough := t.s.Look.Liquid.Rough
		if h.sea {
			rough = max(rough, math.Sqrt(math.Sqrt(h.steep)))
		}
		n = facet(n, rough, &t.r)
	}
	cos := -d.Dot(n)
	// A facet turned away from the ray is replaced by the surface's own normal.
	if cos <= 0 {
		n, cos = h.normal, max(-d.Dot(h.normal), 1e-6)
	}
	eta := t.s.index(in) / t.s.index(behind)
	// one of the two ways by chance: weights stay 1
	f, bent := Fresnel(min(cos, 1), eta)
	if t.r.next() < f {
		return at.Add(h.normal.Mul(h.off)), mirrored(d, n), in, true
	}
	return at.Sub(h.normal.Mul(h.off)), refracted(d, n, eta, min(cos, 1), bent), behind, false
}

// sunlit is what comes of light from far away along dir, past solids and
// straight through what is clear: the bending by which the sun is gathered
// into caustics is left out, as the sun is too small to be met by chance.
func (s *Scene) sunlit(t *trip, p, dir geom.Vec3, far float64) look.RGB {
	w := look.RGB{1, 1, 1}
	if !s.clear {
		if s.blocked(t, p, dir, far) {
			return look.RGB{}
		}
		return w
	}
	in := inAir
	// Straight on through each surface, losing what it throws back.
	for n := range maxClear {
		h, hit := s.trace(t, p, dir, far, true)
		if n == 0 {
			// most rays meet nothing, or what lets nothing through
			switch {
			case !hit && math.IsInf(far, 0):
				return w
			case hit && !h.clear:
				return look.RGB{}
			}
			in = t.medium(p)
		}
		w = w.Mul(s.soakedAlong(in, p, dir, h.t))
		if !hit {
			return w
		}
		if !h.clear {
			return look.RGB{}
		}
		next := p.Add(dir.Mul(h.t + 4*h.off))
		now := t.mediumBehind(&h, p.Add(dir.Mul(h.t)), dir, &in)
		if now != in {
			f, _ := Fresnel(max(-dir.Dot(h.normal), 0.05), 1/1.33)
			// a shadow ray goes straight through and pays what each surface throws
			// back
			w = w.Scale(1 - f)
		}
		p, in, far = next, now, far-h.t-4*h.off
	}
	return look.RGB{}
}
