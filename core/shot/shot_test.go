package shot_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"zarf/core/anim"
	. "zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
)

func sample() *Shot {
	s := New("T010")
	d := s.Add(Domain)
	d.Set(val.Voxel.Name(), Num(0.1))
	e := s.Add(Emitter)
	e.Set(val.Smoke.Name(), Num(2))
	e.ActsOn = []string{d.ID}
	e.SetKey(val.Smoke, Key{Frame: 10, Value: Num(4)})
	e.SetKey(val.Smoke, Key{Frame: 1, Value: Num(0)})
	e.SetKey(val.Position, Key{Frame: 1, Value: Vec(1, 2, 3)})
	s.Looks[0].Set(val.Phase.Name(), Num(0.5))
	s.Handover.Set("digits", Num(6))
	return s
}

func TestCatalogueIsSound(t *testing.T) {
	seen := map[string]bool{}
	for _, e := range All() {
		id := string(e.Kind) + "." + e.Key
		if seen[id] {
			t.Errorf("%s is declared twice", id)
		}
		seen[id] = true
		if err := e.Check(e.Default); err != nil {
			t.Errorf("%s: its default is refused: %v", id, err)
		}
		if len(e.Help) < 10 || e.Label == "" {
			t.Errorf("%s has no help", id)
		}
		if e.Type == Number && e.Max <= e.Min {
			t.Errorf("%s: range %g to %g", id, e.Min, e.Max)
		}
		if _, ok := Spellings[e.Unit]; !ok {
			t.Errorf("%s: nobody can type its unit %q", id, e.Unit)
		}
		for cond := range strings.SplitSeq(e.When+"&"+e.Counts, "&") {
			for alt := range strings.SplitSeq(cond, "|") {
				key, word, asks := strings.Cut(alt, "=")
				switch x := Find(e.Kind, key); {
				case !asks:
				case key == "in":
					if !slices.Contains([]string{"gas", "fire", "liquid", "particles", "cloth", "warmth", "mixture"}, word) {
						t.Errorf("%s counts in %q, which nothing is made of", id, word)
					}
				case x == nil:
					t.Errorf("%s is shown when %q, which is no value", id, cond)
				case strings.HasPrefix(word, "@"):
					if word != "@attributes" && word != "@film" {
						t.Errorf("%s is shown when %q, which no file format can", id, cond)
					}
				case x.Type == Choice && x.Check(Text(word)) != nil:
					t.Errorf("%s is shown when %q, which can't be chosen", id, cond)
				}
			}
		}
		var v Value
		for _, bad := range []float64{math.NaN(), math.Inf(1), math.Inf(-1)} {
			v.Num, v.Vec = bad, [3]float64{bad, 0, 0}
			switch e.Type {
			case Points, Profile, Ramp, Curve:
				v.Text = fmt.Sprint(bad, bad, bad)
			case Flag, Names, Weights:
				continue
			case File, Ref, Frozen, Picture, Word, Listed, Drives:
				v.Text = "../etc/passwd"
			}
			if e.Check(v) == nil {
				t.Errorf("%s takes %v", id, bad)
			}
		}
	}
}

func TestFileRoundTrip(t *testing.T) {
	s := sample()
	b := s.Encode()
	c, unknown, err := Decode(b)
	if err != nil || len(unknown) > 0 {
		t.Fatal(err, unknown)
	}
	if string(c.Encode()) != string(b) {
		t.Errorf("the file changed on its way:\n%s\n%s", b, c.Encode())
	}
	e := c.Element("emitter1")
	if val.Smoke.Of(e) != 2 || len(e.Keys(val.Smoke)) != 2 || e.Keys(val.Smoke)[0].Frame != 1 {
		t.Errorf("%+v", e)
	}
	if strings.Contains(string(b), "breakup") {
		t.Error("defaults were written")
	}
}

