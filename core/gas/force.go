package gas

// Forces act on faces, one component at a time, each where its region reaches. All
// of them end in eachFace or each, which give runs of faces in use, so that none has
// to know of tiles. What is costly to work out (noise, distances to curves and
// forms) is kept on the solver for as long as what it was made from stays the same,
// and compared by value.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/sim"
	"zarf/core/vec"
)

// force applies body forces for dt seconds.
// New kinds of pushes need nothing here: Pushes lists whatever the scene holds.
func (s *Solver) force(dt float64, in Inputs) {
	// Forces are applied one after another, each exactly for the whole step where it
	// has a closed form; the error of such splitting is O(dt) and small against that
	// of the projection. The order is part of the result's bits.
	p := in.Physics
	s.buoyancy(dt, p)
	for i := range in.Winds {
		s.wind(dt, &in.Winds[i])
	}
	for n := range in.Turbulences {
		s.turbulence(dt, &in.Turbulences[n], n)
	}
	for _, f := range in.Pushes() {
		s.push(dt, &f.Region, f.Reach, f.At)
	}
	for i := range in.Guides {
		s.guide(dt, &in.Guides[i], i)
	}
	for i := range in.Pulls {
		s.gather(dt, &in.Pulls[i], i)
	}
	if p.Vorticity != 0 {
		s.confine(dt, p)
	}
	if p.Damping > 0 {
		s.slow(dt, p.Damping, &sim.Region{})
	}
	for i := range in.Drags {
		s.slow(dt, in.Drags[i].Rate, &in.Drags[i].Region)
	}
	s.drift(dt, in)
}

// drift advances the air outside under the winds, for dt seconds.
// It is the velocity of what comes in at open sides, and of what lies beyond the
// tiles.
func (s *Solver) drift(dt float64, in Inputs) {
	for _, w := range in.Winds {
		if !w.Region.Limited {
			s.Ambient = s.Ambient.Add(w.Velocity.Sub(s.Ambient).Mul(1 - math.Exp(-w.Grip*dt)))
		}
	}
	s.Ambient = s.Ambient.Mul(math.Exp(-in.Physics.Damping * dt))
}

// buoyancy lifts warm air and weighs down smoke:
// dv = g (lift (1 − T0/T) − weight·smoke/ρ0) dt on vertical faces.
// On inner faces only, with the mean of the two cells.
func (s *Solver) buoyancy(dt float64, p Physics) {
	// Boussinesq: density differences count for weight alone, not for inertia. The
	// weight that is missing from a m³ is ρ₀ (1 − T₀/T) g and never more than ρ₀ g.
	// With g ΔT/T₀, which is the same while gas is little warmer than air, flames rise
	// three times as fast as they do (see measure's burner).
	a := float32(dt * p.Gravity * p.Lift)
	b, t0 := float32(dt*p.Gravity*p.SmokeWeight/p.AirDensity), float32(p.AirTemperature)
	if a == 0 && b == 0 || !s.live[0] && !s.live[1] && s.total(s.Heat) == 0 && s.total(s.Smoke) == 0 {
		return
	}
	// the floor's and the ceiling's faces have a cell on one side only; the projection
	// sets them
	v, heat, smoke := s.V.Data, s.Heat.Data, s.Smoke.Data
	s.between(1, false, func(_, _, o, below, above, n int) {
		vec.Lift(v[o:o+n], heat[below:below+n], heat[above:above+n], smoke[below:below+n], smoke[above:above+n], a, b, t0)
	})
}

