package liquid

// Foam after Ihmsen et al. (2012): drops are thrown up where the liquid is fast and
// traps air or breaks at a crest, and then fly, float or rise. They weigh nothing on
// the liquid, so they can be switched on after a look at it.

import (
	"math"

	"zarf/core/noise"
)

// Drop is a particle of spray, foam or air: too small for the grid, carried by
// the liquid and not acting on it.
type Drop struct {
	X    [3]float32 // voxels
	V    [3]float32 // m/s
	Left float32    // s that it lasts as foam
	Age  float32    // s
	ID   uint64     // no other drop of the run has it
}

// Foam says how much of it comes and how long it lasts (Ihmsen et al. 2012).
type Foam struct {
	Amount float64 // drops a second from a particle that gives fully; 0: none
	Lasts  float64 // s
}

// What a drop is, by how deep it lies under the surface, voxels.
// What a drop is follows from where it is, anew in each substep: it may fly, land,
// be drawn under and rise again.
const (
	sprayFrom  = 0.6  // over it: flies
	bubbleFrom = -0.8 // under it: rises
)

// MaxDrops bounds foam; beyond it none is made.
const MaxDrops = 4_000_000

// Kind is what a drop, or a particle of the liquid, is just now.
type Kind float32

// Kinds of points.
const (
	Bulk   Kind = iota // liquid
	Spray              // flies
	Lather             // foam: lies on the surface
	Bubble             // rises
)

// kind is what a drop is: by how deep it lies under the surface.
func (s *Solver) kind(d *Drop) Kind {
	switch phi := s.phi.Sample(d.X[0]-0.5, d.X[1]-0.5, d.X[2]-0.5); {
	case phi > sprayFrom:
		return Spray
	case phi < bubbleFrom:
		return Bubble
	}
	return Lather
}

// ramp is Ihmsen's clamping function: 0 up to lo, 1 from hi on.
func ramp(v, lo, hi float64) float64 { return min(max((v-lo)/(hi-lo), 0), 1) }

// froth makes new drops at the surface, moves the others and lets old ones go.
// Drops act on nothing: switched on or off, the liquid is the same to the bit.
func (s *Solver) froth(f Foam, gravity, dt float64) {
	if f.Amount > 0 && len(s.Drops) < MaxDrops {
		s.makeDrops(f, dt)
	}
	if len(s.Drops) == 0 {
		return
	}
	s.moveDrops(gravity, dt)
	// in place and in order: which drops are left doesn't hang on threads
	kept := s.Drops[:0]
	n := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}
	for _, d := range s.Drops {
		in := d.Left > 0
		for a := range 3 {
			in = in && d.X[a] >= 0 && d.X[a] <= n[a]
		}
		if in {
			kept = append(kept, d)
		}
	}
	s.Drops = kept
}

// makeDrops draws drops from particles near the surface: in proportion to
// their kinetic energy, and to the air that they trap, by how fast neighbours
// rush together, or to how sharp a crest that runs forwards is.
func (s *Solver) makeDrops(f Foam, dt float64) {
	// in 1/voxel; crests are what is sharper than a quarter
	kappa := s.curvature(1)
	// planes make theirs and are joined in order
	found := make([][]Drop, s.NZ)
	s.rows(3, s.live, func(j, k, i0, i1 int) {
		for i := i0; i < i1; i++ {
			c := s.Index(i, j, k)
			if phi := s.phi.Data[c]; phi <= -0.99 || phi >= 0.95 {
				continue
			}
			for n := s.start[c]; n < s.start[c+1]; n++ {
				found[k] = s.spawn(found[k], int(n), i, j, k, float64(kappa[c]), f, dt)
			}
		}
	})
	for _, list := range found {
		for _, d := range list {
			s.drops++
			d.ID = s.drops
			s.Drops = append(s.Drops, d)
		}
	}
}

