package measure

import (
	"fmt"
	"math"

	"zarf/core/anim"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/liquid"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// thinAccuracy measures what solids thinner than a voxel bear and let through.
func thinAccuracy(t *Table) {
	worst := 0.0
	for _, off := range []float64{0, 0.3, 0.5} {
		worst = max(worst, plateForce(0.15, off, t.crew))
	}
	t.most("a plate of 0.15 voxels between two depths of water: force, worst of three places in its voxel", 100*worst, 1, "%")
	least, out := 100.0, 0
	for _, thick := range []float64{2, 1, 0.5, 0.15} {
		kept, outside, err := bowlKeeps(thick, t.crew)
		if err != nil {
			t.Rows = append(t.Rows, Row{Section: t.section, Case: "bowl", Measured: err.Error()})
			return
		}
		least, out = min(least, kept), out+outside
	}
	t.least("a pour of 60 frames into bowls with walls of 2, 1, 0.5 and 0.15 voxels: least that is kept", least, 98, "%")
	t.most("the same: particles outside", float64(out), 0.5, "")
	for _, moves := range []bool{false, true} {
		for _, thick := range []float64{2, 1, 0.3, 0.1} {
			share, err := boxLeaks(thick, moves, t.crew)
			if err != nil {
				t.Rows = append(t.Rows, Row{Section: t.section, Case: "box", Measured: err.Error()})
				return
			}
			how := "that stands"
			if moves {
				how = "that moves by 10 voxels and turns by 40°"
			}
			t.most(fmt.Sprintf("a closed box %s, of plates of %g voxels, a jet of hot smoke in it, 36 frames: smoke outside", how, thick), 100*share, 0.05, "%")
		}
	}
}

// plateForce is the error of the force on a plate between water of two depths, against
// ½ ρ g (h₁² − h₂²) a metre, the depths taken from the surface.
func plateForce(thick, off float64, crew grid.Crew) float64 {
	const h = 0.05
	s := tank(24, 20, 12, h, [6]bool{}, crew)
	at := 0.6 + off*h
	wall := geom.Shape{Form: geom.Block, Centre: geom.V(at, 0.5, 0.3), Size: geom.V(thick*h, 2, 2), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	left, right := bodyOf(geom.V(0, 0, 0), geom.V(at-thick*h/2, 0.6, 0.6)), bodyOf(geom.V(at+thick*h/2, 0, 0), geom.V(1.2, 0.3, 0.6))
	right.ID = "right"
	in := liquid.Inputs{Physics: water, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: wall, Before: wall}}}, Emitters: []liquid.Emitter{left, right}}
	in.Physics.Tolerance = 1e-5
	s.Pressure = grid.NewField(s.Dims)
	flows(s, 72, 1.0/24, 2, in, nil)
	// the last cell whose middle is before the plate, and the first behind it
	before := int(math.Ceil((at-thick*h/2)/h-0.5)) - 1
	behind := int(math.Ceil((at+thick*h/2)/h - 0.5))
	force := 0.0
	for k := range s.NZ {
		for j := range s.NY {
			force += float64(s.Pressure.At(before, j, k)-s.Pressure.At(behind, j, k)) * h * h
		}
	}
	phi := s.Surface()
	depth := func(i0, i1 int) float64 {
		sum, n := 0.0, 0.0
		for i := i0; i < i1; i++ {
			for k := range s.NZ {
				for j := s.NY - 2; j >= 0; j-- {
					if p, q := float64(phi.At(i, j, k)), float64(phi.At(i, j+1, k)); p < 0 {
						sum, n = sum+(float64(j)+0.5+p/(p-q))*h, n+1
						break
					}
				}
			}
		}
		return sum / n
	}
	h1, h2 := depth(0, 9), depth(16, 24)
	return math.Abs(force/(0.5*1000*9.81*(h1*h1-h2*h2)*0.6) - 1)
}