// weights fills w with a region's strength on a run of faces of one axis; it
// reports whether there is any.
// One distance a face for limited regions; everywhere costs a fill.
func (s *Solver) weights(w []float32, r *sim.Region, axis, i, j, k int) bool {
	if !r.Limited {
		for m := range w {
			w[m] = 1
		}
		return true
	}
	// Most runs lie wholly outside a region's box; those cost two comparisons.
	reach := r.Shape.Bounds().Grow(r.Fade)
	a, b := s.facePoint(i, j, k, axis), s.facePoint(i+len(w)-1, j, k, axis)
	if b.X < reach.Min.X || a.X > reach.Max.X || a.Y < reach.Min.Y || a.Y > reach.Max.Y || a.Z < reach.Min.Z || a.Z > reach.Max.Z {
		return false
	}
	any := false
	for m := range w {
		w[m] = float32(r.Weight(a))
		any = any || w[m] != 0
		a.X += s.H
	}
	return any
}

// eachFace runs fn over the runs of faces that a region reaches, with its
// weights.
func (s *Solver) eachFace(r *sim.Region, fn func(axis, i, j, k int, u, w []float32)) {
	for axis, f := range s.velocity() {
		s.each(onU+axis, func(i, j, k, o, n int) {
			// in pieces of 128, whose weights lie on the stack
			for n > 0 {
				var room [128]float32
				m := min(n, len(room))
				if s.weights(room[:m], r, axis, i, j, k) {
					fn(axis, i, j, k, f.Data[o:o+m], room[:m])
				}
				i, o, n = i+m, o+m, n-m
			}
		})
	}
}

// wind draws the velocity towards the wind's: u += (1 − e^(−grip dt)) (w − u).
// Exact for a constant wind: no grip is too strong for a step.
func (s *Solver) wind(dt float64, w *sim.Wind) {
	q := float32(1 - math.Exp(-w.Grip*dt))
	v := w.Velocity.Array()
	s.eachFace(&w.Region, func(axis, _, _, _ int, u, part []float32) {
		want := float32(v[axis])
		for i := range u {
			u[i] += q * part[i] * (want - u[i])
		}
	})
}

// slow takes speed away: u *= e^(−rate dt).
// The same with a wind of zero.
func (s *Solver) slow(dt, rate float64, r *sim.Region) {
	q := float32(1 - math.Exp(-rate*dt))
	s.eachFace(r, func(_, _, _, _ int, u, part []float32) {
		for i := range u {
			u[i] -= q * part[i] * u[i]
		}
	})
}

// push adds an acceleration that depends on the place; beyond reach (metres
// about a point) it is too weak to matter.
// Its cost is at: one call a face that it reaches.
func (s *Solver) push(dt float64, r *sim.Region, reach geom.Box, at func(p geom.Vec3) geom.Vec3) {
	s.eachFace(r, func(axis, i, j, k int, u, part []float32) {
		p := s.facePoint(i, j, k, axis)
		if p.Y < reach.Min.Y || p.Y > reach.Max.Y || p.Z < reach.Min.Z || p.Z > reach.Max.Z {
			return
		}
		for m := range u {
			if part[m] != 0 && p.X >= reach.Min.X && p.X <= reach.Max.X {
				u[m] += float32(dt*at(p).Array()[axis]) * part[m]
			}
			p.X += s.H
		}
	})
}

// eddy is the noise potential of one turbulence, kept while it changes little.
type eddy struct {
	of    sim.Turbulence
	box   grid.Dims
	low   [3]int
	cell  float64
	first [3]float32 // where the box's corner lies on the lattice
	psi   [3]*grid.Field
	edges [3]*grid.Field
}

