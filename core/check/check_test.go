package check_test

import (
	. "zarf/core/check"
	"zarf/core/shot/val"
	"zarf/core/sim"
	_ "zarf/core/solvers"
	"zarf/core/stage"

	"bytes"
	"strings"
	"testing"
	"time"

	"zarf/core/asset"
	load "zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/demo"
)

// base is a shot without findings.
func base() (s *shot.Shot, domain, emitter *shot.Element) {
	s = shot.New("T")
	domain = s.Add(shot.Domain)
	emitter = s.Add(shot.Emitter)
	return s, domain, emitter
}

// clothIn adds a cloth and a domain that simulates it.
func clothIn(s *shot.Shot, pairs ...val.Pair) *shot.Element {
	s.Add(shot.Domain).Set(val.Fluid.Name(), shot.Text("cloth"))
	e := s.Add(shot.Cloth)
	for _, p := range pairs {
		e.Set(p.Name, p.Value)
	}
	return e
}

var big = Machine{Memory: 16e9}

func ids(fs []Finding) string {
	var out []string
	for _, f := range fs {
		out = append(out, f.ID)
	}
	return strings.Join(out, " ")
}

func TestQuietWhereNothingIsWrong(t *testing.T) {
	s, _, _ := base()
	if f := Shot(s, big); len(f) > 0 {
		t.Errorf("%+v", f)
	}
	files := asset.NewMemory()
	shots, err := demo.Shots(files)
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range shots {
		s.Attach(asset.New(files))
		if f := Shot(s, big); len(f) > 0 {
			t.Errorf("%s: %+v", s.Name, f)
		}
	}
}

