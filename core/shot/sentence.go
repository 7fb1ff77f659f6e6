package shot

import (
	"fmt"
	"math"
	"strings"

	"zarf/core/asset"
	"zarf/core/geom"
)

// Sentence says in words what an element does, from its values; lengths in
// the shot's unit.
func (s *Shot) Sentence(e *Element) string {
	length := s.Get("units").Text
	m := func(v float64) string { return Metre.Format(v, length) + " " + length }
	switch e.Kind {
	case Domain:
		d, h, _ := e.Grid()
		size := e.Get("size").Vec
		var open, wall []string
		for _, x := range [][2]string{{"side_x0", "−x"}, {"side_x1", "+x"}, {"side_y0", "floor"}, {"side_y1", "top"}, {"side_z0", "−z"}, {"side_z1", "+z"}} {
			if e.Get(x[0]).Text == "wall" {
				wall = append(wall, x[1])
			} else {
				open = append(open, x[1])
			}
		}
		what := "gas"
		if e.Liquid() {
			what = "liquid"
		}
		sides := "lets " + what + " out at " + list(open)
		switch {
		case len(wall) == 6:
			sides = "is closed on all sides"
		case len(wall) == 0:
			sides = "is open on all sides"
		case len(wall) < len(open):
			sides = "has walls at " + list(wall) + " only"
		}
		verb := "holds " + what + " in"
		if e.Follows() {
			verb = "follows gas within"
		}
		if e.Burns() {
			sides += fmt.Sprintf("; fuel burns from %s K", Short(e.Get("ignition").Num))
		}
		if v := e.Get("viscosity").Num; e.Liquid() && v > 0.01 {
			sides += fmt.Sprintf("; viscosity %s Pa·s", Short(v))
		}
		if u := e.Get("upres").Text; u != "1" && !e.Liquid() {
			sides += "; upres " + u + " ×"
		}
		return fmt.Sprintf("%s %s × %s × %s at %s voxels (%d × %d × %d) and %s.",
			verb, Metre.Format(size[0], length), Metre.Format(size[1], length), m(size[2]), m(h), d.NX, d.NY, d.NZ, sides)
	case Emitter:
		return s.emitterSentence(e, m)
	case Collider:
		t := "stops " + s.fluidWord() + " with a " + e.sizeWords(m)
		if e.Get("invert").Flag {
			t = "keeps " + s.fluidWord() + " within a " + e.sizeWords(m)
		}
		if e.Moving() {
			t += ", moving"
		}
		if f := e.Get("friction").Num; f > 0 {
			t += fmt.Sprintf(", friction %s", Short(f))
		}
		return t + s.scopeWords(e) + "."
	case Wind:
		v := e.Get("velocity").Vec
		t := fmt.Sprintf("draws the air %s at %s m/s", direction(v), Short(math.Round(math.Hypot(math.Hypot(v[0], v[1]), v[2])*100)/100))
		if g := e.Get("gust").Num; g > 0 {
			t += fmt.Sprintf(", with gusts of %s %% every %s s", Short(g*100), Short(e.Get("gust_time").Num))
		}
		return t + s.keyed(e, "velocity") + s.regionWords(e, m) + s.scopeWords(e) + "."
	case Turbulence:
		return fmt.Sprintf("stirs the air at %s m/s² in whirls of up to %s%s%s%s.", Short(e.Get("strength").Num), m(e.Get("size").Num), s.keyed(e, "strength"), s.regionWords(e, m), s.scopeWords(e))
	case Vortex:
		t := fmt.Sprintf("turns the air about its axis at %s m/s², hardest %s out", Short(e.Get("strength").Num), m(e.Get("radius").Num))
		if v := e.Get("draw").Num; v > 0 {
			t += fmt.Sprintf(", drawing in at %s m/s²", Short(v))
		}
		return t + s.keyed(e, "strength") + s.regionWords(e, m) + s.scopeWords(e) + "."
	case Radial:
		verb, v := "pushes the air away", e.Get("strength").Num
		if v < 0 {
			verb, v = "draws the air in", -v
		}
		return fmt.Sprintf("%s at %s m/s² within %s%s%s%s.", verb, Short(v), m(e.Get("radius").Num), s.keyed(e, "strength"), s.regionWords(e, m), s.scopeWords(e))
	case Drag:
		return fmt.Sprintf("slows the air by %s a second%s%s%s.", Short(e.Get("rate").Num), s.keyed(e, "rate"), s.regionWords(e, m), s.scopeWords(e))
	case Guide:
		t := fmt.Sprintf("leads the air along a curve of %d points at %s m/s, within %s", len(e.Get("points").Places()), Short(e.Get("pace").Num), m(e.Get("reach").Num))
		if v := e.Get("swirl").Num; v != 0 {
			t += fmt.Sprintf(", swirling at %s m/s", Short(v))
		}
		return t + s.keyed(e, "pace") + s.scopeWords(e) + "."
	case Pull:
		return fmt.Sprintf("gathers smoke into a %s at %s m/s from up to %s away%s%s.", e.sizeWords(m), Short(e.Get("gather").Num), m(e.Get("reach").Num), s.keyed(e, "gather"), s.scopeWords(e))
	case Sequence:
		if e.Get("frames").Text == "" {
			return "holds no frames yet."
		}
		return fmt.Sprintf("plays %s from frame %s on.", asset.Name(e.Get("frames").Text), Short(e.Get("start").Num))
	case Mesh:
		return "is a " + e.sizeWords(m) + " that touches nothing."
	case Lamp:
		form := "panel"
		if e.Get("form").Text == "ball" {
			form = "ball"
		}
		return fmt.Sprintf("shines with %s from a %s %s wide%s.", Short(e.Get("strength").Num), form, m(e.Get("wide").Num), s.keyed(e, "strength"))
	case Camera:
		p, q := e.Get("position").Vec, e.Get("target").Vec
		d := math.Sqrt((p[0]-q[0])*(p[0]-q[0]) + (p[1]-q[1])*(p[1]-q[1]) + (p[2]-q[2])*(p[2]-q[2]))
		return fmt.Sprintf("looks from %s away through %s mm%s.", m(math.Round(d*100)/100), Short(e.Get("lens").Num), s.keyed(e, "position"))
	}
	return ""
}