func TestUnknownFieldsAreKeptAndReported(t *testing.T) {
	text := strings.Replace(string(sample().Encode()), `"smoke": 2`, `"smoke": 2, "glitter": {"a": [1, 2]}`, 1)
	text = strings.Replace(text, `"name": "T010"`, `"name": "T010", "later": "yes"`, 1)
	s, unknown, err := Decode([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Contains(unknown, "later") || !slices.Contains(unknown, "elements[2].values.glitter") {
		t.Errorf("reported %v", unknown)
	}
	out := string(s.Encode())
	if !strings.Contains(out, "glitter") || !strings.Contains(out, `"later": "yes"`) {
		t.Errorf("dropped:\n%s", out)
	}
	if again, _, err := Decode([]byte(out)); err != nil || string(again.Encode()) != out {
		t.Errorf("not stable: %v", err)
	}
}

func TestBrokenFilesNameLineAndField(t *testing.T) {
	good := string(sample().Encode())
	for _, c := range []struct{ from, to, field, what string }{
		{`"smoke": 2`, `"smoke": "much"`, "elements[2].values.smoke", "give a number"},
		{`"smoke": 2`, `"smoke": -3`, "elements[2].values.smoke", "can be 0"},
		{`"smoke": 2`, `"smoke": 1e999`, "elements[2].values.smoke", "give a number"},
		{`"kind": "emitter"`, `"kind": "teapot"`, "elements[2].kind", "teapot"},
		{`"id": "emitter1"`, `"id": "domain1"`, "elements[2].id", "used twice"},
		{`"domain1"` + "\n      ]", `"nowhere"` + "\n      ]", "elements[2].acts_on", "nowhere"},
		{`"format": "zarf-shot/1"`, `"format": "zarf-shot/9"`, "format", "zarf-shot/1"},
		{`"name": "T010"`, `"name": "../etc"`, "name", "file names"},
		{`"looks": [`, `"looks": 7, "x": [`, "looks", "give a list"},
	} {
		text := strings.Replace(good, c.from, c.to, 1)
		if text == good {
			t.Fatalf("%q is not in the file", c.from)
		}
		_, _, err := Decode([]byte(text))
		var fe *FileError
		if !errors.As(err, &fe) {
			t.Errorf("%s: %v", c.to, err)
			continue
		}
		if c.field != "" && (fe.Field != c.field || fe.Line < 2) {
			t.Errorf("%s: named line %d, field %q", c.to, fe.Line, fe.Field)
		}
		if !strings.Contains(err.Error(), c.what) {
			t.Errorf("%s: %v", c.to, err)
		}
	}
	for _, text := range []string{"", "{", "[]", "null", "7", `{"format":"zarf-shot/1","name":"a"} x`, strings.Repeat("[", 100), good[:len(good)/2]} {
		if _, _, err := Decode([]byte(text)); err == nil {
			t.Errorf("%.20q was taken", text)
		}
	}
	if _, _, err := Decode([]byte("{\n\n  \"format\": oops\n}")); err == nil || !strings.Contains(err.Error(), "line 3") {
		t.Errorf("syntax: %v", err)
	}
}

func FuzzShotFile(f *testing.F) {
	f.Add(sample().Encode())
	f.Add([]byte(`{"format":"zarf-shot/1","name":"a","elements":[{"id":"x","kind":"emitter","keys":{"smoke":[{"frame":1,"value":2}]}}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		s, _, err := Decode(b)
		if err != nil {
			return
		}
		out := s.Encode()
		again, _, err := Decode(out)
		if err != nil {
			t.Fatalf("what was written can't be read: %v\n%s", err, out)
		}
		if !json.Valid(out) || string(again.Encode()) != string(out) {
			t.Fatalf("not stable:\n%s", out)
		}
	})
}

func TestTypedNumbers(t *testing.T) {
	for _, c := range []struct {
		unit  Unit
		text  string
		shown string
		want  float64
	}{
		{Metre, "35 cm", "m", 0.35}, {Metre, "35", "cm", 0.35}, {Metre, "1.5e-2m", "cm", 0.015}, {Metre, "0,5", "m", 0.5}, {Metre, "12mm", "m", 0.012},
		{Second, "1/48 s", "s", 1.0 / 48}, {Kelvin, "20 °C", "K", 293.15}, {Speed, "36 km/h", "m/s", 10}, {FrameRate, "24000/1001", "fps", 24000.0 / 1001},
		{PerSecond, "2 1/s", "1/s", 2}, {Degree, "-90", "°", -90}, {Plain, "35 %", "", 0.35}, {Metre, "−2", "m", -2},
	} {
		got, err := c.unit.Parse(c.text, c.shown)
		if err != nil || math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%q in %s gives %v, %v; want %v", c.text, c.shown, got, err, c.want)
		}
	}
	for _, bad := range []string{"", "much", "3 furlongs", "1/0", "--2", "1e", "NaN m x"} {
		if v, err := Metre.Parse(bad, "m"); err == nil {
			t.Errorf("%q was taken as %v", bad, v)
		}
	}
}

func TestShownNumbersReadBack(t *testing.T) {
	for _, v := range []float64{0, 0.06, 1.0 / 3, 12345.678, 1e-5, -0.25, 7e6} {
		for _, shown := range []string{"m", "cm", "mm"} {
			got, err := Metre.Parse(Metre.Format(v, shown), shown)
			if err != nil || math.Abs(got-v) > 1e-6*max(1, math.Abs(v)) {
				t.Errorf("%v shown in %s reads back as %v, %v", v, shown, got, err)
			}
		}
	}
}

func TestKeys(t *testing.T) {
	e := sample().Element("emitter1")
	for f, want := range map[float64]float64{-5: 0, 1: 0, 5.5: 2, 10: 4, 99: 4} {
		if got := val.Smoke.At(e, val.Frame(f)); math.Abs(got-want) > 1e-12 {
			t.Errorf("frame %g: %g, want %g", f, got, want)
		}
	}
	e.SetKey(val.Smoke, Key{Frame: 10, Value: Num(6)})
	if len(e.Keys(val.Smoke)) != 2 || val.Smoke.At(e, val.Frame(10)) != 6 {
		t.Error("a key at the same frame was not replaced")
	}
	e.SetKey(val.Smoke, Key{Frame: 1, Value: Num(0), Way: anim.Hold})
	if val.Smoke.At(e, val.Frame(9.9)) != 0 {
		t.Error("a held key runs on")
	}
	if err := e.PutKeyValue(val.Smoke, 1, Num(0.5)); err != nil || e.Keys(val.Smoke)[0].Way != anim.Hold || e.Keys(val.Smoke)[0].Value.Num != 0.5 {
		t.Errorf("a value on a key changed how it runs on: %+v, %v", e.Keys(val.Smoke)[0], err)
	}
	for _, f := range []float64{math.NaN(), math.Inf(1), 1e8} {
		if err := e.PutKeyValue(val.Smoke, f, Num(1)); err == nil {
			t.Errorf("a key at frame %g was taken", f)
		}
	}
	e.DropKey(val.Smoke, 1)
	e.DropKey(val.Smoke, 10)
	if e.Keyed(val.Smoke) || val.Smoke.At(e, val.Frame(5)) != 6 {
		t.Error("the last key to go should leave its value")
	}
}

func TestNames(t *testing.T) {
	for _, ok := range []string{"BL010", "Bö 2", "a.b-c_d"} {
		if err := CheckName(ok); err != nil {
			t.Error(err)
		}
	}
	for _, bad := range []string{"", "  ", "../x", "a/b", "a\x00b", ".hidden", strings.Repeat("x", 100), "<b>"} {
		if CheckName(bad) == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

func TestGridRoundsUp(t *testing.T) {
	s := sample()
	d := s.Element("domain1")
	d.Set("size", Vec(1, 2.05, 0.01))
	d.Set("position", Vec(0, 1.025, 0))
	d.Set("voxel", Num(0.1))
	g, h, o := d.Grid()
	if g.NX != 10 || g.NY != 21 || g.NZ != 1 || h != 0.1 || math.Abs(o.Y) > 1e-12 || math.Abs(o.X+0.5) > 1e-12 {
		t.Errorf("%v %v %v", g, h, o)
	}
}

func TestRate(t *testing.T) {
	s := New("a")
	s.Self.Set(val.Rate.Name(), Num(23.976))
	if r := s.Rate(); r != 24000.0/1001 {
		t.Errorf("23.976 is taken as %v", r)
	}
}

func TestSentences(t *testing.T) {
	s := sample()
	e := s.Element("emitter1")
	e.Set("speed", Num(0.6))
	e.Set("breakup", Num(0.3))
	text := s.Sentence(e)
	for _, want := range []string{"smoke 2", "37 K warmer", "0.6 m/s", "breakup 0.12 m", "keyed over frames 1–10", "in Air only"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q lacks %q", text, want)
		}
	}
	s.Self.Set(val.Units.Name(), Text("cm"))
	if text := s.Sentence(e); !strings.Contains(text, "12 cm") {
		t.Errorf("in centimetres: %q", text)
	}
	for _, k := range ElementKinds() {
		if s.Sentence(s.Add(k)) == "" {
			t.Errorf("a %s has no sentence", k)
		}
	}
}

func TestDiff(t *testing.T) {
	a := sample()
	b := a.Clone()
	if d := Diff(a, b); len(d) != 0 {
		t.Errorf("equal shots differ: %v", d)
	}
	b.Element("emitter1").Set(val.Temperature.Name(), Num(400))
	b.Element("emitter1").SetKey(val.Smoke, Key{Frame: 20, Value: Num(1)})
	b.Remove("camera")
	b.Add(Wind)
	d := Diff(a, b)
	if len(d) != 4 {
		t.Errorf("%v", d)
	}
}

func TestDuplicateAndRemove(t *testing.T) {
	s := sample()
	c := s.Duplicate(s.Element("emitter1"))
	if c.ID == "emitter1" || val.Smoke.Of(c) != 2 || len(c.Keys(val.Smoke)) != 2 {
		t.Errorf("%+v", c)
	}
	c.SetKey(val.Smoke, Key{Frame: 3, Value: Num(9)})
	if len(s.Element("emitter1").Keys(val.Smoke)) != 2 {
		t.Error("the copy shares the original's keys")
	}
	s.Remove("domain1")
	if len(c.ActsOn) != 0 {
		t.Error("a scope still names a domain that is gone")
	}
}

func TestEveryNumberHasKeysOrSaysWhyNot(t *testing.T) {
	for _, e := range All() {
		number := e.Type == Number || e.Type == Integer || e.Type.Triple()
		switch {
		case number && e.Keyable == (e.Fixed != ""):
			t.Errorf("%s.%s: keyable %v, and stays because %q", e.Kind, e.Key, e.Keyable, e.Fixed)
		case !number && (e.Keyable || e.Fixed != ""):
			t.Errorf("%s.%s is no number and can't have keys", e.Kind, e.Key)
		}
	}
}

func TestKeysOfShotAndLooks(t *testing.T) {
	s := New("a")
	l := s.Looks[0]
	s.Self.SetKey(val.Gravity, Key{Frame: 1, Value: Num(9.81)})
	s.Self.SetKey(val.Gravity, Key{Frame: 11, Value: Num(0), Way: anim.Ramp})
	l.SetKey(val.SkyColour, Key{Frame: 1, Value: Vec(0, 0, 0), Way: anim.Ramp})
	l.SetKey(val.SkyColour, Key{Frame: 5, Value: Vec(1, 0.5, 0)})
	l.SetKey(val.Bounces, Key{Frame: 1, Value: Num(2), Way: anim.Ramp})
	l.SetKey(val.Bounces, Key{Frame: 4, Value: Num(3)})
	l.SetExtra(val.SkyColour, Extra{After: anim.Repeat})
	c, unknown, err := Decode(s.Encode())
	if err != nil || len(unknown) > 0 {
		t.Fatal(err, unknown)
	}
	if !slices.Equal(c.Encode(), s.Encode()) {
		t.Error("keys of the shot or a look are lost in the file")
	}
	m := c.Looks[0]
	if v := val.SkyColour.At(m, val.Frame(3)); v != [3]float64{0.5, 0.25, 0} {
		t.Errorf("half way the sky is %v", v)
	}
	if v := val.Bounces.At(m, val.Frame(2)); v != 2 {
		t.Errorf("a whole number between 2 and 3 is %g", v)
	}
	for address, want := range map[string]*Element{"shot:": c.Self, "look:look": m, "look:": nil, "look:other": nil, "camera": c.Element("camera"), "other": nil} {
		if got := c.Owner(address); got != want || (got != nil && got.Address() != address) {
			t.Errorf("%q finds %v", address, got)
		}
	}
	d := DiffAll(New("a"), c)
	if len(d) != 3 || d[0].Where != "shot" || d[0].Label != "Gravity over time" || d[0].Is != "2 keys" {
		t.Errorf("%v", d)
	}
	if n := m.Copy("b"); n.Name != "b" || len(n.Keys(val.SkyColour)) != 2 {
		t.Errorf("a copied look is %+v", n)
	}
}

// Where no word is wanted a sheet says so, in place of nothing.
func TestNoWordIsShownAsNone(t *testing.T) {
	for _, x := range []*Entry{Find(Look, val.MoteBy.Name()), Find(Handover, val.PointChosen.Name())} {
		if got := x.Show(x.Default, "m"); got != "none" {
			t.Errorf("%s is shown as %q", x.Label, got)
		}
		if got := x.Show(Text("size"), "m"); got != "size" {
			t.Errorf("%s is shown as %q", x.Label, got)
		}
	}
}

// Every kind can be drawn, said in words, placed and copied as it is when it is new, in every form.
func TestEveryKindIsDrawn(t *testing.T) {
	s := New("T")
	s.Add(Domain)
	for _, k := range ElementKinds() {
		e := s.Add(k)
		forms := []Option{{}}
		if x := Find(k, val.Form.Name()); x != nil {
			forms = x.Choices
		}
		for _, f := range forms {
			if f.Key != "" {
				e.Set(val.Form.Name(), Text(f.Key))
			}
			if d := s.Draw(e, s.Eval(1)); d.ID != e.ID {
				t.Errorf("%s is drawn as %q", e.ID, d.ID)
			}
			if s.Sentence(e) == "" {
				t.Errorf("%s as %q says nothing", e.ID, f.Key)
			}
		}
	}
}