// Each case breaks one thing; the check must name it, and its mend must
// silence it.
func TestFindsAndMends(t *testing.T) {
	n, v, text := shot.Num, shot.Vec, shot.Text
	cases := map[string]func(s *shot.Shot, d, e *shot.Element){
		"no-domain": func(s *shot.Shot, d, e *shot.Element) { s.Remove(d.ID) },
		"feed-missing": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{d.ID}
			x := s.Add(shot.Emitter)
			val.From.Set(x, "fluid")
			x.ActsOn = []string{other.ID}
		},
		"sequence-empty": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Sequence) },
		"feed-ring": func(s *shot.Shot, d, e *shot.Element) {
			x := s.Add(shot.Emitter)
			x.Set(val.From.Name(), text("fluid"))
			x.Set(val.FedBy.Name(), text(d.ID))
		},
		"feed-channel": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{d.ID}
			x := s.Add(shot.Emitter)
			val.From.Set(x, "fluid")
			val.FedBy.Set(x, d.ID)
			val.FedWhere.Set(x, "burn")
			x.ActsOn = []string{other.ID}
		},
		"feed-still": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{d.ID}
			d.Set(val.CacheVelocity.Name(), shot.On(false))
			x := s.Add(shot.Emitter)
			val.From.Set(x, "fluid")
			val.FedBy.Set(x, d.ID)
			x.ActsOn = []string{other.ID}
		},
		"no-emitter": func(s *shot.Shot, d, e *shot.Element) { e.Muted = true },
		"memory":     func(s *shot.Shot, d, e *shot.Element) { d.Set(val.Voxel.Name(), n(0.001)) },
		"acts-on-nothing": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{other.ID}
			other.Muted = true
		},
		"fuel-unused": func(s *shot.Shot, d, e *shot.Element) {
			e.Set(val.Fuel.Name(), n(0.05))
			e.Set(val.Temperature.Name(), n(900))
		},
		"fuel-missing": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.Temperature.Name(), n(900))
		},
		"fuel-cold": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.Fuel.Name(), n(0.05))
		},
		"fire-hot": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.Fuel.Name(), n(2))
			e.Set(val.Temperature.Name(), n(900))
		},
		"flame-size": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("oxygen"))
			e.Set(val.FuelPower.Name(), n(1e6))
			e.Set(val.Temperature.Name(), n(900))
		},
		"flame-air": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.FuelPower.Name(), n(100))
			e.Set(val.Temperature.Name(), n(900))
		},
		"fire-closed": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.Fuel.Name(), n(0.05))
			e.Set(val.Temperature.Name(), n(900))
			for _, side := range shot.Sides {
				side.Name.Set(d, "wall")
			}
		},
		"fire-unseen": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Burning.Name(), text("fuel"))
			e.Set(val.Fuel.Name(), n(0.05))
			e.Set(val.Temperature.Name(), n(900))
			d.Set(val.CacheFire.Name(), shot.On(false))
		},
		"upres": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Upres.Name(), text("2"))
			d.Set(val.CacheVelocity.Name(), shot.On(false))
		},
		"ripples": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			d.Set(val.Ripples.Name(), text("2"))
			d.Set(val.CacheVelocity.Name(), shot.On(false))
		},
		"region-outside": func(s *shot.Shot, d, e *shot.Element) {
			w := s.Add(shot.Wind)
			w.Set(val.Region.Name(), text("box"))
			w.Set(val.Position.Name(), v(40, 1, 0))
		},
		"emitter-outside": func(s *shot.Shot, d, e *shot.Element) { e.Set(val.Position.Name(), v(5, 1, 0)) },
		"emitter-inside-collider": func(s *shot.Shot, d, e *shot.Element) {
			c := s.Add(shot.Collider)
			c.Set(val.Position.Name(), e.Get("position"))
			c.Set(val.Size.Name(), v(0.8, 0.8, 0.8))
		},
		"emitter-empty": func(s *shot.Shot, d, e *shot.Element) {
			e.Set(val.Smoke.Name(), n(0))
			e.Set(val.Temperature.Name(), s.Get("air_temperature"))
		},
		"emitter-small": func(s *shot.Shot, d, e *shot.Element) { e.Set(val.Size.Name(), v(0.06, 0.3, 0.3)) },
		"emitter-times": func(s *shot.Shot, d, e *shot.Element) { e.Set(val.Begin.Name(), n(500)) },
		"collider-fast": func(s *shot.Shot, d, e *shot.Element) {
			c := s.Add(shot.Collider)
			c.SetKey(val.Position, shot.Key{Frame: 1, Value: v(-0.5, 1.5, 0)})
			c.SetKey(val.Position, shot.Key{Frame: 2, Value: v(0.5, 1.5, 0)})
		},
		"closed-inflow": func(s *shot.Shot, d, e *shot.Element) {
			for _, side := range shot.Sides {
				side.Name.Set(d, "wall")
			}
			e.Set(val.Speed.Name(), n(1))
		},
		"inflow-fast": func(s *shot.Shot, d, e *shot.Element) { e.Set(val.Speed.Name(), n(100)) },
		"open-floor": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.SideY0.Name(), text("outflow"))
			d.Set(val.SmokeWeight.Name(), n(1))
		},
		"smoke-grain": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.SmokeBy.Name(), text("points"))
			e.Set(val.Smoke.Name(), n(0.1))
		},
		"stirred-flat": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Flat.Name(), shot.On(true))
			d.Set(val.SubGrid.Name(), n(1))
		},
		"turbulence-small": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Turbulence).Set(val.Largest.Name(), n(0.1)) },
		"file-missing": func(s *shot.Shot, d, e *shot.Element) {
			e.Set(val.Form.Name(), text("mesh"))
			e.Set(val.Mesh.Name(), text(strings.Repeat("ab", 16)+"/gone.glb"))
		},
		"share-empty": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Set(val.Share.Name(), text("parts"))
			e.Set(val.ShareNames.Name(), shot.NameList("no such part"))
		},
		"mesh-open": func(s *shot.Shot, d, e *shot.Element) { bring(s, e) },
		"mesh-crossed": func(s *shot.Shot, d, e *shot.Element) {
			m := geom.BoxMesh(geom.V(0.3, 0.3, 0.3))
			n := int32(len(m.P))
			for _, p := range m.P[:n] {
				m.P = append(m.P, p.Add(geom.V(0.1, 0.13, 0.17)))
			}
			for _, f := range m.Tri[:len(m.Tri):len(m.Tri)] {
				m.Tri = append(m.Tri, [3]int32{f[0] + n, f[1] + n, f[2] + n})
			}
			c := s.Add(shot.Collider)
			bringMesh(s, c, m)
			c.Set(val.Position.Name(), v(0, 1, 0))
		},
		"mesh-size": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Set(val.Size.Name(), v(400, 400, 400))
			e.Set(val.From.Name(), text("surface"))
		},
		"motion-late": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Set(val.MotionStart.Name(), n(500))
			e.Set(val.From.Name(), text("surface"))
		},
		"guide-short": func(s *shot.Shot, d, e *shot.Element) {
			s.Add(shot.Guide).Set(val.Points.Name(), shot.PointList([][3]float64{{1, 1, 1}, {1, 1, 1}}))
		},
		"guide-far":  func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Guide).Set(val.Position.Name(), v(30, 0, 0)) },
		"guide-thin": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Guide).Set(val.Reach.Name(), n(0.05)) },
		"pull-far":   func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Pull).Set(val.Position.Name(), v(0, 20, 0)) },
		"pull-thin": func(s *shot.Shot, d, e *shot.Element) {
			p := s.Add(shot.Pull)
			p.Set(val.Form.Name(), text("box"))
			p.Set(val.Size.Name(), v(0.5, 0.5, 0.04))
			p.Set(val.Position.Name(), v(0, 1, 0))
		},
		"force-idle": func(s *shot.Shot, d, e *shot.Element) {
			s.Add(shot.Vortex).Set(val.Strength.Name(), n(0))
			s.Elements[len(s.Elements)-1].Set(val.Draw.Name(), n(0))
		},
		"pour-still": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			d.Set(val.SideY1.Name(), text("wall"))
			e.Set(val.Speed.Name(), n(0))
		},
		"liquid-floor": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			d.Set(val.SideY0.Name(), text("outflow"))
			e.Set(val.Speed.Name(), n(1))
		},
		"liquid-weightless": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			s.Self.Set(val.Gravity.Name(), n(0))
		},
		"liquid-cold": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			e.Set(val.Speed.Name(), n(1))
			d.Set(val.CarriesHeat.Name(), shot.On(true))
			e.Set(val.Temperature.Name(), n(600))
		},
		"heat-turned": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			e.Set(val.Speed.Name(), n(1))
			d.Set(val.CarriesHeat.Name(), shot.On(true))
			d.Set(val.StiffAt.Name(), n(1500))
			e.Set(val.Temperature.Name(), n(1600))
		},
		"second-unused": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			e.Set(val.Speed.Name(), n(1))
			e.Set(val.SecondShare.Name(), n(1))
		},
		"sea-dry": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Sea) },
		"sea-calm": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			val.SeaWind.Set(inSea(s, d), 0)
		},
		"sea-several": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			inSea(s, d)
			inSea(s, d)
		},
		"sea-level": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			sea := inSea(s, d)
			val.SeaLevel.Set(sea, 90)
			val.WaveHeight.Set(sea, 0.01)
		},
		"sea-walls": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			inSea(s, d)
			val.SideX1.Set(d, "wall")
		},
		"sea-floor": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			val.SeaDepth.Set(inSea(s, d), 0.05)
		},
		"sea-coarse": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			val.SeaFetch.Set(inSea(s, d), 10)
		},
		"inflow-thick": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			e.Set(val.Speed.Name(), n(60))
		},
		"overflow": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("liquid"))
			e.Set(val.Speed.Name(), n(4))
			for _, side := range shot.Sides {
				side.Name.Set(d, "wall")
			}
			e.Set(val.Form.Name(), text("box"))
			e.Set(val.Size.Name(), v(1, 0.3, 1))
			e.Set(val.Along.Name(), text("axis"))
		},
		"sensor-idle": func(s *shot.Shot, d, e *shot.Element) {
			val.SensorDrives.Set(s.Add(shot.Sensor), "emitter9.speed")
		},
		"sensor-outside": func(s *shot.Shot, d, e *shot.Element) {
			x := s.Add(shot.Sensor)
			val.SensorDrives.Set(x, e.ID+".speed")
			val.Position.Set(x, 90, 0, 0)
		},
		"sensor-starves": func(s *shot.Shot, d, e *shot.Element) {
			val.SensorDrives.Set(s.Add(shot.Sensor), e.ID+".smoke")
		},
		"sensor-blind": func(s *shot.Shot, d, e *shot.Element) {
			x := s.Add(shot.Sensor)
			val.SensorDrives.Set(x, e.ID+".speed")
			val.SensorChannel.Set(x, "particles")
		},
		"mask-gone": func(s *shot.Shot, d, e *shot.Element) {
			val.Mask.Set(e, "sensor9")
		},
		"particles-many": func(s *shot.Shot, d, e *shot.Element) {
			d.Set(val.Fluid.Name(), text("particles"))
			e.Set(val.BirthRate.Name(), n(4e6))
			e.Set(val.Life.Name(), n(1))
		},
		"carrier-still": func(s *shot.Shot, d, e *shot.Element) {
			motes := s.Add(shot.Domain)
			motes.Set(val.Fluid.Name(), text("particles"))
			motes.Set(val.Carrier.Name(), text(d.ID))
			val.CacheVelocity.Set(d, false)
		},
		"push-nowhere": func(s *shot.Shot, d, e *shot.Element) {
			motes := s.Add(shot.Domain)
			motes.Set(val.Fluid.Name(), text("particles"))
			motes.Set(val.AirPush.Name(), n(1))
		},
		"channel-name": func(s *shot.Shot, d, e *shot.Element) {
			motes := s.Add(shot.Domain)
			motes.Set(val.Fluid.Name(), text("particles"))
			motes.Set("own1", text("size"))
		},
		"channel-nothing": func(s *shot.Shot, d, e *shot.Element) {
			motes := s.Add(shot.Domain)
			motes.Set(val.Fluid.Name(), text("particles"))
			motes.Set("own1", text("moist"))
			motes.Set("own1_from", text("temperature"))
		},
		"cloth-none": func(s *shot.Shot, d, e *shot.Element) {
			s.Add(shot.Domain).Set(val.Fluid.Name(), text("cloth"))
		},
		"cloth-homeless": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Cloth) },
		"cloth-falls": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s, val.Pins.Is("none"), val.Position.Is(0, -5, 0))
		},
		"cloth-inside": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s, val.Position.Is(0, 1, 0))
			s.Add(shot.Collider).Set(val.Position.Name(), shot.Vec(0, 1, 0))
		},
		"cloth-unlit": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s, val.BurnsAt.Is(700))
		},
		"cloth-crossed": func(s *shot.Shot, d, e *shot.Element) {
			c := clothIn(s)
			over := s.Add(shot.Cloth)
			val.Turn.Set(over, 90, 0, 0)
			val.Position.Set(over, val.Position.Of(c)[0], val.Position.Of(c)[1], val.Position.Of(c)[2])
		},
		"cloth-mesh": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s, val.Size.Is(0.05, 0.01, 0.05), val.ClothEdge.Is(0.05))
		},
		"cloth-thick": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s, val.ClothEdge.Is(0.02), val.Thickness.Is(0.05))
		},
		"cloth-fast": func(s *shot.Shot, d, e *shot.Element) {
			c := clothIn(s)
			c.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 1, 0)})
			c.SetKey(val.Position, shot.Key{Frame: 2, Value: shot.Vec(10, 1, 0)})
		},
		"drops-large": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s)
			s.Of(shot.Domain)[1].Set(val.DropSize.Name(), n(0.5))
		},
		"drops-many": func(s *shot.Shot, d, e *shot.Element) {
			clothIn(s)
			s.Of(shot.Domain)[1].Set(val.DropSize.Name(), n(0.001))
		},
		"carrier-missing": func(s *shot.Shot, d, e *shot.Element) {
			motes := s.Add(shot.Domain)
			motes.Set(val.Fluid.Name(), text("particles"))
			motes.Set(val.Carrier.Name(), text(d.ID))
			d.Muted = true
		},
		"camera-blind": func(s *shot.Shot, d, e *shot.Element) {
			s.Element("camera").Set(val.Target.Name(), s.Element("camera").Get("position"))
		},
	}
	for _, id := range IDs() {
		breakIt := cases[id]
		if breakIt == nil {
			t.Errorf("%s has no test", id)
			continue
		}
		s, d, e := base()
		breakIt(s, d, e)
		var found *Finding
		all := Shot(s, big)
		for i := range all {
			if all[i].ID == id {
				found = &all[i]
			}
		}
		if found == nil {
			t.Errorf("%s was not found among %q", id, ids(all))
			continue
		}
		if found.What == "" || found.Why == "" {
			t.Errorf("%s doesn't say what and why", id)
		}
		if m := found.Mend; m != nil && m.Key != "" {
			el := s.Element(m.Element)
			if err := shot.Find(el.Kind, m.Key).Check(m.Value); err != nil {
				t.Errorf("%s offers a value that is refused: %v", id, err)
			}
			el.Set(m.Key, m.Value)
			for _, f := range Shot(s, big) {
				if f.ID == id {
					t.Errorf("%s is still there after its mend: %s", id, f.What)
				}
			}
		}
	}
}

