package run

import (
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// late is a shot whose particles are born from its third frame on.
func late() *shot.Shot {
	s := shot.New("late")
	val.Last.Set(s.Self, 5)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "particles")
	val.Voxel.Set(d, 0.1)
	e := s.Add(shot.Emitter)
	val.BirthRate.Set(e, 1000)
	val.Begin.Set(e, 3)
	val.Temperature.Set(e, 1400)
	return s
}

// Frames without a particle are shown, lit and told like those with some.
func TestFramesBeforeTheFirstParticle(t *testing.T) {
	crew := grid.NewCrew(2)
	s := late()
	c := open(t)
	mustRun(t, c, s, 1, 5, 2)
	src, err := Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	for n, some := range map[int]bool{1: false, 5: true} {
		sc, err := src.Scene(n, s, s.Looks[0], crew)
		if err != nil {
			t.Fatal(err)
		}
		if len(sc.Motes) != 1 || len(sc.Motes[0].P) > 0 != some || len(sc.Lamps) > 0 != some {
			t.Errorf("frame %d: %d particles, %d lamps of them", n, len(sc.Motes[0].P), len(sc.Lamps))
		}
		for _, by := range []string{"", ":age", ":nothing of the kind"} {
			scr, data, err := src.Screen(n, 64, by, s, s.Looks[0], crew)
			if err != nil || len(scr.Parts) != 1 || scr.Parts[0].Particles > 0 != some || len(data) < 13*scr.Parts[0].Particles {
				t.Errorf("frame %d by %q: %v", n, by, err)
			}
		}
	}
}
