package stage_test

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"io"
	"math"
	"strings"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	. "zarf/core/stage"
)

// rich is a shot in which as many values as can be are of consequence: every
// kind of element that acts on the fluid, moving and keyed.
func rich(fluid string) *shot.Shot {
	s := shot.New("R")
	if fluid == "cloth" {
		return richCloth(s)
	}
	val.Last.Set(s.Self, 4)
	val.Preroll.Set(s.Self, 1)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, fluid)
	val.Size.Set(d, 0.8, 0.8, 0.8)
	val.Voxel.Set(d, 0.12)
	val.Position.Set(d, 0, 0.4, 0)
	val.MinSubsteps.Set(d, 2)
	val.Damping.Set(d, 0.1)
	set := func(e *shot.Element, pairs ...val.Pair) *shot.Element {
		for _, p := range pairs {
			e.Set(p.Name, p.Value)
		}
		return e
	}
	if fluid == "gas" {
		set(d, val.Burning.Is("oxygen"), val.Dissipation.Is(0.1), val.SmokeWeight.Is(0.1), val.Vorticity.Is(0.5), val.VorticityBy.Is("temperature"), val.OxygenNeed.Is(30), val.Ignition.Is(500), val.Soot.Is(4))
	} else if fluid == "particles" {
		set(d, val.Bounce.Is(0.5), val.Friction.Is(0.3), val.HeatCapacity.Is(900), val.DiesBelow.Is(320))
	} else {
		set(d, val.Viscosity.Is(0.5), val.Tension.Is(0.05), val.Foam.Is(4000), val.CachePoints.Is("all"), val.WetMap.Is(true), val.Dries.Is(0.3))
	}
	box := set(s.Add(shot.Emitter), val.Form.Is("box"), val.Size.Is(0.5, 0.25, 0.5), val.Position.Is(0, 0.2, 0), val.Smoke.Is(1), val.Fuel.Is(0.1), val.Temperature.Is(900), val.Speed.Is(1.2),
		val.Breakup.Is(0.3), val.BreakupSize.Is(0.2), val.Pulse.Is(0.15), val.PulseShare.Is(0.8), val.Begin.Is(-2), val.End.Is(5))
	if fluid == "liquid" {
		val.Pours.Set(box, "full")
	}
	if fluid == "particles" {
		set(box, val.BirthRate.Is(4000), val.Life.Is(0.15), val.TemperatureSpread.Is(0.2), val.SolidSpread.Is(0.2), val.Spin.Is(2), val.Speed.Is(6), val.Cone.Is(90))
	}
	box.SetKey(val.Turn, shot.Key{Frame: 1, Value: shot.Vec(0, 0, 0)})
	box.SetKey(val.Turn, shot.Key{Frame: 5, Value: shot.Vec(0, 40, 0)})
	set(s.Add(shot.Emitter), val.Form.Is("tube"), val.Wall.Is(0.12), val.Taper.Is(1.3), val.Size.Is(0.4, 0.3, 0.4), val.Position.Is(0.1, 0.5, 0), val.From.Is("surface"), val.Shell.Is(0.15),
		val.Along.Is("axis"), val.Speed.Is(1), val.Push.Is(0.2, 0, 0), val.Smoke.Is(0.5), val.Fuel.Is(0.05))
	if fluid == "particles" {
		set(s.Element("emitter2"), val.BirthLimit.Is(10))
	}
	ball := set(s.Add(shot.Collider), val.Form.Is("sphere"), val.Size.Is(0.3, 0.3, 0.3), val.Position.Is(0.2, 0.45, 0), val.Friction.Is(0.5))
	ball.SetKey(val.Position, shot.Key{Frame: 0, Value: shot.Vec(0.2, 0.45, 0)})
	ball.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(0.1, 0.4, 0)})
	set(s.Add(shot.Collider), val.Form.Is("cylinder"), val.Taper.Is(0.7), val.Turn.Is(20, 0, 0), val.Size.Is(0.25, 0.3, 0.25), val.Position.Is(-0.25, 0.3, 0.1))
	set(s.Add(shot.Wind), val.Velocity.Is(1, 0.2, 0), val.Grip.Is(2), val.Gust.Is(0.6), val.GustTime.Is(0.2), val.Region.Is("sphere"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0, 0.4, 0))
	set(s.Add(shot.Turbulence), val.Strength.Is(6), val.Largest.Is(0.3), val.Octaves.Is(2), val.Rate.Is(2), val.Region.Is("box"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0, 0.4, 0))
	for _, k := range []shot.Kind{shot.Vortex, shot.Radial, shot.Drag} {
		set(s.Add(k), val.Region.Is("box"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0.05, 0.4, 0.05))
	}
	set(s.Element("vortex1"), val.Lift.Is(1), val.Turn.Is(10, 0, 0))
	set(s.Add(shot.Guide), val.Points.Is([3]float64{0, 0.1, 0}, [3]float64{0.1, 0.4, 0}, [3]float64{0, 0.7, 0.1}), val.Reach.Is(0.3), val.Swirl.Is(0.4), val.PaceAlong.Is(1, 0.5), val.DrawAlong.Is(1, 0.5), val.SwirlAlong.Is(1, 0.5), val.ReachAlong.Is(1, 0.8))
	set(s.Add(shot.Pull), val.Form.Is("cylinder"), val.Taper.Is(0.6), val.Size.Is(0.3, 0.3, 0.3), val.Position.Is(0, 0.5, 0), val.Reach.Is(0.4))
	if fluid == "liquid" { // which lies low
		val.Position.Set(s.Element("pull1"), 0, 0.25, 0)
	}
	channel := map[string]string{"gas": "density", "liquid": "density", "particles": "particles"}[fluid]
	full := map[string]float64{"gas": 1, "liquid": 1, "particles": 400}[fluid]
	set(s.Add(shot.Sensor), val.SensorChannel.Is(channel), val.SensorMeasure.Is("mean"), val.Form.Is("cylinder"), val.Size.Is(0.6, 0.5, 0.6), val.Position.Is(0, 0.3, 0), val.SensorHigh.Is(full), val.SensorHold.Is(1), val.SensorSmooth.Is(0.1),
		val.SensorCurve.Is("0 0.1; 0.4 0.5; 1 1"), val.SensorHow.Is("plus"), val.SensorAmount.Is(2), val.SensorDrives.Is("emitter1.speed, vortex1.strength"))
	return s
}