func TestMemoryNamesTheVoxelThatFits(t *testing.T) {
	s, d, _ := base()
	d.Set(val.Voxel.Name(), shot.Num(0.002))
	f := Faults(Shot(s, Machine{Memory: 2e9}))
	if len(f) != 1 || !strings.Contains(f[0].Why, "smallest voxel that fits is 0.0") {
		t.Fatalf("%+v", f)
	}
}

// After a run: what was cut off, held back, capped or empty.
func TestAfterARun(t *testing.T) {
	sh, d, _ := base()
	plate := sh.Add(shot.Collider)
	plate.Set(val.Size.Name(), shot.Vec(1, 0.02, 1))
	st := func(change func(*sim.Stats)) map[int]sim.Stats {
		out := map[int]sim.Stats{}
		for f := 1; f <= 4; f++ {
			s := sim.Stats{Substeps: 2}
			s.Put(sim.SmokeTotal, 1)
			s.Put(sim.VolumeMade, 0.1)
			if f >= 3 {
				change(&s)
			}
			out[f] = s
		}
		return out
	}
	if f := stage.After(sh, d, st(func(*sim.Stats) {})); len(f) > 0 {
		t.Errorf("a good run: %+v", f)
	}
	for want, change := range map[string]func(*sim.Stats){
		"cut":      func(s *sim.Stats) { s.Cut[3], s.AtLimit[3] = 0.2, true },
		"limit":    func(s *sim.Stats) { s.AtLimit[1] = true },
		"substeps": func(s *sim.Stats) { s.Capped = true },
		"held":     func(s *sim.Stats) { s.Put(sim.VolumeHeld, 0.05) },
		"trimmed":  func(s *sim.Stats) { s.Put(sim.Lost, 0.02) },
		"pressure": func(s *sim.Stats) { s.Unconverged = 1 },
		"fast":     func(s *sim.Stats) { s.MaxSpeed = 35; s.Put(sim.FastX, 1.25) },
	} {
		got := stage.After(sh, d, st(change))
		if ids(got) != want {
			t.Errorf("want %s, got %+v", want, got)
			continue
		}
		if want == "fast" && !strings.Contains(got[0].What, "35 m/s in frame 3, at 1.25, 0, 0 m") {
			t.Errorf("%+v", got[0])
		}
		if want == "cut" && (!strings.Contains(got[0].What, "top") || !strings.Contains(got[0].Why, "frame 3")) {
			t.Errorf("%+v", got[0])
		}
	}
	// a sensor that came near to firing, one that measured nothing, and one that fired
	val.Last.Set(sh.Self, 4)
	x := sh.Add(shot.Sensor)
	val.SensorDrives.Set(x, sh.Of(shot.Emitter)[0].ID+".smoke")
	val.SensorHigh.Set(x, 0.8)
	for m, want := range map[float64]string{0.2: "at frame 3 and reads full at 0.8", 0: "nothing on any frame", 0.7: ""} {
		got := stage.After(sh, d, st(func(s *sim.Stats) { s.Put(stage.Measured(x), m) }))
		if want == "" && len(got) == 0 {
			continue
		}
		if ids(got) != "sensor-quiet" || want == "" || !strings.Contains(got[0].Why, want) {
			t.Errorf("measured %g: %+v", m, got)
		}
		if m == 0.2 {
			if got[0].Mend == nil || !strings.Contains(got[0].Mend.Label, "0.18") {
				t.Errorf("%+v", got[0].Mend)
			}
		}
	}
	x.Muted = true
	for want, change := range map[string]func(e *shot.Element){
		"is muted":     func(e *shot.Element) { e.Muted = true },
		"neither":      func(e *shot.Element) { e.Set(val.Smoke.Name(), shot.Num(0)) },
		"emits on":     func(e *shot.Element) { e.Set(val.Begin.Name(), shot.Num(900)) },
		"lies outside": func(e *shot.Element) { e.Set(val.Position.Name(), shot.Vec(50, 0, 0)) },
	} {
		s2, d2, e := base()
		change(e)
		said := ""
		for _, f := range stage.WhyEmpty(s2, d2) {
			said += f.What + " "
		}
		if !strings.Contains(said, want) {
			t.Errorf("of an empty take it says %q, not that it %s", said, want)
		}
	}
	if got := stage.After(sh, d, map[int]sim.Stats{1: {}}); ids(got) != "empty" {
		t.Errorf("%+v", got)
	}
}