// spawn adds the drops of one particle.
//
// The number of drops is rate × energy × (trapped air + half of the crest's) × dt,
// all clamped to 0 … 1 as in the paper. Limits are in units of a fall's speed over
// ten voxels, where the paper has them in m/s: a model and the real thing then froth
// alike.
func (s *Solver) spawn(list []Drop, n, i, j, k int, kappa float64, f Foam, dt float64) []Drop {
	p := &s.P[n]
	v2 := float64(p.V[0]*p.V[0] + p.V[1]*p.V[1] + p.V[2]*p.V[2])
	// energies and speeds are measured against what a fall over ten voxels
	// gives, so that small vessels froth as large ones do
	fall := 2 * 9.81 * 10 * s.H
	energy := ramp(v2, 0.4*fall, 4*fall)
	if energy == 0 {
		return list
	}
	// Ihmsen's trapped air: Σ |v_ij| (1 − v̂_ij·x̂_ij) W(x_ij), over neighbours
	// within a voxel, with the linear kernel. It is 0 for a flow that only moves
	// along.
	rush := 0.0
	for m := range 27 {
		a, b, c := i+m%3-1, j+m/3%3-1, k+m/9-1
		if a < 0 || b < 0 || c < 0 || a >= s.NX || b >= s.NY || c >= s.NZ {
			continue
		}
		for _, q := range s.in(a, a+1, b, c) {
			dx := [3]float32{p.X[0] - q.X[0], p.X[1] - q.X[1], p.X[2] - q.X[2]}
			r2 := float64(dx[0]*dx[0] + dx[1]*dx[1] + dx[2]*dx[2])
			if r2 >= 1 || r2 == 0 {
				continue
			}
			dv := [3]float32{p.V[0] - q.V[0], p.V[1] - q.V[1], p.V[2] - q.V[2]}
			w := math.Sqrt(float64(dv[0]*dv[0] + dv[1]*dv[1] + dv[2]*dv[2]))
			if w == 0 {
				continue
			}
			r := math.Sqrt(r2)
			cos := float64(dv[0]*dx[0]+dv[1]*dx[1]+dv[2]*dx[2]) / (w * r)
			rush += w * (1 - cos) * (1 - r) // towards each other counts twice, away nothing
		}
	}
	speed := math.Sqrt(fall)
	// limits in units of the fall's speed, found by looking: pours froth where they
	// land, and still water doesn't
	trapped := ramp(rush, 2*speed, 12*speed)
	crest := 0.0
	if kappa > 0.25 {
		crest = ramp(kappa, 0.25, 0.9)
	}
	want := f.Amount * energy * (trapped + 0.5*crest) * dt
	h := noise.Hash(uint64(s.steps)*2654435761+97, int64(n), 0, 0)
	// the fraction is drawn: on the mean it is right, and a hash keeps it repeatable
	count := int(want + float64(h>>40)/(1<<24))
	speedV := math.Sqrt(v2)
	for d := range count {
		h = noise.Hash(h, int64(d), 1, 2)
		u := func(m int) float32 { return float32(h>>(m*16)&0xffff)/0xffff - 0.5 }
		x := p.X
		for a := range 3 {
			// spread over the voxel and along the way of this substep, or drops
			// would stand in rows as far apart as a step
			x[a] += u(a) + p.V[a]*float32(dt/s.H)*(u(3)+0.5)
		}
		// energetic foam lasts longer, ±40 % by chance
		life := f.Lasts * (0.3 + 0.7*energy) * (0.6 + 0.8*float64(u(3)+0.5))
		v := p.V
		for a := range 3 {
			v[a] += 0.15 * float32(speedV) * u((a+1)%3)
		}
		list = append(list, Drop{X: x, V: v, Left: float32(life)})
	}
	return list
}

// moveDrops lets spray fly, takes foam along, and lets bubbles rise as they
// are dragged.
//
// What a drop is follows from its depth, anew each substep. Bubbles rise by twice
// gravity less drag, a terminal speed of a few voxels a substep: right enough for
// what is seen, and not for their physics.
func (s *Solver) moveDrops(gravity, dt float64) {
	g := float32(dt / s.H)
	n := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}
	const skin = 1e-3
	s.crew.For(len(s.Drops), 2048, func(lo, hi int) {
		for m := lo; m < hi; m++ {
			d := &s.Drops[m]
			d.Age += float32(dt)
			if s.Flat { // it has no depth to fly in
				d.X[2], d.V[2] = 0.5, 0
			}
			for a := range 3 { // a new drop may lie beyond an open side, where nothing is known
				d.X[a] = min(max(d.X[a], 0), n[a])
			}
			phi := s.phi.Sample(d.X[0]-0.5, d.X[1]-0.5, d.X[2]-0.5)
			u := s.at(&d.X)
			switch {
			// ballistic: no drag, which for drops of this size only shows after
			// seconds
			case phi > sprayFrom:
				d.V[1] -= float32(gravity * dt)
			// dragged to the flow by 60 % a substep, and lifted by twice gravity
			case phi < bubbleFrom:
				for a := range 3 {
					d.V[a] += 0.6 * (u[a] - d.V[a])
				}
				d.V[1] += float32(2 * gravity * dt)
			// foam moves with the surface and ages; only there it does
			default:
				d.V = u
				d.Left -= float32(dt)
			}
			was := d.X
			for a := range 3 {
				d.X[a] += g * d.V[a]
			}
			if s.solid.any {
				if s.travel(was, &d.X, &d.V) {
					for a := range 3 {
						// bounce is no part of it: drops lose half their speed where
						// they hit
						d.V[a] *= 0.5
					}
				}
			}
			for a := range 3 {
				if d.X[a] < skin && !s.Open[2*a] {
					d.X[a], d.V[a] = skin, 0
				}
				if d.X[a] > n[a]-skin && !s.Open[2*a+1] {
					d.X[a], d.V[a] = n[a]-skin, 0
				}
			}
		}
	})
}

// Froth is how thick foam, spray and bubbles are in every voxel: drops by the
// hat function, over a full voxel's particles; at most 1.
// It serves pages and renderers that draw foam as a density; the drops themselves
// are kept with the particles.
func (s *Solver) Froth() []float32 {
	out := make([]float32, s.Len())
	for n := range s.Drops {
		x := &s.Drops[n].X
		px, py, pz := x[0]+0.5, x[1]+0.5, x[2]+0.5
		i, j, k := int(px), int(py), int(pz)
		fx, fy, fz := px-float32(i), py-float32(j), pz-float32(k)
		for c := range 8 {
			a, b, e := i-1+c&1, j-1+c>>1&1, k-1+c>>2
			if uint(a) >= uint(s.NX) || uint(b) >= uint(s.NY) || uint(e) >= uint(s.NZ) {
				continue
			}
			out[s.Index(a, b, e)] += [2]float32{1 - fx, fx}[c&1] * [2]float32{1 - fy, fy}[c>>1&1] * [2]float32{1 - fz, fz}[c>>2]
		}
	}
	for i, v := range out {
		out[i] = min(v/PerCell, 1)
	}
	return out
}
