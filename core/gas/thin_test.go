package gas

import (
	"testing"

	"zarf/core/anim"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Smoke and heat in a closed box of plates, 0.3 voxels thick, that lie anyhow in the grid:
// after 36 frames not a twentieth of a per cent is outside.
func TestThinBoxesHold(t *testing.T) {
	for _, c := range []struct {
		scheme string
		turn   float64
	}{{"MacCormack", 0}, {"MacCormack", 31}, {"reflection", 31}, {"semi-Lagrangian", 31}} {
		s := shot.New("L")
		d := s.Add(shot.Domain)
		val.Size.Set(d, 1.6, 1.6, 1.6)
		val.Voxel.Set(d, 0.05)
		val.Position.Set(d, 0, 0.8, 0)
		e := s.Add(shot.Emitter)
		val.Form.Set(e, "sphere")
		val.Position.Set(e, 0, 0.6, 0)
		val.Size.Set(e, 0.3, 0.3, 0.3)
		val.Temperature.Set(e, 900)
		val.Speed.Set(e, 2)
		turn := geom.RotationXYZ(geom.V(c.turn, c.turn/2, 0))
		for side := range 6 {
			p := s.Add(shot.Collider)
			val.Form.Set(p, "box")
			at, size := [3]float64{}, [3]float64{0.815, 0.815, 0.815}
			at[side/2] = 0.4 * float64(2*(side&1)-1)
			size[side/2] = 0.015
			x := turn.Apply(geom.FromArray(at))
			val.Position.Set(p, x.X, 0.8+x.Y, x.Z)
			val.Size.Set(p, size[0], size[1], size[2])
			val.Turn.Set(p, c.turn, c.turn/2, 0)
		}
		val.Scheme.Set(d, c.scheme)
		g, err := NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		for range 36 {
			if _, _, err := g.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
		sv := g.Solver
		over, all := 0.0, 0.0
		for k := range sv.NZ {
			for j := range sv.NY {
				for i := range sv.NX {
					v := float64(sv.Smoke.At(i, j, k))
					q := sv.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(sv.H)).Sub(geom.V(0, 0.8, 0))
					q = turn.Back(q).Abs()
					if all += v; q.MaxComponent() > 0.4 {
						over += v
					}
				}
			}
		}
		t.Logf("%s, turned %g°: %.4f %% outside", c.scheme, c.turn, 100*over/all)
		if over/all > 5e-4 || all == 0 {
			t.Errorf("%s, turned %g°: %.3f %% of the smoke is outside", c.scheme, c.turn, 100*over/all)
		}
	}
}

// A closed box that goes and turns keeps its hot smoke, however thick its plates are, and the gas in it
// no more than follows it and rises: what moved opens and shuts faces between rooms whose pressures have
// nothing to do with each other.
func TestMovingBoxesHold(t *testing.T) {
	const wide, last, h = 0.4, 24, 0.08
	turn := func(u float64) geom.Mat3 { return geom.RotationXYZ(geom.V(31, 15, 40*u)) }
	for _, thick := range []float64{1.5, 0.1} {
		s := shot.New("L")
		d := s.Add(shot.Domain)
		val.Size.Set(d, 1.9, 1.5, 1.5)
		val.Voxel.Set(d, h)
		val.Position.Set(d, 0.15, 0.8, 0)
		e := s.Add(shot.Emitter)
		val.Form.Set(e, "sphere")
		val.Size.Set(e, 0.25, 0.25, 0.25)
		val.Temperature.Set(e, 700)
		val.Speed.Set(e, 1)
		e.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 0.75, 0), Way: anim.Ramp})
		e.SetKey(val.Position, shot.Key{Frame: last, Value: shot.Vec(0.3, 0.75, 0), Way: anim.Ramp})
		for side := range 6 {
			p := s.Add(shot.Collider)
			val.Form.Set(p, "box")
			at, size := [3]float64{}, [3]float64{2*wide + 0.015, 2*wide + 0.015, 2*wide + 0.015}
			at[side/2], size[side/2] = wide*float64(2*(side&1)-1), h*thick
			val.Size.Set(p, size[0], size[1], size[2])
			for f := 1; f <= last; f++ {
				u := float64(f-1) / (last - 1)
				x := turn(u).Apply(geom.FromArray(at)).Add(geom.V(0.3*u, 0.8, 0))
				p.SetKey(val.Position, shot.Key{Frame: float64(f), Value: shot.Vec(x.X, x.Y, x.Z), Way: anim.Ramp})
				p.SetKey(val.Turn, shot.Key{Frame: float64(f), Value: shot.Vec(31, 15, 40*u), Way: anim.Ramp})
			}
		}
		g, err := NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		fast := 0.0
		for range last {
			_, st, err := g.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			fast = max(fast, st.MaxSpeed)
		}
		if fast > 12 {
			t.Errorf("plates of %g voxels: gas goes at %g m/s", thick, fast)
		}
		sv := g.Solver
		over, all := 0.0, 0.0
		for n, v := range sv.Smoke.Data {
			q := sv.Origin.Add(geom.V(float64(n%sv.NX)+0.5, float64(n/sv.NX%sv.NY)+0.5, float64(n/(sv.NX*sv.NY))+0.5).Mul(sv.H)).Sub(geom.V(0.3, 0.8, 0))
			if all += float64(v); turn(1).Back(q).Abs().MaxComponent() > wide+h*thick/2 {
				over += float64(v)
			}
		}
		if all == 0 || over > 5e-4*all {
			t.Errorf("plates of %g voxels: %.4f %% of the smoke is outside", thick, 100*over/all)
		}
		t.Logf("plates of %g voxels: %.4f %% outside, %.1f m/s", thick, 100*over/all, fast)
	}
}
