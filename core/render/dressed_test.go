package render

import (
	"math"
	"reflect"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// A change of what lights a frame finds the volume as it is; one of what shades it makes
// it anew. What was found wrong with its values is told with every look.
func TestVolumesAreKeptWhileWhatShadesThemStays(t *testing.T) {
	f := slab(16, 1)
	f.Data[7] = float32(math.NaN())
	c := &Channels{Density: f, Temperature: grid.NewField(f.Dims), Burn: grid.NewField(f.Dims), Burns: true}
	for i := range c.Burn.Data {
		c.Temperature.Data[i], c.Burn.Data[i] = float32(i%13)*150, float32(i%7)/7
	}
	c.Keep()
	channels := c
	take := func(change func(l *look.Look)) (*Volume, []string) {
		l := fireLook("march")
		change(&l)
		v, notes, err := c.Volume(0.1, geom.Vec3{}, &l, grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		return v, notes
	}
	first, told := take(func(*look.Look) {})
	if len(told) == 0 {
		t.Fatal("nothing is said of a NaN")
	}
	for name, c := range map[string]struct {
		change func(l *look.Look)
		same   bool
	}{
		"sun": {func(l *look.Look) { l.Sun = look.RGB{1, 2, 3} }, true}, "bounces": {func(l *look.Look) { l.Bounces = 9 }, true},
		"colour": {func(l *look.Look) { l.Scattering = look.RGB{1, 1, 0} }, true}, "flame's light": {func(l *look.Look) { l.FlameLight *= 2 }, true},
		"soot": {func(l *look.Look) { l.FlameSoot += 0.1 }, false}, "thickness": {func(l *look.Look) { l.Extinction[1] *= 2 }, false},
		"no fire": {func(l *look.Look) { l.Flame, l.FlameLight = 0, 0 }, false},
		"ramp": {func(l *look.Look) {
			r := *l.FlameRamp
			r.V[3] = look.RGB{9, 9, 9}
			l.FlameRamp = &r
		}, false},
	} {
		v, notes := take(c.change)
		if same := v == first; same != c.same {
			t.Errorf("%s: kept is %v", name, same)
		}
		// what is made of a kept one is what would be made afresh
		l := fireLook("march")
		c.change(&l)
		fresh, _ := NewVolume(f, 0.1, geom.Vec3{}, grid.NewCrew(1))
		if _, err := fresh.Dress(channels, &l, grid.NewCrew(1)); err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual([]any{v.Glow, v.fires, v.skip, v.major, v.tight, v.power, v.lit}, []any{fresh.Glow, fresh.fires, fresh.skip, fresh.major, fresh.tight, fresh.power, fresh.lit}) {
			t.Errorf("%s: the volume isn't one that is made afresh", name)
		}
		if !reflect.DeepEqual(notes, told) {
			t.Errorf("%s: %q is said, %q at first", name, notes, told)
		}
		first, _ = take(func(*look.Look) {})
	}
}
