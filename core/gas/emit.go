package gas

// Emitters act on cells (amounts), on faces (velocity) and on the projection's right
// side (volume), in that order. Only the cells within a form's box are looked at,
// and each asks the form how much of it is covered: 1 inside, fading over a voxel at
// the surface.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/grid"
)

// emit applies every emitter and returns the volume made, m³/s. Overlapping
// emitters that hold an amount don't add up: each makes sure of its own.
func (s *Solver) emit(dt float64, in *Inputs) float64 {
	var made float64
	for n := range in.Emitters {
		made += s.emitOne(dt, &in.Physics, &in.Emitters[n])
	}
	return made
}

// reached are the box of cells that an emitter can cover, half a voxel of soft edge on each
// side. A source (another domain, or points) covers what it covers, whatever the
// element's own shape.
func (s *Solver) reached(e *Emitter) (lo, hi [3]int) {
	room := e.Shape.Bounds()
	if e.Source != nil {
		room = e.Source.Bounds()
	}
	return s.Cells(room.Grow(s.H + e.Surface/2))
}

// covered runs fn over the cells that an emitter covers, a plane at a time: by what share,
// and by what share less the gaps that noise leaves. It costs a look at the shape for each
// cell of its box.
func (s *Solver) covered(e *Emitter, lo, hi [3]int, fn func(k, n int, c, left float64)) {
	blocked := s.solid.blocked
	if !s.solid.any {
		blocked = nil
	}
	s.crew.For(hi[2]-lo[2], 1, func(k0, k1 int) {
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			for j := lo[1]; j < hi[1]; j++ {
				for i := lo[0]; i < hi[0]; i++ {
					n := s.Index(i, j, k)
					// fluid inside a solid would come out when the solid moves on
					if blocked != nil && blocked[n] {
						continue
					}
					p := s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
					if c := e.Cover(p, s.H); c != 0 {
						fn(k-lo[2], n, c, c*e.Gaps(p))
					}
				}
			}
		}
	})
}

// emitOne applies one emitter to the cells that it covers, then to the faces, and
// gives the volume that it made, m³/s.
func (s *Solver) emitOne(dt float64, ph *Physics, e *Emitter) float64 {
	lo, hi := s.reached(e)
	if lo[0] >= hi[0] || lo[1] >= hi[1] || lo[2] >= hi[2] {
		return 0
	}
	covers, gaps := make([]float64, hi[2]-lo[2]), make([]float64, hi[2]-lo[2])
	s.covered(e, lo, hi, func(k, n int, c, left float64) {
		// the volume follows from what the shape covers, gaps or not:
		// noise thins the smoke, it doesn't turn the tap
		covers[k] += c
		gaps[k] += left
		s.mix(n, float32(left), float32(dt), ph, e)
	})
	var cells, open float64
	for k, c := range covers {
		cells, open = cells+c, open+gaps[k]
	}
	if e.FuelRate > 0 && s.Fuel != nil && open > 0 {
		// as much a second whatever of the form lies in the box and out of solids
		each := e.FuelRate * dt / (open * s.H * s.H * s.H)
		s.covered(e, lo, hi, func(_, n int, _, left float64) { s.Fuel.Data[n] += float32(each * left) })
	}
	// A body that stands still has no velocity to give on; looking at each face for
	// it would cost as much as emitting.
	body := e.Inherit != 0 && (e.Shape != e.Before || (e.Source != nil && e.Source.Motion[0] != nil))
	if e.Speed == 0 && e.Push == (geom.Vec3{}) && !body {
		return 0
	}
	for axis, f := range s.velocity() {
		s.drive(f, axis, lo, hi, dt, e)
	}
	if e.Source != nil { // it brings its own velocity, and no new gas
		return 0
	}
	return s.makeVolume(lo, hi, cells, e)
}

// mix applies amounts to one cell. Two kinds of emitters: one adds so much a second,
// whatever is there, and one holds an amount, so that gas that leaves it always starts
// alike.
func (s *Solver) mix(n int, c, dt float32, ph *Physics, e *Emitter) {
	smoke, heat, fuel := c*float32(e.Smoke), c*float32(e.Temperature), c*float32(e.Fuel)
	if e.Add {
		s.Smoke.Data[n] = max(0, s.Smoke.Data[n]+smoke*dt)
		s.Heat.Data[n] += heat * dt
		if s.Fuel != nil && fuel != 0 {
			s.Fuel.Data[n] = max(0, s.Fuel.Data[n]+fuel*dt)
		}
		return
	}
	if e.Smoke > 0 && s.Smoke.Data[n] < smoke {
		s.Smoke.Data[n] = smoke
	}
	if s.points != nil {
		s.points.want[n] = max(s.points.want[n], smoke)
	}
	// a cold emitter holds at most, a warm one at least
	if (heat > 0 && s.Heat.Data[n] < heat) || (heat < 0 && s.Heat.Data[n] > heat) {
		s.Heat.Data[n] = heat
	}
	// what is held is told of gas as warm as the air; a m³ of warmer gas holds less
	if s.Fuel != nil && fuel > 0 {
		fuel /= float32(ph.thinned(float64(s.Heat.Data[n])))
		if s.Fuel.Data[n] < fuel {
			s.Fuel.Data[n] = fuel
		}
	}
}