// bring gives an element an open mesh that moves.
func bring(s *shot.Shot, e *shot.Element) {
	m := geom.BoxMesh(geom.V(0.3, 0.3, 0.3))
	m.Tri = m.Tri[:10]
	bringMesh(s, e, m)
}

// bringMesh brings in a mesh that moves.
func bringMesh(s *shot.Shot, e *shot.Element, mesh *geom.Mesh) {
	m := model.FromMesh(mesh)
	m.Clips = []model.Clip{{Tracks: []model.Track{{Path: model.Translation, How: model.Linear, Times: []float64{0, 1}, Values: []float64{0, 0, 0, 0.2, 0, 0}}}}}
	var b bytes.Buffer
	if err := gltf.Encode(&b, m); err != nil {
		panic(err)
	}
	files := asset.NewMemory()
	ref, _, err := files.Bring("box.glb", b.Bytes(), nil, load.Options{})
	if err != nil {
		panic(err)
	}
	s.Attach(asset.New(files))
	e.Set(val.Form.Name(), shot.Text("mesh"))
	e.Set(val.Mesh.Name(), shot.Text(ref))
}

// A mesh that its file moves counts as a moving collider.
func TestAnimatedMeshesCanBeTooFast(t *testing.T) {
	s, d, _ := base()
	c := s.Add(shot.Collider)
	bring(s, c)
	c.Set(val.Position.Name(), shot.Vec(0, 1, 0))
	d.Set(val.MaxSubsteps.Name(), shot.Num(1))
	if strings.Contains(ids(Shot(s, big)), "collider-fast") {
		t.Error("a slow mesh is called fast")
	}
	c.Set(val.Size.Name(), shot.Vec(3, 3, 3)) // ten times as large, it moves ten times as far
	if !strings.Contains(ids(Shot(s, big)), "collider-fast") {
		t.Error("a mesh of 2 m/s in voxels of 5 cm wasn't found")
	}
}

