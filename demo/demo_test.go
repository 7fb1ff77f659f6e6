package demo

import (
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/stage"
)

func TestShotsAreSound(t *testing.T) {
	names := map[string]bool{}
	for _, s := range Shots() {
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
