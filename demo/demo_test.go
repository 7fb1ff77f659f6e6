package demo

import (
	"testing"

	"zarf/core/asset"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/stage"
)

func TestShotsAreSound(t *testing.T) {
	names := map[string]bool{}
	list, err := Shots(asset.NewMemory())
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range list {
		if names[s.Name] {
			t.Errorf("two shots are called %s", s.Name)
		}
		names[s.Name] = true
		again, unknown, err := shot.Decode(s.Encode())
		if err != nil || len(unknown) > 0 || string(again.Encode()) != string(s.Encode()) {
			t.Errorf("%s doesn't survive its own file: %v %v", s.Name, err, unknown)
		}
		if s.Title == "" || s.Note == "" {
			t.Errorf("%s doesn't say what it shows", s.Name)
		}
	}
}

// Without wind steam comes out of the horn’s mouth, and
// none through its back or its walls.
func TestFogSignalLeavesByTheMouth(t *testing.T) {
	s := FogSignal()
	for _, e := range s.Elements {
		if e.Kind == shot.Wind || e.Kind == shot.Turbulence {
			e.Muted = true
		}
		if e.Kind == shot.Domain {
			e.Values["voxel"] = shot.Num(0.06)
		}
	}
	g, err := stage.NewGas(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for range 18 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	sol := g.Solver
	out, behind := 0.0, 0.0
	for k := range sol.NZ {
		for j := range sol.NY {
			for i, v := range sol.Smoke.Row(j, k) {
				x := sol.Origin.X + (float64(i)+0.5)*sol.H
				y := sol.Origin.Y + (float64(j)+0.5)*sol.H - 1.2
				z := sol.Origin.Z + (float64(k)+0.5)*sol.H
				switch r := y*y + z*z; {
				case x > 0.5:
					out += float64(v)
				case x < 0.3 && r > 0.5*0.5:
					behind += float64(v)
				}
			}
		}
	}
	if out < 20 || behind > 0.01*out {
		t.Errorf("smoke before the mouth %g, beside and behind the horn %g", out, behind)
	}
}

// Once the signal is silent the air calms down: open sides beside the tower
// must not feed jets of their own.
func TestFogSignalCalmsDown(t *testing.T) {
	s := FogSignal()
	for _, d := range s.Of(shot.Domain) {
		d.Values["voxel"] = shot.Num(0.06)
	}
	g, err := stage.NewGas(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for range 66 {
		frame, st, err := g.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		if limit := 5.5; st.MaxSpeed > limit || (frame > 63 && st.MaxSpeed > 4) {
			t.Fatalf("frame %d: %g m/s from an emitter of 4 m/s", frame, st.MaxSpeed)
		}
	}
}

// Each fire lights, and none runs away: the fastest gas is what flames of that
// size have.
func TestFiresBurn(t *testing.T) {
	for _, c := range []struct {
		shot   *shot.Shot
		frames int
		fast   float64
	}{{Brazier(), 16, 12}, {Magazine(), 14, 60}} {
		s := c.shot
		for _, d := range s.Of(shot.Domain) {
			d.Values["voxel"] = shot.Num(d.Get("voxel").Num * 2)
		}
		g, err := stage.NewGas(s, "", grid.NewCrew(0))
		if err != nil {
			t.Fatal(err)
		}
		burnt, hot := 0.0, 0.0
		for range c.frames {
			_, st, err := g.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			burnt, hot = burnt+st.FuelBurnt, max(hot, st.PeakHeat)
			if st.MaxSpeed > c.fast {
				t.Fatalf("%s: %g m/s", s.Name, st.MaxSpeed)
			}
		}
		if burnt <= 0 || hot < 800 || hot > 4200 {
			t.Errorf("%s: %g kg burnt, hottest %g K over the air", s.Name, burnt, hot)
		}
	}
}

// The fog falls: after two seconds some of it is well under the cliff's edge.
func TestFogFalls(t *testing.T) {
	s := CliffFog()
	for _, d := range s.Of(shot.Domain) {
		d.Values["voxel"] = shot.Num(0.35)
	}
	g, err := stage.NewGas(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for range 80 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	v := g.Solver
	low := 0.0
	for k := range v.NZ {
		for j := range v.NY {
			if y := v.Origin.Y + float64(j)*v.H; y > 4 {
				continue
			}
			for _, d := range v.Smoke.Row(j, k) {
				low += float64(d)
			}
		}
	}
	if low < 5 {
		t.Errorf("%g of fog lies under 4 m", low)
	}
}