// richCloth is the same for cloth: a sheet pinned to what moves, a windsock, what they touch.
func richCloth(s *shot.Shot) *shot.Shot {
	val.Last.Set(s.Self, 4)
	val.Preroll.Set(s.Self, 1)
	set := func(e *shot.Element, pairs ...val.Pair) *shot.Element {
		for _, p := range pairs {
			e.Set(p.Name, p.Value)
		}
		return e
	}
	set(s.Add(shot.Domain), val.Fluid.Is("cloth"), val.Size.Is(0.8, 0.8, 0.8), val.Voxel.Is(0.12), val.Position.Is(0, 0.4, 0), val.Damping.Is(0.1), val.ClothSteps.Is(2), val.Hang.Is(0.1))
	spot := set(s.Add(shot.Sensor), val.Form.Is("box"), val.Size.Is(0.2, 0.1, 0.2), val.Position.Is(0, 0.6, 0.2), val.SensorChannel.Is("density"))
	mast := set(s.Add(shot.Mesh), val.Form.Is("box"), val.Size.Is(0.1, 0.1, 0.1), val.Position.Is(0, 0.6, 0))
	mast.SetKey(val.Position, shot.Key{Frame: 0, Value: shot.Vec(0, 0.6, 0)})
	mast.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(0.1, 0.6, 0.05)})
	set(s.Add(shot.Cloth), val.Position.Is(0, 0.6, 0), val.Size.Is(0.4, 0.01, 0.4), val.ClothEdge.Is(0.08), val.Pins.Is("edge"), val.PinTo.Is(mast.ID), val.TearsAt.Is(0.003), val.WeakWithin.Is(spot.ID), val.Warp.Is(900), val.Weft.Is(700), val.Shear.Is(90), val.BendWarp.Is(1e-3), val.BendWeft.Is(1e-3), val.WarpTurn.Is(20))
	torch := set(s.Add(shot.Sensor), val.Form.Is("box"), val.Size.Is(0.12, 0.12, 0.3), val.Position.Is(-0.3, 0.4, 0), val.SensorChannel.Is("wet"))
	sock := set(s.Add(shot.Cloth), val.Form.Is("cylinder"), val.Taper.Is(0.6), val.Position.Is(-0.2, 0.5, 0), val.Size.Is(0.2, 0.3, 0.2), val.ClothEdge.Is(0.08), val.Pins.Is("hooks"), val.Hooks.Is(3), val.Pressure.Is(5), val.ClothFlat.Is(false), val.ClothMass.Is(0.1), val.Warp.Is(200), val.Weft.Is(200), val.BurnsAt.Is(600), val.BurnsFor.Is(0.5), val.FireSpread.Is(1), val.LitWithin.Is(torch.ID))
	sock.SetKey(val.Position, shot.Key{Frame: 0, Value: shot.Vec(-0.2, 0.5, 0)})
	sock.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(-0.2, 0.55, 0)})
	ball := set(s.Add(shot.Collider), val.Form.Is("sphere"), val.Size.Is(0.2, 0.2, 0.2), val.Position.Is(0.05, 0.5, 0.1))
	ball.SetKey(val.Position, shot.Key{Frame: 0, Value: shot.Vec(0.05, 0.45, 0.1)})
	ball.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(0.05, 0.6, 0.1)})
	set(s.Add(shot.Wind), val.Velocity.Is(3, 0.2, 4), val.Gust.Is(0.6), val.GustTime.Is(0.2), val.Region.Is("sphere"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0, 0.5, 0))
	set(s.Add(shot.Turbulence), val.Strength.Is(6), val.Largest.Is(0.3), val.Octaves.Is(2), val.Rate.Is(2), val.Region.Is("box"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0, 0.5, 0))
	for _, k := range []shot.Kind{shot.Vortex, shot.Radial} {
		set(s.Add(k), val.Region.Is("box"), val.RegionSize.Is(0.5, 0.5, 0.5), val.RegionFade.Is(0.2), val.Position.Is(0.05, 0.5, 0.05))
	}
	set(s.Element("vortex1"), val.Lift.Is(1), val.Turn.Is(10, 0, 0))
	set(s.Of(shot.Domain)[0], val.DropSize.Is(0.03), val.DropThick.Is(2), val.DropTension.Is(2))
	spout := set(s.Add(shot.Emitter), val.Form.Is("box"), val.Size.Is(0.1, 0.07, 0.1), val.Position.Is(0.28, 0.3, -0.28), val.Along.Is("axis"), val.Speed.Is(-1), val.Push.Is(0.2, 0, 0), val.Breakup.Is(0.3), val.BreakupSize.Is(0.1), val.Pulse.Is(0.15), val.PulseShare.Is(0.8), val.Begin.Is(-2), val.End.Is(5))
	spout.SetKey(val.Turn, shot.Key{Frame: 1, Value: shot.Vec(0, 0, 0)})
	spout.SetKey(val.Turn, shot.Key{Frame: 5, Value: shot.Vec(0, 40, 0)})
	return s
}