func (s *Shot) emitterSentence(e *Element, m func(float64) string) string {
	if s.OnlyLiquid(e) {
		return s.pourSentence(e, m)
	}
	var what []string
	if e.Get("smoke").Num > 0 || len(e.Keys["smoke"]) > 0 {
		what = append(what, "smoke "+Short(e.Get("smoke").Num))
	}
	if e.Get("fuel").Num > 0 || len(e.Keys["fuel"]) > 0 {
		what = append(what, "fuel "+Short(e.Get("fuel").Num)+" kg/m³")
	}
	dt := e.Get("temperature").Num - s.Get("air_temperature").Num
	switch {
	case dt > 0:
		what = append(what, "gas "+Short(dt)+" K warmer than the air")
	case dt < 0:
		what = append(what, "gas "+Short(-dt)+" K colder than the air")
	}
	if len(what) == 0 {
		what = append(what, "air")
	}
	verb := "lets out"
	if e.Get("mode").Text == "add" {
		verb = "adds"
	}
	t := verb + " " + list(what)
	if v := e.Get("speed").Num; v != 0 {
		t += fmt.Sprintf(" at %s m/s", Short(v))
		if e.Get("along").Text == "axis" {
			t += " along its axis"
		}
	}
	if e.Get("from").Text == "surface" {
		t += " from the surface of a " + e.sizeWords(m)
	} else if d := s.Source(e); e.Get("from").Text == "fluid" {
		where := map[string]string{"density": "the smoke", "burn": "the flame", "temperature": "the heat"}[e.Get("fed_where").Text]
		if d == nil {
			t += " where another domain has " + where + ", which none does yet"
		} else {
			t += " where " + d.Name + " has " + where
		}
	} else {
		t += " from a " + e.sizeWords(m)
	}
	a, b := e.Get("begin").Num, e.Get("end").Num
	switch {
	case a > -100000 && b < 1000000:
		t += fmt.Sprintf(", frames %d–%d", int(a), int(b))
	case a > -100000:
		t += fmt.Sprintf(", from frame %d", int(a))
	case b < 1000000:
		t += fmt.Sprintf(", to frame %d", int(b))
	}
	if p := e.Get("pulse").Num; p > 0 {
		t += fmt.Sprintf(", in puffs every %s s", Short(p))
	}
	if k := e.Get("breakup").Num; k > 0 {
		t += ", with breakup " + m(e.Get("breakup_size").Num)
	}
	return t + s.keyed(e, "smoke") + s.scopeWords(e) + "."
}

