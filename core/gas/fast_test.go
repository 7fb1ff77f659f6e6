package gas

import (
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Whatever acts in gas, a run can be asked whether it is explained; and what drives it explains
// some of its speed.
func TestAllThatActsExplainsSpeed(t *testing.T) {
	for _, kind := range stage.Of(shot.New("any").Add(shot.Domain)).Binds {
		s := shot.New("any")
		d := s.Add(shot.Domain)
		e := s.Add(kind)
		still := explains(s, d)
		for _, k := range []val.NumKey{val.Strength, val.Gather, val.Pace, val.Gust, val.Speed} {
			if shot.Find(kind, k.Name()) != nil {
				k.Set(e, 40)
			}
		}
		driven := explains(s, d)
		switch kind {
		case shot.Collider, shot.Cloth, shot.Drag, shot.Sensor:
			if driven != still {
				t.Errorf("a %s at rest explains %g m/s", kind, driven)
			}
		default:
			if !(driven > still+1) {
				t.Errorf("a %s explains %g m/s, and %g when it is strong", kind, still, driven)
			}
		}
		// a run that is no faster is left alone, one that is much faster is found
		for fast, want := range map[float64]int{driven: 0, 10*driven + 1000: 1} {
			if list := unexplained(s, d, map[int]sim.Stats{1: {MaxSpeed: fast}}); len(list) != want {
				t.Errorf("with a %s, gas at %g m/s: %d findings", kind, fast, len(list))
			}
		}
	}
}