// turbulence adds the curl of a noise potential. The potential is sampled on a
// lattice fine enough for its smallest octave, interpolated to the edges of
// the cells, and differenced round every face: what comes out has no
// divergence on this grid, to rounding (Bridson et al. 2007). A region's
// weight multiplies the potential, so that this holds at its border too.
func (s *Solver) turbulence(dt float64, t *sim.Turbulence, n int) {
	if t.Strength == 0 || t.Size <= 0 {
		return
	}
	for len(s.eddies) <= n {
		s.eddies = append(s.eddies, eddy{})
	}
	e := &s.eddies[n]
	// The potential depends on all but the strength: a keyed strength costs nothing
	like := *t
	like.Strength = 0
	if e.psi[0] == nil || e.of != like || e.box != s.Dims || e.low != s.Low {
		e.of, e.box, e.low = like, s.Dims, s.Low
		s.lattice(e)
		s.toEdges(e)
	}
	// the gradient of unit noise has a root mean square of about 1 a feature size
	scale := float32(dt * t.Strength * t.Size / s.H)
	// u = ∂ψz/∂y − ∂ψy/∂z and so on, by differences of the four edges round a face.
	// Summed over the six faces of a cell every edge occurs twice with opposite
	// signs, so the divergence is zero but for rounding.
	x, y, z := e.edges[0], e.edges[1], e.edges[2]
	s.each(onU, func(i, j, k, o, n int) {
		u := s.U.Data[o : o+n]
		a, b, c, d := z.Row(j+1, k)[i:i+n], z.Row(j, k)[i:i+n], y.Row(j, k+1)[i:i+n], y.Row(j, k)[i:i+n]
		for m := range u {
			u[m] += scale * ((a[m] - b[m]) - (c[m] - d[m]))
		}
	})
	s.each(onV, func(i, j, k, o, n int) {
		u := s.V.Data[o : o+n]
		a, b, c := x.Row(j, k+1)[i:i+n], x.Row(j, k)[i:i+n], z.Row(j, k)[i:i+n+1]
		for m := range u {
			u[m] += scale * ((a[m] - b[m]) - (c[m+1] - c[m]))
		}
	})
	s.each(onW, func(i, j, k, o, n int) {
		u := s.W.Data[o : o+n]
		a, b, c := y.Row(j, k)[i:i+n+1], x.Row(j+1, k)[i:i+n], x.Row(j, k)[i:i+n]
		for m := range u {
			u[m] += scale * ((a[m+1] - a[m]) - (b[m] - c[m]))
		}
	})
}

// lattice samples the potential; its cells are a quarter of the smallest
// octave, and count from the limit's corner, so that a box that grows sees the
// same noise.
// The dearest force by far when its pattern changes: noise for three components.
func (s *Solver) lattice(e *eddy) {
	t := e.of
	n := max(t.Octaves, 1)
	// Four points a wave of the smallest octave: linear interpolation then still
	// shows it.
	e.cell = max(s.H, t.Size/float64(int(4)<<(n-1)))
	b := s.Bounds()
	var first, last [3]int
	lo, hi := b.Min.Sub(s.Limit.Origin).Mul(1/e.cell).Array(), b.Max.Sub(s.Limit.Origin).Mul(1/e.cell).Array()
	for a := range 3 {
		first[a], last[a] = int(math.Floor(lo[a]))-1, int(math.Ceil(hi[a]))+2
	}
	d := grid.Dims{NX: last[0] - first[0] + 1, NY: last[1] - first[1] + 1, NZ: last[2] - first[2] + 1}
	for c := range e.psi {
		if e.psi[c] == nil || e.psi[c].Dims != d {
			e.psi[c] = grid.NewField(d)
		}
	}
	place := func(i, j, k int) geom.Vec3 {
		return s.Limit.Origin.Add(geom.V(float64(i+first[0]), float64(j+first[1]), float64(k+first[2])).Mul(e.cell))
	}
	xs := make([]float64, d.NX)
	for i := range xs {
		xs[i] = place(i, 0, 0).X/t.Size + t.Phase
	}
	line, err := noise.NewLine(xs, n)
	if err != nil {
		panic(err) // the catalogue's ranges are far from there
	}
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		r := &potential{at: place, noise: line.Rows(), sum: make([]float32, line.Room()), weights: make([]float32, d.NX)}
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				r.row(e, j, k)
			}
		}
	})
	e.low = s.Low
	for a := range 3 {
		e.first[a] = float32(float64(s.Low[a])*s.H/e.cell - float64(first[a]))
	}
}

