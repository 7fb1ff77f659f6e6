package check

import (
	"bytes"
	"strings"
	"testing"

	"zarf/core/asset"
	load "zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/gas"
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
			x.Values["from"], x.ActsOn = text("fluid"), []string{other.ID}
		},
		"sequence-empty": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Sequence) },
		"feed-ring": func(s *shot.Shot, d, e *shot.Element) {
			x := s.Add(shot.Emitter)
			x.Values["from"], x.Values["fed_by"] = text("fluid"), text(d.ID)
		},
		"feed-channel": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{d.ID}
			x := s.Add(shot.Emitter)
			x.Values["from"], x.Values["fed_by"], x.Values["fed_where"], x.ActsOn = text("fluid"), text(d.ID), text("burn"), []string{other.ID}
		},
		"feed-still": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{d.ID}
			d.Values["cache_velocity"] = shot.On(false)
			x := s.Add(shot.Emitter)
			x.Values["from"], x.Values["fed_by"], x.ActsOn = text("fluid"), text(d.ID), []string{other.ID}
		},
		"no-emitter": func(s *shot.Shot, d, e *shot.Element) { e.Muted = true },
		"memory":     func(s *shot.Shot, d, e *shot.Element) { d.Values["voxel"] = n(0.001) },
		"acts-on-nothing": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{other.ID}
			other.Muted = true
		},
		"fuel-unused": func(s *shot.Shot, d, e *shot.Element) { e.Values["fuel"] = n(0.05); e.Values["temperature"] = n(900) },
		"fuel-missing": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["burning"], e.Values["temperature"] = text("fuel"), n(900)
		},
		"fuel-cold": func(s *shot.Shot, d, e *shot.Element) { d.Values["burning"], e.Values["fuel"] = text("fuel"), n(0.05) },
		"fire-hot": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["burning"], e.Values["fuel"], e.Values["temperature"] = text("fuel"), n(2), n(900)
		},
		"fire-closed": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["burning"], e.Values["fuel"], e.Values["temperature"] = text("fuel"), n(0.05), n(900)
			for _, k := range sides {
				d.Values[k] = text("wall")
			}
		},
		"fire-unseen": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["burning"], e.Values["fuel"], e.Values["temperature"], d.Values["cache_fire"] = text("fuel"), n(0.05), n(900), shot.On(false)
		},
		"upres": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["upres"], d.Values["cache_velocity"] = text("2"), shot.On(false)
		},
		"region-outside": func(s *shot.Shot, d, e *shot.Element) {
			w := s.Add(shot.Wind)
			w.Values["region"], w.Values["position"] = text("box"), v(40, 1, 0)
		},
		"emitter-outside": func(s *shot.Shot, d, e *shot.Element) { e.Values["position"] = v(5, 1, 0) },
		"emitter-inside-collider": func(s *shot.Shot, d, e *shot.Element) {
			c := s.Add(shot.Collider)
			c.Values["position"], c.Values["size"] = e.Get("position"), v(0.8, 0.8, 0.8)
		},
		"emitter-empty": func(s *shot.Shot, d, e *shot.Element) {
			e.Values["smoke"], e.Values["temperature"] = n(0), s.Get("air_temperature")
		},
		"emitter-small": func(s *shot.Shot, d, e *shot.Element) { e.Values["size"] = v(0.06, 0.3, 0.3) },
		"emitter-times": func(s *shot.Shot, d, e *shot.Element) { e.Values["begin"] = n(500) },
		"collider-thin": func(s *shot.Shot, d, e *shot.Element) {
			c := s.Add(shot.Collider)
			c.Values["size"], c.Values["position"] = v(1, 0.02, 1), v(0, 1.2, 0)
		},
		"collider-fast": func(s *shot.Shot, d, e *shot.Element) {
			c := s.Add(shot.Collider)
			c.SetKey("position", shot.Key{Frame: 1, Value: v(-0.5, 1.5, 0)})
			c.SetKey("position", shot.Key{Frame: 2, Value: v(0.5, 1.5, 0)})
		},
		"closed-inflow": func(s *shot.Shot, d, e *shot.Element) {
			for _, k := range sides {
				d.Values[k] = text("wall")
			}
			e.Values["speed"] = n(1)
		},
		"inflow-fast": func(s *shot.Shot, d, e *shot.Element) { e.Values["speed"] = n(100) },
		"open-floor": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["side_y0"], d.Values["smoke_weight"] = text("outflow"), n(1)
		},
		"turbulence-small": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Turbulence).Values["size"] = n(0.1) },
		"file-missing": func(s *shot.Shot, d, e *shot.Element) {
			e.Values["form"], e.Values["mesh"] = text("mesh"), text(strings.Repeat("ab", 16)+"/gone.glb")
		},
		"share-empty": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Values["share"], e.Values["share_names"] = text("parts"), shot.NameList("no such part")
		},
		"mesh-open": func(s *shot.Shot, d, e *shot.Element) { bring(s, e) },
		"mesh-size": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Values["size"], e.Values["from"] = v(400, 400, 400), text("surface")
		},
		"motion-late": func(s *shot.Shot, d, e *shot.Element) {
			bring(s, e)
			e.Values["motion_start"], e.Values["from"] = n(500), text("surface")
		},
		"guide-short": func(s *shot.Shot, d, e *shot.Element) {
			s.Add(shot.Guide).Values["points"] = shot.PointList([][3]float64{{1, 1, 1}, {1, 1, 1}})
		},
		"guide-far":  func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Guide).Values["position"] = v(30, 0, 0) },
		"guide-thin": func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Guide).Values["reach"] = n(0.05) },
		"pull-far":   func(s *shot.Shot, d, e *shot.Element) { s.Add(shot.Pull).Values["position"] = v(0, 20, 0) },
		"pull-thin": func(s *shot.Shot, d, e *shot.Element) {
			p := s.Add(shot.Pull)
			p.Values["form"], p.Values["size"], p.Values["position"] = text("box"), v(0.5, 0.5, 0.04), v(0, 1, 0)
		},
		"force-idle": func(s *shot.Shot, d, e *shot.Element) {
			s.Add(shot.Vortex).Values["strength"] = n(0)
			s.Elements[len(s.Elements)-1].Values["draw"] = n(0)
		},
		"pour-still": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"], d.Values["side_y1"] = text("liquid"), text("wall")
			e.Values["speed"] = n(0)
		},
		"liquid-floor": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"], d.Values["side_y0"] = text("liquid"), text("outflow")
			e.Values["speed"] = n(1)
		},
		"liquid-weightless": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"] = text("liquid")
			s.Self.Values["gravity"] = n(0)
		},
		"inflow-thick": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"], e.Values["speed"] = text("liquid"), n(60)
		},
		"force-in-liquid": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"] = text("liquid")
			s.Add(shot.Wind)
		},
		"overflow": func(s *shot.Shot, d, e *shot.Element) {
			d.Values["fluid"], e.Values["speed"] = text("liquid"), n(4)
			for _, k := range sides {
				d.Values[k] = text("wall")
			}
			e.Values["form"], e.Values["size"], e.Values["along"] = text("box"), v(1, 0.3, 1), text("axis")
		},
		"camera-blind": func(s *shot.Shot, d, e *shot.Element) {
			s.Element("camera").Values["target"] = s.Element("camera").Get("position")
		},
	}
	for _, c := range table {
		breakIt := cases[c.id]
		if breakIt == nil {
			t.Errorf("%s has no test", c.id)
			continue
		}
		s, d, e := base()
		breakIt(s, d, e)
		var found *Finding
		all := Shot(s, big)
		for i := range all {
			if all[i].ID == c.id {
				found = &all[i]
			}
		}
		if found == nil {
			t.Errorf("%s was not found among %q", c.id, ids(all))
			continue
		}
		if found.What == "" || found.Why == "" {
			t.Errorf("%s doesn't say what and why", c.id)
		}
		if m := found.Mend; m != nil && m.Key != "" && m.Key != "muted" {
			el := s.Element(m.Element)
			if err := shot.Find(el.Kind, m.Key).Check(m.Value); err != nil {
				t.Errorf("%s offers a value that is refused: %v", c.id, err)
			}
			el.Values[m.Key] = m.Value
			for _, f := range Shot(s, big) {
				if f.ID == c.id {
					t.Errorf("%s is still there after its mend: %s", c.id, f.What)
				}
			}
		}
	}
}

