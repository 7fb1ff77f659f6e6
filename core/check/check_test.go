package check

import (
	"strings"
	"testing"

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
	for _, s := range demo.Shots() {
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
		"no-domain":  func(s *shot.Shot, d, e *shot.Element) { s.Remove(d.ID) },
		"no-emitter": func(s *shot.Shot, d, e *shot.Element) { e.Muted = true },
		"memory":     func(s *shot.Shot, d, e *shot.Element) { d.Values["voxel"] = n(0.001) },
		"acts-on-nothing": func(s *shot.Shot, d, e *shot.Element) {
			other := s.Add(shot.Domain)
			e.ActsOn = []string{other.ID}
			other.Muted = true
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