// dragged gives air of a density the momentum that particles lost to it: Δv = F dt/ρ.
func (s *Solver) dragged(dt, rho float64, e *Emitter) {
	if !e.Source.Pushes() || rho <= 0 {
		return
	}
	lo, hi := s.Cells(e.Source.Bounds().Grow(s.H))
	if lo[0] >= hi[0] || lo[1] >= hi[1] || lo[2] >= hi[2] {
		return
	}
	per := dt / rho
	for axis, f := range s.velocity() {
		up := hi
		up[axis]++
		s.crew.For(up[2]-lo[2], 1, func(k0, k1 int) {
			for k := lo[2] + k0; k < lo[2]+k1; k++ {
				for j := lo[1]; j < up[1]; j++ {
					for i := lo[0]; i < up[0]; i++ {
						p := s.facePoint(i, j, k, axis)
						if w := e.Source.Force(axis, p); w != 0 {
							f.Data[f.Index(i, j, k)] += float32(w * per * e.Mask.Weight(p))
						}
					}
				}
			}
		})
	}
}

// drive sets the velocity on faces that the emitter covers.
func (s *Solver) drive(f *grid.Field, axis int, lo, hi [3]int, dt float64, e *Emitter) {
	// a box of cells has one face more along the axis
	up := hi
	up[axis]++
	dir := e.Shape.Axis()
	s.crew.For(up[2]-lo[2], 1, func(k0, k1 int) {
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			for j := lo[1]; j < up[1]; j++ {
				for i := lo[0]; i < up[0]; i++ {
					p := s.facePoint(i, j, k, axis)
					c := e.Cover(p, s.H)
					if c == 0 {
						continue
					}
					if e.Source != nil {
						_, v := e.Source.At(p)
						n := f.Index(i, j, k)
						f.Data[n] += float32(min(c, 1)) * (float32(v.Mul(e.Inherit).Add(e.Push).Array()[axis]) - f.Data[n])
						continue
					}
					d := dir
					if !e.AlongAxis {
						d = e.Shape.Normal(p)
					}
					want := d.Mul(e.Speed).Add(e.Push).Add(e.Velocity(p, dt).Mul(e.Inherit)).Array()[axis]
					n := f.Index(i, j, k)
					f.Data[n] += float32(c) * (float32(want) - f.Data[n])
				}
			}
		}
	})
}

// makeVolume spreads the new fluid over the covered cells: the inflow speed
// times the area that it leaves through. The area of a shape that pushes along
// its normal is measured as Σ|∇cover|; one that pushes along its axis lets out
// what its cross-section carries.
func (s *Solver) makeVolume(lo, hi [3]int, cells float64, e *Emitter) float64 {
	if cells == 0 || e.Speed == 0 {
		return 0
	}
	h3 := s.H * s.H * s.H
	var flux float64
	if e.AlongAxis {
		flux = e.Speed * cells * h3 / max(e.Shape.Size.Y, s.H)
	} else {
		// By the coarea formula ∫|∇c| of a step smeared over a voxel is the area of
		// its surface, in cells' faces, and needs no mesh.
		area := s.crew.Sum(hi[2]-lo[2], 1, func(kk int) float64 {
			var a float64
			k := lo[2] + kk
			for j := lo[1]; j < hi[1]; j++ {
				for i := lo[0]; i < hi[0]; i++ {
					p := s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
					if math.Abs(e.Shape.Distance(p)) > 1.5*s.H {
						continue
					}
					var g geom.Vec3
					d := s.H / 2
					outer := func(p geom.Vec3) float64 { return min(max(0.5-e.Shape.Distance(p)/s.H, 0), 1) }
					g.X = outer(p.Add(geom.V(d, 0, 0))) - outer(p.Sub(geom.V(d, 0, 0)))
					g.Y = outer(p.Add(geom.V(0, d, 0))) - outer(p.Sub(geom.V(0, d, 0)))
					g.Z = outer(p.Add(geom.V(0, 0, d))) - outer(p.Sub(geom.V(0, 0, d)))
					a += g.Len() * e.Mask.Weight(p)
				}
			}
			return a
		})
		flux = e.Speed * area * s.H * s.H
	}
	// divergence makes the volume where the shape is, and the pressure drives it out
	// on all sides at the speed asked for
	rate := flux / (cells * h3) // 1/s in a fully covered cell
	s.sourced = true
	s.crew.For(hi[2]-lo[2], 1, func(k0, k1 int) {
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			for j := lo[1]; j < hi[1]; j++ {
				for i := lo[0]; i < hi[0]; i++ {
					n := s.Index(i, j, k)
					if s.solid.any && s.solid.blocked[n] {
						continue
					}
					p := s.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(s.H))
					s.source.Data[n] += float32(rate * e.Cover(p, s.H))
				}
			}
		}
	})
	return flux
}