// print is what a run leaves in the cache, to the last bit; frames of the
// pre-roll are left out. A run that can't be is told by its error.
func print(s *shot.Shot) string {
	h := fnv.New64a()
	r, err := New(s, "", grid.NewCrew(1))
	if err != nil {
		return err.Error()
	}
	first, last := s.Range()
	for r.Next() <= last {
		n, st, err := Advance(r, nil)
		if err != nil {
			return err.Error()
		}
		if n < first {
			continue
		}
		fmt.Fprintln(h, n-first, st.Substeps)
		printFrame(h, r.Frame())
	}
	return fmt.Sprint(h.Sum64())
}

func printFrame(h io.Writer, f *frame.Frame) {
	for _, g := range f.Grids {
		fmt.Fprintln(h, g.Name, g.Half, g.Transform, g.Background, len(g.Leaves), g.Class)
		for _, l := range g.Leaves {
			fmt.Fprintln(h, l.Origin, l.Active)
			for _, v := range l.Values {
				b := math.Float32bits(v)
				h.Write([]byte{byte(b), byte(b >> 8), byte(b >> 16), byte(b >> 24)})
			}
		}
	}
	if f.Points != nil {
		fmt.Fprint(h, f.Points.P, f.Points.V)
		for _, a := range f.Points.Extra {
			fmt.Fprint(h, a.Name, a.V)
		}
	}
}

// A frame that could not be written is taken from the solver once more: that must
// give the same bits, and what is made after it must not hang on how often it was.
func TestAFrameCanBeTakenAgain(t *testing.T) {
	for _, fluid := range []string{"gas", "liquid", "particles", "cloth"} {
		s := rich(fluid)
		if fluid == "liquid" {
			val.CachePoints.Set(s.Of(shot.Domain)[0], "few")
		}
		once, often, rarely := mustRun(t, s), mustRun(t, s), mustRun(t, s)
		for m := range 4 {
			number, _, err := once.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			if _, _, err := often.Advance(nil); err != nil {
				t.Fatal(err)
			}
			if _, _, err := rarely.Advance(nil); err != nil {
				t.Fatal(err)
			}
			want := fnv.New64a()
			printFrame(want, once.Frame())
			if m == 3 {
				h := fnv.New64a()
				if printFrame(h, rarely.Frame()); h.Sum64() != want.Sum64() {
					t.Fatalf("%s: frame %d differs where those before it weren't taken", fluid, number)
				}
			}
			for n := range 3 {
				h := fnv.New64a()
				printFrame(h, often.Frame())
				if h.Sum64() != want.Sum64() {
					t.Fatalf("%s: frame %d differs when it is taken for the %d. time", fluid, number, n+1)
				}
			}
		}
	}
}