// bowlKeeps is the share, in per cent, of the recipe "pour" that its bowl holds after 60
// frames, its wall so many voxels thick, and how many particles are outside.
func bowlKeeps(thick float64, crew grid.Crew) (kept float64, outside int, err error) {
	r, err := recipe.Find("pour")
	if err != nil {
		return 0, 0, err
	}
	s := r.Shot("Pour", r.Size)
	d, bowl := s.Of(shot.Domain)[0], s.Of(shot.Collider)[0]
	val.Voxel.Set(d, val.Voxel.Of(d)*1.6)
	h := val.Voxel.Of(d)
	val.Wall.Set(bowl, thick*h)
	l, err := liquid.NewStage(s, "", crew)
	if err != nil {
		return 0, 0, err
	}
	came := 0.0
	for l.Next() <= 60 {
		_, st, err := l.Advance(nil)
		if err != nil {
			return 0, 0, err
		}
		came += st.Of(sim.VolumeMade)
	}
	sv := l.Solver
	size, at := val.Size.Of(bowl), val.Position.Of(bowl)
	for i := range sv.P {
		x := sv.P[i].X
		px, py, pz := sv.Origin.X+float64(x[0])*sv.H-at[0], sv.Origin.Y+float64(x[1])*sv.H, sv.Origin.Z+float64(x[2])*sv.H-at[2]
		if math.Hypot(px, pz) > size[0]/2-thick*h/2 && py < at[1]+size[1]/2 {
			outside++
		}
	}
	return 100 * float64(len(sv.P)-outside) / (came / (sv.H * sv.H * sv.H / liquid.PerCell)), outside, nil
}

// plates makes the six of a box, so many voxels of 0.05 m thick, their middles so far from its own; where
// way isn't 0 it goes there by the last frame, and turns. It returns how it is turned at a share of that.
func plates(s *shot.Shot, thick, wide float64, last int, way geom.Vec3) (turn func(u float64) geom.Mat3) {
	const turned = 40 // ° about z, by the end
	turn = func(u float64) geom.Mat3 { return geom.RotationXYZ(geom.V(31, 15, turned*u)) }
	for side := range 6 {
		p := s.Add(shot.Collider)
		val.Form.Set(p, "box")
		at, size := [3]float64{}, [3]float64{2*wide + 0.015, 2*wide + 0.015, 2*wide + 0.015}
		at[side/2], size[side/2] = wide*float64(2*(side&1)-1), 0.05*thick
		val.Size.Set(p, size[0], size[1], size[2])
		x := turn(0).Apply(geom.FromArray(at))
		val.Position.Set(p, x.X, 0.8+x.Y, x.Z)
		val.Turn.Set(p, 31, 15, 0)
		for f := 1; way != (geom.Vec3{}) && f <= last; f++ { // plates go round with the box
			u := float64(f-1) / float64(last-1)
			x := turn(u).Apply(geom.FromArray(at)).Add(geom.V(0, 0.8, 0)).Add(way.Mul(u))
			p.SetKey(val.Position, shot.Key{Frame: float64(f), Value: shot.Vec(x.X, x.Y, x.Z), Way: anim.Ramp})
			p.SetKey(val.Turn, shot.Key{Frame: float64(f), Value: shot.Vec(31, 15, turned*u), Way: anim.Ramp})
		}
	}
	return turn
}

// boxLeaks is the share of a hot jet's smoke that is outside a closed box of plates so many voxels thick,
// turned, after 36 frames, in which it may move and turn further.
func boxLeaks(thick float64, moves bool, crew grid.Crew) (float64, error) {
	const wide, last = 0.4, 36 // half of it, m, to the middles of its plates
	s := shot.New("Box")
	way := geom.V(0.5, 0, 0.1)
	if !moves {
		way = geom.Vec3{}
	}
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1.6+way.X, 1.6, 1.6+way.Z)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, way.X/2, 0.8, way.Z/2)
	goes := func(e *shot.Element, x geom.Vec3) {
		val.Position.Set(e, x.X, x.Y, x.Z)
		if moves {
			e.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(x.X, x.Y, x.Z)})
		}
	}
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "sphere")
	goes(e, geom.V(0, 0.7, 0))
	if moves {
		e.SetKey(val.Position, shot.Key{Frame: last, Value: shot.Vec(way.X, 0.7, way.Z)})
	}
	val.Size.Set(e, 0.25, 0.25, 0.25)
	val.Temperature.Set(e, 900)
	val.Speed.Set(e, 2)
	turn := plates(s, thick, wide, last, way)
	g, err := gas.NewStage(s, "", crew)
	if err != nil {
		return 0, err
	}
	for range 36 {
		if _, _, err := g.Advance(nil); err != nil {
			return 0, err
		}
	}
	sv := g.Solver
	edge := 0.05 * thick / 2 // what is within the plates is nowhere
	end := turn(0)
	if moves {
		end = turn(1)
	}
	over, all := 0.0, 0.0
	for n, v := range sv.Smoke.Data {
		i, j, k := n%sv.NX, n/sv.NX%sv.NY, n/(sv.NX*sv.NY)
		q := sv.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(sv.H)).Sub(geom.V(0, 0.8, 0)).Sub(way)
		if all += float64(v); end.Back(q).Abs().MaxComponent() > wide+edge {
			over += float64(v)
		}
	}
	if all == 0 {
		return 0, fmt.Errorf("no smoke was made")
	}
	return over / all, nil
}
