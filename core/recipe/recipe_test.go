package recipe

import (
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"zarf/core/check"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Every recipe gives a shot that can be run, at sizes from a candle to a
// quarry, and survives its file.
func TestRecipesAreSound(t *testing.T) {
	for _, r := range All {
		for _, size := range []float64{0.1, 1, 30} {
			s := shot.New("R")
			r.Put(s, geom.V(1, 0, 2), size, 5)
			if again, unknown, err := shot.Decode(s.Encode()); err != nil || len(unknown) > 0 || string(again.Encode()) != string(s.Encode()) {
				t.Errorf("%s at %g m doesn't survive its file: %v %v", r.Key, size, err, unknown)
			}
			for _, f := range check.Shot(s, check.Machine{Memory: 16e9}) {
				t.Errorf("%s at %g m: %s %s", r.Key, size, f.What, f.Why)
			}
			for _, e := range s.Elements {
				for key, v := range e.Given() {
					if err := shot.Find(e.Kind, key).Check(v); err != nil {
						t.Errorf("%s at %g m: %s: %v", r.Key, size, e.Name, err)
					}
				}
			}
			if v := s.Of(shot.Domain)[0].Voxels(); v > 3e6 || v < 3e4 {
				t.Errorf("%s at %g m has %g voxels", r.Key, size, v)
			}
		}
		if r.About == "" || r.Size <= 0 || len(r.Look) == 0 {
			t.Errorf("%s is not documented", r.Key)
		}
	}
}

// Froude: a fire nine times as large is three times as slow, with the same
// accelerations and temperatures, and as thick to the eye.
func TestScaling(t *testing.T) {
	r, err := Find("brazier")
	if err != nil {
		t.Fatal(err)
	}
	small, large := shot.New("A"), shot.New("B")
	r.Put(small, geom.Vec3{}, 1, 1)
	r.Put(large, geom.Vec3{}, 9, 1)
	at := func(s *shot.Shot, k shot.Kind, key string) float64 { return s.Of(k)[0].Get(key).Num }
	for _, c := range []struct {
		kind shot.Kind
		key  string
		want float64
	}{{shot.Domain, "voxel", 9}, {shot.Domain, "burn_rate", 1.0 / 3}, {shot.Domain, "radiation", 1.0 / 3}, {shot.Domain, "spread", 3}, {shot.Domain, "ignition", 1},
		{shot.Domain, "afterglow", 3}, {shot.Emitter, "speed", 3}, {shot.Emitter, "fuel", 1}, {shot.Turbulence, "strength", 1}, {shot.Turbulence, "size", 9}} {
		if got := at(large, c.kind, c.key) / at(small, c.kind, c.key); math.Abs(got/c.want-1) > 0.02 {
			t.Errorf("%s.%s grows %g times, want %g", c.kind, c.key, got, c.want)
		}
	}
	if got := val.Extinction.Of(large.Looks[0]) / val.Extinction.Of(small.Looks[0]); math.Abs(got*9-1) > 0.02 {
		t.Errorf("extinction grows %g times", got)
	}
}

func TestPutOnAThing(t *testing.T) {
	s := shot.New("T")
	c := s.Add(shot.Collider)
	val.Position.Set(c, 2, 1, 0)
	val.Size.Set(c, 0.8, 2, 0.6)
	r, _ := Find("brazier")
	at, size := r.On(s, c)
	if at.Dist(geom.V(2, 2, 0)) > 1e-9 || math.Abs(size-0.8) > 1e-9 {
		t.Errorf("on top at %v, %g m across", at, size)
	}
	out := r.Put(s, at, size, 10)
	again := r.Put(s, at, size, 10)
	if out[0].ID == again[0].ID || out[0].Name == again[0].Name {
		t.Error("a second recipe took the first one's names")
	}
	if e := again[1]; len(e.ActsOn) != 1 || e.ActsOn[0] != again[0].ID {
		t.Errorf("with two domains %s acts on %v", e.Name, e.ActsOn)
	}
	if _, err := Find("nothing"); err == nil {
		t.Error("an unknown recipe was found")
	}
}

// The page of recipes names each, with its size.
func TestRecipesAreOnTheirPage(t *testing.T) {
	page, err := os.ReadFile("../../docs/recipes.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range All {
		if line := "| **" + r.Name + "** `" + r.Key + "` | " + shot.Short(r.Size) + " m | " + r.About + " |"; !strings.Contains(string(page), line) {
			t.Errorf("docs/recipes.md lacks: %s", line)
		}
	}
}

// A recipe's shot comes framed for any size: the camera stands outside the
// domain, over its floor, with all of its corners in the picture and some edge
// of it near the picture's; and something gives light.
func TestRecipesComeFramedAndLit(t *testing.T) {
	for _, r := range All {
		for _, size := range []float64{r.Size / 50, r.Size, r.Size * 20} {
			s := r.Shot("FR", size)
			d, c := s.Of(shot.Domain)[0], s.Of(shot.Camera)[0]
			b := d.DomainBox()
			eye, target := geom.FromArray(val.Position.Of(c)), geom.FromArray(val.Target.Of(c))
			if b.Min.X <= eye.X && eye.X <= b.Max.X && b.Min.Y <= eye.Y && eye.Y <= b.Max.Y && b.Min.Z <= eye.Z && eye.Z <= b.Max.Z {
				t.Errorf("%s for %g m: the camera stands in the domain", r.Key, size)
			}
			if eye.Y < b.Min.Y {
				t.Errorf("%s for %g m: the camera is under the floor", r.Key, size)
			}
			ahead := target.Sub(eye).Unit()
			right := ahead.Cross(geom.V(0, 1, 0)).Unit()
			up := right.Cross(ahead)
			half := 18 / val.Lens.Of(c)
			var widest float64
			for n := range 8 {
				p := geom.V(pick(n&1, b.Min.X, b.Max.X), pick(n>>1&1, b.Min.Y, b.Max.Y), pick(n>>2, b.Min.Z, b.Max.Z)).Sub(eye)
				deep := p.Dot(ahead)
				if deep <= 0 {
					t.Errorf("%s for %g m: a corner is behind the camera", r.Key, size)
					break
				}
				widest = max(widest, math.Abs(p.Dot(right))/deep/half, math.Abs(p.Dot(up))/deep/half*16/9)
			}
			if widest > 1 || widest < 0.9 {
				t.Errorf("%s for %g m: the domain reaches to %.2f of the picture's edge", r.Key, size, widest)
			}
			l := s.Looks[0]
			if len(s.Looks) != 1 || val.SunStrength.Of(l)+val.SkyStrength.Of(l) < 0.3 {
				t.Errorf("%s: %d looks, sun and sky %g", r.Key, len(s.Looks), val.SunStrength.Of(l)+val.SkyStrength.Of(l))
			}
		}
	}
}

func pick(n int, a, b float64) float64 {
	if n == 0 {
		return a
	}
	return b
}

// Without a domain or without a camera nothing is framed, and nothing breaks.
func TestFrameNeedsBoth(t *testing.T) {
	s := shot.New("FR")
	was := val.Position.Of(s.Of(shot.Camera)[0])
	Frame(s)
	if got := val.Position.Of(s.Of(shot.Camera)[0]); got != was {
		t.Errorf("the camera went to %v", got)
	}
	s.Add(shot.Domain)
	s.Remove(s.Of(shot.Camera)[0].ID)
	Frame(s)
}

// What a recipe makes stands in the same way wherever it is put: places and what
// things look at go along, and so do keys of both.
func TestRecipesGoAlongWithTheirPlace(t *testing.T) {
	at := geom.V(5, 1.5, -3)
	lamp := shot.New("LM")
	lamp.Elements = append(lamp.Elements, shot.NewElement(shot.Domain, "air", "Air", val.Position.Is(0, 1, 0)),
		shot.NewElement(shot.Lamp, "key", "Key", val.Position.Is(2, 3, 2), val.Target.Is(0, 1, 0.5)))
	lamp.Element("key").SetKey(val.Target, shot.Key{Frame: 4, Value: shot.Vec(1, 1, 1)})
	own, err := FromShot(lamp, lamp.Element("air"), "Lit air", "")
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range append(slices.Clone(All), *own) {
		a, b := shot.New("A"), shot.New("B")
		r.Put(a, geom.Vec3{}, 1, 1)
		r.Put(b, at, 1, 1)
		for i, e := range a.Elements {
			for _, n := range []val.VecKey{val.Position, val.Target} {
				if e.Kind == shot.Camera || shot.Find(e.Kind, n.Name()) == nil {
					continue
				}
				far := func(p, q [3]float64) float64 { return geom.FromArray(q).Sub(geom.FromArray(p)).Dist(at) }
				o := b.Elements[i]
				if d := far(n.Of(e), n.Of(o)); d > 2e-6 {
					t.Errorf("%s: %s of %s is %v, and %v when put at %v", r.Key, n, e.Name, n.Of(e), n.Of(o), at)
				}
				for k, x := range e.Keys(n) {
					if y := o.Keys(n)[k]; far(x.Value.Vec, y.Value.Vec) > 2e-6 {
						t.Errorf("%s: key %d of %s's %s is %v, and %v when put at %v", r.Key, k, e.Name, n, x.Value.Vec, y.Value.Vec, at)
					}
				}
			}
		}
	}
}