func (e *Element) sizeWords(m func(float64) string) string {
	v := e.Get("size").Vec
	form := e.Get("form").Text
	if form == string(geom.Imported) {
		form = "mesh"
		if ref := e.Get("mesh").Text; ref != "" {
			form += " " + asset.Name(ref)
		}
		switch e.Get("share").Text {
		case "parts", "joints":
			form += " (" + list(e.Get("share_names").List()) + ")"
		case "colour":
			form += " (its bright colours)"
		case "painted":
			form += " (painted)"
		}
		return fmt.Sprintf("%s, %s wide", form, m(v[0]))
	}
	switch {
	case v[0] == v[1] && v[1] == v[2]:
		return fmt.Sprintf("%s of %s", form, m(v[0]))
	case form == "cylinder" || form == "tube":
		return fmt.Sprintf("%s of %s by %s", form, m(v[0]), m(v[1]))
	}
	return fmt.Sprintf("%s of %s × %s × %s", form, strings.TrimSuffix(m(v[0]), unitOf(m(v[0]))), strings.TrimSuffix(m(v[1]), unitOf(m(v[1]))), m(v[2]))
}

// Moving reports an element whose place or form changes over the frames.
func (e *Element) Moving() bool {
	for _, k := range []string{"position", "turn", "size"} {
		if len(e.Keys[k]) > 0 {
			return true
		}
	}
	if e.FromFile() && e.Get("motion").Text != "still" && e.in != nil {
		m, err := e.in.files.Model(e.Get("mesh").Text)
		return err == nil && m.Moves()
	}
	return false
}

func unitOf(s string) string { return s[strings.LastIndex(s, " "):] }

func (s *Shot) keyed(e *Element, key string) string {
	k := e.Keys[key]
	if len(k) < 2 {
		return ""
	}
	return fmt.Sprintf(", keyed over frames %s–%s", Short(k[0].Frame), Short(k[len(k)-1].Frame))
}

// regionWords tells where a force acts, if not everywhere.
func (s *Shot) regionWords(e *Element, m func(float64) string) string {
	v := e.Get("region_size").Vec
	switch e.Get("region").Text {
	case "box":
		return fmt.Sprintf(" within %s × %s × %s", strings.TrimSuffix(m(v[0]), unitOf(m(v[0]))), strings.TrimSuffix(m(v[1]), unitOf(m(v[1]))), m(v[2]))
	case "sphere":
		return " within " + m(v[0])
	}
	return ""
}

// scopeWords names the domains where an element acts on some only.
func (s *Shot) scopeWords(e *Element) string {
	if len(e.ActsOn) == 0 {
		return ""
	}
	var names []string
	for _, id := range e.ActsOn {
		if d := s.Element(id); d != nil {
			names = append(names, d.Name)
		}
	}
	return " (in " + list(names) + " only)"
}

func list(s []string) string {
	switch len(s) {
	case 0:
		return "nothing"
	case 1:
		return s[0]
	}
	return strings.Join(s[:len(s)-1], ", ") + " and " + s[len(s)-1]
}

func direction(v [3]float64) string {
	names := [3][2]string{{"−x", "+x"}, {"down", "up"}, {"−z", "+z"}}
	best, at := 0.0, 0
	for a, x := range v {
		if math.Abs(x) > best {
			best, at = math.Abs(x), a
		}
	}
	if best == 0 {
		return "to rest"
	}
	side := 0
	if v[at] > 0 {
		side = 1
	}
	return "towards " + names[at][side]
}

// fluidWord is what a shot's domains hold.
func (s *Shot) fluidWord() string {
	wet, dry := false, false
	for _, d := range s.Of(Domain) {
		wet, dry = wet || d.Liquid(), dry || !d.Liquid()
	}
	switch {
	case wet && dry:
		return "fluid"
	case wet:
		return "liquid"
	}
	return "gas"
}

// OnlyLiquid reports an emitter that acts on liquids alone.
func (s *Shot) OnlyLiquid(e *Element) bool {
	wet := false
	for _, d := range s.Of(Domain) {
		if e.Acts(d) {
			if !d.Liquid() {
				return false
			}
			wet = true
		}
	}
	return wet
}

func (s *Shot) pourSentence(e *Element, m func(float64) string) string {
	t := map[string]string{"flow": "pours liquid", "full": "keeps full of liquid", "once": "fills once with liquid", "drain": "takes liquid away from"}[e.Get("pours").Text]
	switch e.Get("pours").Text {
	case "flow":
		t += fmt.Sprintf(" at %s m/s", Short(math.Abs(e.Get("speed").Num)))
		if e.Get("along").Text == "axis" {
			t += " along its axis"
		}
		t += " from a " + e.sizeWords(m)
	default:
		t += " a " + e.sizeWords(m)
	}
	return t + s.keyed(e, "speed") + s.scopeWords(e) + "."
}