// Many of the same are told once, with a count; each element of them is still named,
// so that the cast can mark it, and other findings aren't hidden.
func TestTheLikeAreToldOnce(t *testing.T) {
	s := shot.New("M")
	for range 30 {
		d := s.Add(shot.Domain)
		val.Position.Set(d, 0, 1, 0)
	}
	for range 440 {
		e := s.Add(shot.Emitter)
		val.Position.Set(e, 900, 0, 0)
	}
	cam := s.Of(shot.Camera)[0]
	val.Target.Set(cam, 1, 1, 1)
	val.Position.Set(cam, 1, 1, 1)
	begin := time.Now()
	list := Shot(s, Machine{Memory: 1e12})
	if took := time.Since(begin); took > 3*time.Second {
		t.Errorf("it took %v", took)
	}
	if len(list) > 40 {
		t.Errorf("%d findings", len(list))
	}
	marked, blind := map[string]bool{}, false
	for _, f := range list {
		if f.ID == "emitter-outside" {
			for _, id := range append(f.Also, f.Element) {
				marked[id] = true
			}
		}
		blind = blind || f.ID == "camera-blind"
	}
	delete(marked, "")
	if len(marked) != 440 || !blind {
		t.Errorf("%d emitters are marked; the camera: %t", len(marked), blind)
	}
}