// another is a value that differs from the one there is and is allowed.
func another(x *shot.Entry, v shot.Value) (shot.Value, bool) {
	switch x.Type {
	case shot.Number:
		for _, by := range []float64{1.37, 0.61} {
			w := shot.Num(v.Num*by + 0.013)
			if x.Check(w) == nil && w != v {
				return w, true
			}
		}
	case shot.Integer:
		for _, by := range []float64{1, -1, 2} {
			if w := shot.Num(v.Num + by); x.Check(w) == nil {
				return w, true
			}
		}
	case shot.Vector:
		w := shot.Vec(v.Vec[0]*1.2+0.03, v.Vec[1]*0.9+0.02, v.Vec[2]*1.1+0.04)
		return w, x.Check(w) == nil
	case shot.Choice:
		for _, c := range x.Choices {
			if c.Key != v.Text {
				return shot.Text(c.Key), true
			}
		}
	case shot.Flag:
		return shot.On(!v.Flag), true
	case shot.Profile:
		return shot.Text("1 0.9 0.3"), true
	case shot.Points:
		p := v.Places()
		p[len(p)-1][0] += 0.2
		return shot.PointList(p), true
	}
	return v, false
}

// A key must change wherever the result does: else a stale cache passes as
// current. Where the key changes and the result doesn't, a run is made for
// nothing; that is told where nobody can explain it.
func TestKeyChangesWithTheResult(t *testing.T) {
	// the result need not change: the value acts only beyond what this shot
	// shows (limits, tolerances), or the frames are the same seen otherwise
	maySay := map[string]bool{
		"shot.first": true, "domain.max_substeps": true, "domain.cfl": true, "domain.tolerance": true, "domain.burning": true, "domain.follow_from": true, "domain.oxygen_need": true,
		"domain.radiation_at": true, "emitter.end": true, "emitter.begin": true, "emitter.pulse": true, "emitter.pulse_share": true, "domain.surface_smooth": true, "domain.sheets": true, "domain.weight": true, "domain.foam_lasts": true,
		"shot.air_density": true, "emitter.inherit": true, "emitter.mode": true, "emitter.position": true, "emitter.turn": true, "collider.position": true, "domain.bounds": true, "collider.turn": true, "emitter.pours": true, "collider.friction": true, "emitter.shell": true, "wind.grip": true, "sensor.sensor_latched": true, "sensor.sensor_hold": true, "sensor.sensor_low": true, "sensor.turn": true, "domain.side_y1": true, "emitter.birth_rate": true, "domain.most_particles": true, "domain.dries": true, "domain.bubbles": true,
	}
	ofCloth := map[string]bool{}
	// of cloth: walls that it doesn't reach, what no sensor drives, what turns what is round
	for _, name := range strings.Fields("domain.side_x0 domain.side_x1 domain.side_y0 domain.side_z0 domain.side_z1 sensor.form sensor.sensor_channel sensor.sensor_measure sensor.sensor_over sensor.sensor_high sensor.sensor_inverted sensor.sensor_smooth sensor.sensor_how mesh.form mesh.size cloth.pin_hold cloth.soaks cloth.hooks cloth.warp_turn cloth.weak sensor.size sensor.position domain.most_drops domain.drop_wets cloth.burns_at cloth.lit domain.drips_away") {
		ofCloth[name] = true
	}
	for _, fluid := range []string{"gas", "liquid", "particles", "cloth"} {
		base := rich(fluid)
		key, result := CoarseKey(base, base.Of(shot.Domain)[0]), print(base)
		if again := print(base); again != result {
			t.Fatalf("%s: two runs of the same shot differ: %s, %s", fluid, result, again)
		}
		if !isNumber(result) {
			t.Fatalf("%s: the shot doesn't run: %s", fluid, result)
		}
		tried, differ := 0, 0
		for n, o := range base.Owners() {
			for _, x := range shot.Entries(o.Kind) {
				w, ok := another(x, x.Value(o))
				if !ok || x.Key == val.Fluid.Name() || x.Key == val.Voxel.Name() && testing.Short() {
					continue
				}
				s := base.Clone()
				e := s.Owners()[n]
				if e.Keyed(x) {
					e.MapKeys(x, func(v shot.Value) shot.Value { w, _ := another(x, v); return w })
				} else {
					e.Set(x.Key, w)
				}
				changed := CoarseKey(s, s.Of(shot.Domain)[0]) != key
				if !changed && !x.Sim && !onOwnKind(o.Kind) {
					continue // looks, cameras and the like: nothing of them is read, see TestEveryReadIsInTheKey
				}
				tried++
				got := print(s)
				name := string(o.Kind) + "." + x.Key
				switch {
				case got != result && !changed:
					if x.Key == val.Last.Name() {
						continue // more frames of the same
					}
					t.Errorf("%s: another %s of %s gives another result under the same key", fluid, name, o.ID)
				case got != result:
					differ++
				case changed && !maySay[name] && (fluid != "cloth" || !ofCloth[name]):
					t.Errorf("%s: another %s of %s gives another key and the same result", fluid, name, o.ID)
				}
			}
		}
		t.Logf("%s: %d values changed, %d of them change the result", fluid, tried, differ)
		if differ < 60 {
			t.Errorf("%s: only %d values change the result: the shot tries too little", fluid, differ)
		}
	}
}