// potential works rows of a turbulence's potential out.
type potential struct {
	at      func(i, j, k int) geom.Vec3 // m
	noise   *noise.Rows
	sum     []float32 // whole blocks of a row
	weights []float32
}

// row works out a row of all three components.
func (r *potential) row(e *eddy, j, k int) {
	acts := true
	if t := &e.of; t.Region.Limited {
		acts = false
		for i := range r.weights {
			r.weights[i] = float32(t.Region.Weight(r.at(i, j, k)))
			acts = acts || r.weights[i] != 0
		}
	}
	p := r.at(0, j, k).Mul(1 / e.of.Size)
	for c := range e.psi {
		row := e.psi[c].Row(j, k)
		if !acts {
			clear(row)
			continue
		}
		// Three components need three noises: the seed is parted by constants. The drift
		// moves all of them through the noise, in a direction along no axis.
		clear(r.sum)
		r.noise.Add(r.sum, e.of.Seed^(uint64(c+1)*0xA5A5A5A5A5), p.Y-0.61*e.of.Phase, p.Z+0.33*e.of.Phase)
		copy(row, r.sum)
		if e.of.Region.Limited {
			for i, w := range r.weights {
				row[i] *= w
			}
		}
	}
}

// toEdges interpolates component a of the potential to the edges along axis a.
//
// Along x first, for each row of the lattice, of which there are few; then every row
// of edges is a blend of four of those.
func (s *Solver) toEdges(e *eddy) {
	d := grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1}
	q := float32(s.H / e.cell)
	for a := range e.edges {
		if e.edges[a] == nil || e.edges[a].Dims != d {
			e.edges[a] = grid.NewField(d)
		}
		// ψ of axis a lives in the middle of the edge along a
		var half [3]float32
		half[a] = 0.5
		out, psi := e.edges[a], e.psi[a]
		rows := s.stretched(psi, half[0], q, e.first[0], d.NX)
		row := func(J, K int) []float32 { return rows[(K*psi.NY+J)*d.NX:][:d.NX] }
		s.crew.For(d.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				K, fz := vec.Split((float32(k)+half[2])*q+e.first[2], psi.NZ)
				for j := range d.NY {
					// an edge is used by the four cells round it
					spans := grid.Join(grid.Join(s.tiles.Spans(j, k), s.tiles.Spans(j-1, k)), grid.Join(s.tiles.Spans(j, k-1), s.tiles.Spans(j-1, k-1)))
					J, fy := vec.Split((float32(j)+half[1])*q+e.first[1], psi.NY)
					w := [4]float32{(1 - fy) * (1 - fz), fy * (1 - fz), (1 - fy) * fz, fy * fz}
					J1, K1 := min(J+1, psi.NY-1), min(K+1, psi.NZ-1)
					for _, p := range spans {
						lo, hi := p.Lo, p.Hi+1
						vec.Blend(out.Row(j, k)[lo:hi], row(J, K)[lo:hi], row(J1, K)[lo:hi], row(J, K1)[lo:hi], row(J1, K1)[lo:hi], &w)
					}
				}
			}
		})
	}
}

// stretched interpolates every row of a lattice along x, to n points whose place on
// the lattice is (i+half)·q + first.
func (s *Solver) stretched(psi *grid.Field, half, q, first float32, n int) []float32 {
	at, share := make([]int, n), make([]float32, n)
	for i := range at {
		at[i], share[i] = vec.Split((float32(i)+half)*q+first, psi.NX)
	}
	if need := psi.NY * psi.NZ * n; len(s.wide) < need {
		s.wide = make([]float32, need)
	}
	rows := s.wide
	s.crew.For(psi.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range psi.NY {
				src, dst := psi.Row(j, k), rows[(k*psi.NY+j)*n:][:n]
				for i, m := range at {
					dst[i] = vec.Lerp(src[m], src[min(m+1, len(src)-1)], share[i])
				}
			}
		}
	})
	return rows
}
