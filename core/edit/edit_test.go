package edit_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/anim"
	"zarf/core/edit"
	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
)

func sample() *shot.Shot {
	s := shot.New("E")
	s.Add(shot.Domain)
	e := s.Add(shot.Emitter)
	e.SetKey(val.Smoke, shot.Key{Frame: 5, Value: shot.Num(1), Way: anim.Hold})
	e.SetKey(val.Smoke, shot.Key{Frame: 15, Value: shot.Num(4), Way: anim.Free, In: [3]float64{0.5}, Out: [3]float64{-1}})
	return s
}

func do(t *testing.T, s *shot.Shot, text string) *shot.Shot {
	t.Helper()
	list, err := edit.Decode([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	c, err := edit.Do(s, list...)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// Typing a value on a key changes that and nothing else of it.
func TestValueOnAKeyKeepsHowItRunsOn(t *testing.T) {
	for frame, want := range map[float64]shot.Key{5: {Frame: 5, Value: shot.Num(2), Way: anim.Hold}, 15: {Frame: 15, Value: shot.Num(2), Way: anim.Free, In: [3]float64{0.5}, Out: [3]float64{-1}}, 9: {Frame: 9, Value: shot.Num(2)}} {
		s := do(t, sample(), fmt.Sprintf(`{"do": "set", "at": "emitter1", "value": "smoke", "to": 2, "frame": %g}`, frame))
		found := false
		for _, k := range s.Element("emitter1").Keys(val.Smoke) {
			if k.Frame == frame {
				found = true
				if k != want {
					t.Errorf("at frame %g: %+v, want %+v", frame, k, want)
				}
			}
		}
		if !found {
			t.Errorf("there is no key at frame %g", frame)
		}
	}
}

// All or nothing: what a list of commands did before one failed isn't kept.
func TestCommandsAreAllOrNone(t *testing.T) {
	s := sample()
	before := string(s.Encode())
	list, err := edit.Decode([]byte(`[{"do": "set", "at": "domain1", "value": "lift", "to": 2}, {"do": "remove", "at": "nobody"}]`))
	if err != nil {
		t.Fatal(err)
	}
	_, err = edit.Do(s, list...)
	var e *edit.Error
	if !errors.As(err, &e) || !e.Gone || e.At != "nobody" || !strings.Contains(err.Error(), "command 2") {
		t.Errorf("%v", err)
	}
	if string(s.Encode()) != before {
		t.Error("the shot was changed")
	}
}

// Every command says what is wrong, at which address and value.
func TestBadInputIsNamed(t *testing.T) {
	for text, want := range map[string]string{
		`{"do": "set", "at": "domain1", "value": "voxel", "to": -1}`:                                                          "domain1 voxel: Voxel size is -1 m; it can be 1e-05 m to 10000 m",
		`{"do": "set", "at": "domain1", "value": "voxle", "to": 1}`:                                                           "domain1 voxle: there is no value domain.voxle",
		`{"do": "set", "at": "domain1", "value": "fluid", "to": "syrup"}`:                                                     "domain1 fluid: Holds is \"syrup\"; choose one of cloth, gas, liquid",
		`{"do": "set", "at": "shot:", "value": "last", "to": -5}`:                                                             "shot: last: the shot would end at frame -5, before it begins at 1",
		`{"do": "key", "at": "domain1", "value": "voxel", "frame": 3}`:                                                        "domain1 voxel: Voxel size can't have keys",
		`{"do": "key", "at": "emitter1", "value": "smoke", "frame": 1e300}`:                                                   "emitter1 smoke: a key would be at frame 1e+300; give a number",
		`{"do": "curve", "el": "emitter1", "key": "speed", "after": "loop"}`:                                                  "emitter1 speed: this value has no keys any more",
		`{"do": "keys", "changes": [{"el": "emitter1", "key": "smoke", "set": [{"f": 1, "v": [1, 0, 0], "way": "by air"}]}]}`: "emitter1 smoke: a key can't run on by \"by air\"",
		`{"do": "keys", "bars": [{"el": "domain1", "begin": 2}]}`:                                                             "domain1 : Air has no frames from and to",
		`{"do": "add", "kind": "kettle"}`:                                                                                     " : no element is called \"kettle\"",
		`{"do": "rename", "at": "emitter1", "name": "../x"}`:                                                                  "emitter1 : the name",
		`{"do": "round", "at": "domain1", "target": "camera"}`:                                                                "domain1 : choose a domain",
		`{"do": "voxels", "at": "domain1", "count": 1e20}`:                                                                    "domain1 voxel: the number of voxels is 1e+20; give 1 to 10 billion",
		`{"do": "voxels", "at": "emitter1", "by": 2}`:                                                                         "emitter1 : Emitter has no voxels",
		`{"do": "mute", "at": "look:other"}`:                                                                                  "look:other : there is no element",
	} {
		list, err := edit.Decode([]byte(text))
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		_, err = edit.Do(sample(), list...)
		var e *edit.Error
		if !errors.As(err, &e) || !strings.HasPrefix(e.At+" "+e.Value+": "+e.Error(), want) {
			t.Errorf("%s says %v, want %q", text, err, want)
		}
	}
	for text, want := range map[string]string{
		`{"do": "explode"}`: "it can be add, curve", `[1]`: "command 1: is no JSON object", `{`: "no JSON", `{"do": "set", "where": 1}`: "unknown field",
		`{"do": "set", "at": 3}`: "cannot unmarshal",
	} {
		if _, err := edit.Decode([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s says %v, want %q", text, err, want)
		}
	}
	c := &edit.Set{At: "emitter1", Value: "smoke", To: json.RawMessage("1"), Frame: math.NaN()}
	if err := c.Apply(sample()); err == nil {
		t.Error("a value at no frame was taken")
	}
}

func TestAssign(t *testing.T) {
	s := sample()
	for _, text := range []string{"domain1.voxel=25 mm", "domain1.size = 1, 2, 3", "domain1.flat=true", "domain1.burning=fuel", "shot:.last=99", "handover:.axes=z-up", "look:look.sun_colour=#ff8000"} {
		c, err := edit.Assign(text)
		if err == nil {
			err = c.Apply(s)
		}
		if err != nil {
			t.Errorf("%s: %v", text, err)
		}
	}
	d := s.Element("domain1")
	if val.Voxel.Of(d) != 0.025 || val.Size.Of(d) != [3]float64{1, 2, 3} || !val.Flat.Of(d) || val.Burning.Of(d) != "fuel" || val.Last.Of(s) != 99 || val.Axes.Of(s.Handover) != "z-up" || shot.SRGB(val.SunColour.Of(s.Looks[0])) != "#ff8000" {
		t.Errorf("%s", s.Encode())
	}
	for text, want := range map[string]string{"domain1": "sets nothing", "domain1.size=1,2": "Size", "domain1.voxel=3 kg": "is measured in", "domain1.flat.x=1": "no value"} {
		c, err := edit.Assign(text)
		if err == nil {
			err = c.Apply(s)
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s says %v, want %q", text, err, want)
		}
	}
}

// Two people clash where they set the same thing otherwise, whatever it is
// called and however it is shown.
func TestClashes(t *testing.T) {
	base := sample()
	g := base.Add(shot.Guide)
	look := "look:look"
	after := func(cmds ...string) []shot.Change {
		c := base
		for _, text := range cmds {
			c = do(t, c, text)
		}
		return shot.DiffAll(base, c)
	}
	clash := func(a, b []shot.Change) bool {
		for _, x := range a {
			for _, y := range b {
				if x.Clashes(y) {
					return true
				}
			}
		}
		return false
	}
	ramp := func(v float64) string {
		return fmt.Sprintf(`{"do": "set", "at": %q, "value": "flame_ramp", "to": [{"at": 0, "value": [0, 0, 0]}, {"at": 0.5, "value": [%g, 0, 0]}, {"at": 1, "value": [1, 1, 1]}]}`, look, v)
	}
	key := func(f, v float64) string {
		return fmt.Sprintf(`{"do": "keys", "changes": [{"el": "emitter1", "key": "smoke", "drop": [15], "set": [{"f": %g, "v": [%g, 0, 0]}]}]}`, f, v)
	}
	if !clash(after(ramp(0.2)), after(ramp(0.9))) {
		t.Error("two ramps of three stops count as equal")
	}
	if clash(after(ramp(0.2)), after(ramp(0.2))) {
		t.Error("the same ramp clashes with itself")
	}
	if !clash(after(key(20, 1)), after(key(20, 3))) || !clash(after(key(20, 1)), after(key(25, 1))) {
		t.Error("two keys each count as equal")
	}
	// a guide's pace and its pace along the curve are both called “Pace”
	if shot.Find(shot.Guide, val.Pace.Name()).Label != shot.Find(shot.Guide, val.PaceAlong.Name()).Label {
		t.Fatal("the two values have different names now; try others")
	}
	pace := after(fmt.Sprintf(`{"do": "set", "at": %q, "value": "pace", "to": 7}`, g.ID))
	along := after(fmt.Sprintf(`{"do": "set", "at": %q, "value": "pace_along", "to": [1, 0]}`, g.ID))
	if clash(pace, along) {
		t.Error("two values that are called alike clash")
	}
}

func ExampleDo() {
	s := shot.New("BL010")
	s.Add(shot.Domain)
	list, _ := edit.Decode([]byte(`[{"do": "set", "at": "domain1", "value": "voxel", "to": 0.02}, {"do": "add", "kind": "wind", "name": "Gale"}]`))
	c, err := edit.Do(s, list...)
	fmt.Println(val.Voxel.Of(c.Element("domain1")), c.Element("wind1").Name, err)
	list, _ = edit.Decode([]byte(`{"do": "set", "at": "domain1", "value": "voxel", "to": 0}`))
	_, err = edit.Do(s, list...)
	fmt.Println(err)
	// Output:
	// 0.02 Gale <nil>
	// Voxel size is 0 m; it can be 1e-05 m to 10000 m
}

// A domain that is flat has one layer of voxels: a number of voxels is met by
// its width and height alone.
func TestVoxelsOfAFlatDomain(t *testing.T) {
	s := sample()
	d := s.Of(shot.Domain)[0]
	val.Size.Set(d, 2, 3, 1)
	for _, flat := range []bool{false, true} {
		val.Flat.Set(d, flat)
		c := do(t, s, fmt.Sprintf(`{"do": "voxels", "at": %q, "count": 20000}`, d.ID))
		if n := c.Element(d.ID).Voxels(); math.Abs(n/20000-1) > 0.06 {
			t.Errorf("flat %v: %g voxels where 20,000 were asked for", flat, n)
		}
	}
}

// Keys that aren't there are dropped without a word, on values that have none and on
// those that never had any: another window may have been quicker.
func TestDroppingWhatIsntThere(t *testing.T) {
	for _, key := range []string{"smoke", "position", "speed"} {
		d := bare()
		c := &edit.Keys{Name: "drop", Changes: []edit.Lane{{At: "emitter1", Key: key, Drop: []float64{3, math.NaN(), math.Inf(1)}}}}
		if err := c.Apply(d); err != nil {
			t.Errorf("%s: %v", key, err)
		}
		if n := len(d.Element("emitter1").Keys(val.NumKey(key))); n != 0 {
			t.Errorf("%s has %d keys", key, n)
		}
	}
	for what, l := range map[string]edit.Lane{"no such value": {At: "emitter1", Key: "ghost", Drop: []float64{3}}, "a word": {At: "emitter1", Key: "form", Drop: []float64{3}}, "nobody": {At: "ghost", Key: "smoke", Drop: []float64{3}}} {
		if err := (&edit.Keys{Changes: []edit.Lane{l}}).Apply(bare()); err == nil {
			t.Errorf("%s was taken", what)
		}
	}
}

// bare is a shot in which nothing has keys.
func bare() *shot.Shot {
	s := shot.New("B")
	s.Add(shot.Domain)
	s.Add(shot.Emitter)
	return s
}

// A value follows one sensor, or none; what else sensors drive stays as it was typed.
func TestFollow(t *testing.T) {
	s := sample()
	a, b := s.Add(shot.Sensor), s.Add(shot.Sensor)
	val.SensorDrives.Set(a, "emitter1.fuel, emitter1.temperature 300 to 500")
	c := do(t, s, fmt.Sprintf(`{"do": "follow", "at": "emitter1", "value": "smoke", "sensor": %q}`, a.ID))
	if got := val.SensorDrives.Of(c.Element(a.ID)); got != "emitter1.fuel, emitter1.temperature 300 to 500, emitter1.smoke" {
		t.Errorf("the first drives %q", got)
	}
	c = do(t, c, fmt.Sprintf(`{"do": "follow", "at": "emitter1", "value": "temperature", "sensor": %q}`, b.ID))
	if x, y := val.SensorDrives.Of(c.Element(a.ID)), val.SensorDrives.Of(c.Element(b.ID)); x != "emitter1.fuel, emitter1.smoke" || y != "emitter1.temperature" {
		t.Errorf("they drive %q and %q", x, y)
	}
	if by := c.Follows("emitter1", "temperature"); by == nil || by.ID != b.ID {
		t.Errorf("the temperature follows %v", by)
	}
	c = do(t, c, `{"do": "follow", "at": "emitter1", "value": "temperature", "sensor": ""}`)
	if by := c.Follows("emitter1", "temperature"); by != nil {
		t.Errorf("the temperature still follows %v", by)
	}
	for _, bad := range []string{`{"do": "follow", "at": "emitter1", "value": "shape", "sensor": "sensor1"}`, `{"do": "follow", "at": "emitter1", "value": "smoke", "sensor": "camera"}`} {
		list, err := edit.Decode([]byte(bad))
		if err == nil {
			_, err = edit.Do(s, list...)
		}
		if err == nil {
			t.Errorf("%s is taken", bad)
		}
	}
}