func onOwnKind(k shot.Kind) bool { return k == shot.Setting || k == shot.Domain || k == shot.Emitter }

func isNumber(s string) bool { return strings.Trim(s, "0123456789") == "" }

// What a run reads is in its key, or can't matter: every read is watched.
func TestEveryReadIsInTheKey(t *testing.T) {
	for _, fluid := range []string{"gas", "liquid", "particles", "cloth"} {
		s := rich(fluid)
		d := s.Of(shot.Domain)[0]
		read, keyed := map[string]bool{}, map[string]bool{}
		s.Watch(func(e *shot.Element, key string) { keyed[e.Address()+" "+key] = true })
		Key(s, d)
		s.Watch(func(e *shot.Element, key string) { read[e.Address()+" "+key] = true })
		print(s)
		s.Watch(nil)
		if len(read) < 60 {
			t.Errorf("%s: only %d reads were seen", fluid, len(read))
		}
		for name := range read {
			if !keyed[name] && name != "shot: last" {
				t.Errorf("%s: a run reads %s, which its key doesn't", fluid, name)
			}
		}
	}
}

// The order of the cast, and what stands in it besides, change no bit.
func TestOnlyWhatActsMatters(t *testing.T) {
	for _, fluid := range []string{"gas", "liquid", "particles", "cloth"} {
		s := rich(fluid)
		d := s.Of(shot.Domain)[0]
		key, result := Key(s, d), print(s)
		for what, change := range map[string]func(*shot.Shot){
			"a lamp put first": func(s *shot.Shot) {
				l := s.Add(shot.Lamp)
				s.Elements = append([]*shot.Element{l}, s.Elements[:len(s.Elements)-1]...)
			},
			"the camera gone": func(s *shot.Shot) { s.Remove("camera") },
			"the cast turned round": func(s *shot.Shot) {
				for i, j := 0, len(s.Elements)-1; i < j; i, j = i+1, j-1 {
					s.Elements[i], s.Elements[j] = s.Elements[j], s.Elements[i]
				}
			},
			"other names": func(s *shot.Shot) {
				for _, e := range s.Elements {
					e.Name += " x"
				}
			},
		} {
			c := s.Clone()
			change(c)
			if Key(c, c.Element(d.ID)) != key {
				t.Errorf("%s: %s makes the cache stale", fluid, what)
			}
			if print(c) != result {
				t.Errorf("%s: %s gives another result", fluid, what)
			}
		}
	}
}

// A run that read half of a state before it proved damaged must not go on from
// it: whoever loads is told, whatever was filled in by then.
func TestHalfReadStateIsTold(t *testing.T) {
	for _, fluid := range []string{"gas", "liquid", "particles", "cloth"} {
		s := rich(fluid)
		r := mustRun(t, s)
		for range 3 {
			if _, _, err := r.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
		var b bytes.Buffer
		if err := r.SaveState(&b); err != nil {
			t.Fatal(err)
		}
		for _, share := range []float64{0.3, 0.6, 0.9, 0.999} {
			if err := mustRun(t, s).LoadState(bytes.NewReader(b.Bytes()[:int(share*float64(b.Len()))]), true); err == nil {
				t.Errorf("%s: %.0f %% of a state were taken", fluid, 100*share)
			}
		}
	}
}

var _ = frame.Density