func TestMemoryNamesTheVoxelThatFits(t *testing.T) {
	s, d, _ := base()
	d.Values["voxel"] = shot.Num(0.002)
	f := Faults(Shot(s, Machine{Memory: 2e9}))
	if len(f) != 1 || !strings.Contains(f[0].Why, "smallest voxel that fits is 0.0") {
		t.Fatalf("%+v", f)
	}
}

// After a run: what was cut off, held back, capped or empty.
func TestAfterARun(t *testing.T) {
	sh, d, _ := base()
	plate := sh.Add(shot.Collider)
	plate.Values["size"] = shot.Vec(1, 0.02, 1)
	st := func(change func(*gas.FrameStats)) map[int]gas.FrameStats {
		out := map[int]gas.FrameStats{}
		for f := 1; f <= 4; f++ {
			s := gas.FrameStats{SmokeTotal: 1, VolumeMade: 0.1, Substeps: 2}
			if f >= 3 {
				change(&s)
			}
			out[f] = s
		}
		return out
	}
	if f := After(sh, d, st(func(*gas.FrameStats) {})); len(f) > 0 {
		t.Errorf("a good run: %+v", f)
	}
	for want, change := range map[string]func(*gas.FrameStats){
		"cut":      func(s *gas.FrameStats) { s.Cut[3], s.AtLimit[3] = 0.2, true },
		"limit":    func(s *gas.FrameStats) { s.AtLimit[1] = true },
		"substeps": func(s *gas.FrameStats) { s.Capped = true },
		"held":     func(s *gas.FrameStats) { s.VolumeHeld = 0.05 },
		"trimmed":  func(s *gas.FrameStats) { s.Lost = 0.02 },
		"leak":     func(s *gas.FrameStats) { s.Leaks = map[string]float64{plate.ID: 0.6} },
		"pressure": func(s *gas.FrameStats) { s.Unconverged = 1 },
	} {
		got := After(sh, d, st(change))
		if ids(got) != want {
			t.Errorf("want %s, got %+v", want, got)
			continue
		}
		if want == "cut" && (!strings.Contains(got[0].What, "top") || !strings.Contains(got[0].Why, "frame 3")) {
			t.Errorf("%+v", got[0])
		}
	}
	tight := st(func(s *gas.FrameStats) { s.Leaks = map[string]float64{plate.ID: 0.02} })
	if got := After(sh, d, tight); len(got) > 0 {
		t.Errorf("a tight plate: %+v", got)
	}
	for want, change := range map[string]func(e *shot.Element){
		"is muted":     func(e *shot.Element) { e.Muted = true },
		"neither":      func(e *shot.Element) { e.Values["smoke"] = shot.Num(0) },
		"emits on":     func(e *shot.Element) { e.Values["begin"] = shot.Num(900) },
		"lies outside": func(e *shot.Element) { e.Values["position"] = shot.Vec(50, 0, 0) },
	} {
		s2, _, e := base()
		change(e)
		said := ""
		for _, f := range WhyEmpty(s2) {
			said += f.What + " "
		}
		if !strings.Contains(said, want) {
			t.Errorf("of an empty take it says %q, not that it %s", said, want)
		}
	}
	if got := After(sh, d, map[int]gas.FrameStats{1: {}}); ids(got) != "empty" {
		t.Errorf("%+v", got)
	}
}

// bring gives an element an open mesh that moves.
func bring(s *shot.Shot, e *shot.Element) {
	m := model.FromMesh(geom.BoxMesh(geom.V(0.3, 0.3, 0.3)))
	m.Meshes[0].Tri = m.Meshes[0].Tri[:10]
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
	e.Values["form"], e.Values["mesh"] = shot.Text("mesh"), shot.Text(ref)
}

// A mesh that its file moves counts as a moving collider.
func TestAnimatedMeshesCanBeTooFast(t *testing.T) {
	s, d, _ := base()
	c := s.Add(shot.Collider)
	bring(s, c)
	c.Values["position"] = shot.Vec(0, 1, 0)
	d.Values["max_substeps"] = shot.Num(1)
	if strings.Contains(ids(Shot(s, big)), "collider-fast") {
		t.Error("a slow mesh is called fast")
	}
	c.Values["size"] = shot.Vec(3, 3, 3) // ten times as large, it moves ten times as far
	if !strings.Contains(ids(Shot(s, big)), "collider-fast") {
		t.Error("a mesh of 2 m/s in voxels of 5 cm wasn't found")
	}
}