// Smoke kept finer than voxels shares its points out among more of them, and isn't for upres.
func TestFineSmokeIsChecked(t *testing.T) {
	found := func(id string, fine, upres string) *Finding {
		s, d, e := base()
		val.SmokeBy.Set(d, "points")
		val.SmokeFine.Set(d, fine)
		val.Upres.Set(d, upres)
		val.CacheVelocity.Set(d, true)
		val.Smoke.Set(e, 1)
		for _, f := range Shot(s, Machine{Memory: 1e12}) {
			if f.ID == id {
				return &f
			}
		}
		return nil
	}
	if f := found("smoke-grain", "1", "1"); f != nil {
		t.Errorf("16 points in a voxel: %s", f.What)
	}
	if f := found("smoke-grain", "2", "1"); f == nil || f.Mend == nil || f.Mend.Value.Num != 32 {
		t.Errorf("2 points in a voxel: %+v", f)
	}
	if f := found("upres", "1", "2"); f != nil {
		t.Errorf("upres of smoke on the run's voxels: %s", f.What)
	}
	if f := found("upres", "2", "2"); f == nil || f.Severity != Fault {
		t.Errorf("upres of fine smoke: %+v", f)
	}
}

// A hole is named by its place and its width, however small it is.
func TestHolesAreNamed(t *testing.T) {
	s, _, _ := base()
	c := s.Add(shot.Collider)
	bring(s, c)
	c.Set(val.Position.Name(), shot.Vec(0, 1, 0))
	for _, f := range Shot(s, big) {
		if f.ID == "mesh-open" {
			if !strings.Contains(f.What, "a hole ") || !strings.Contains(f.What, " m across at (") {
				t.Errorf("%s", f.What)
			}
			return
		}
	}
	t.Error("the open box isn't told")
}

// inSea puts a sea round a domain, through its middle.
func inSea(s *shot.Shot, d *shot.Element) *shot.Element {
	e := s.Add(shot.Sea)
	val.SeaLevel.Set(e, d.DomainBox().Centre().Y)
	return e
}
