package gas

import (
	"runtime"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// A jet under a plate that fills the box: what is measured across it is held
// against the smoke that is over it in the end. A tight plate has under 0.1,
// one that lets more than a tenth of the smoke through over it.
func TestLeaksOfThinSolidsAreSeen(t *testing.T) {
	leaky, tight := 0, 0
	for _, c := range [][3]float64{{0.016, 0.625, 0}, {0.016, 0.64, 0}, {0.016, 0.64, 20}, {0.04, 0.65, 20}, {0.04, 0.65, 45}, {0.04, 0.64, 0}, {0.07, 0.64, 20}, {0.016, 0.65, 0}, {0.095, 0.64, 45}} {
		s := shot.New("L")
		d := s.Add(shot.Domain)
		val.Size.Set(d, 1.2, 1.6, 1.2)
		val.Voxel.Set(d, 0.05)
		val.Position.Set(d, 0, 0.8, 0)
		e := s.Add(shot.Emitter)
		val.Position.Set(e, 0, 0.2, 0)
		val.Size.Set(e, 0.4, 0.2, 0.4)
		val.Speed.Set(e, 2)
		val.Along.Set(e, "axis")
		val.Form.Set(e, "cylinder")
		p := s.Add(shot.Collider)
		val.Form.Set(p, "box")
		val.Position.Set(p, 0, c[1], 0)
		val.Size.Set(p, 3, c[0], 3)
		val.Turn.Set(p, c[2], 0, 0)
		g, err := NewStage(s, "", grid.NewCrew(2))
		if err != nil {
			t.Fatal(err)
		}
		worst := 0.0
		for range 24 {
			_, st, err := g.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			worst = max(worst, st.Leaks[p.ID])
		}
		sh, sv := p.Shape(s.Eval(1)), g.Solver
		over, all := 0.0, 0.0
		for k := range sv.NZ {
			for j := range sv.NY {
				for i := range sv.NX {
					v := float64(sv.Smoke.At(i, j, k))
					q := sv.Origin
					q.X, q.Y, q.Z = q.X+(float64(i)+0.5)*sv.H, q.Y+(float64(j)+0.5)*sv.H, q.Z+(float64(k)+0.5)*sv.H
					if all += v; sh.Local(q).Y > 2*sv.H+c[0]/2 {
						over += v
					}
				}
			}
		}
		runtime.KeepAlive(g)
		share := over / all
		if through := share > 0.1; through != (worst > 0.1) {
			t.Errorf("%g m thick at %g m, turned %g°: %.3f across it, %.1f %% of the smoke over it", c[0], c[1], c[2], worst, 100*share)
		} else if through {
			leaky++
		} else {
			tight++
		}
	}
	if leaky < 3 || tight < 3 {
		t.Errorf("%d leak, %d are tight: that proves little", leaky, tight)
	}
}
