package web

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// burner is a small shot that burns, on bounds that follow.
func burner(name string) *shot.Shot {
	d := small(name)
	dom, e := d.Element("domain1"), d.Element("emitter1")
	val.Burning.Set(dom, "fuel")
	val.Bounds.Set(dom, "follow")
	val.FollowMargin.Set(dom, 0.1)
	val.Fuel.Set(e, 0.06)
	val.Temperature.Set(e, 900)
	return d
}

// A recipe is put on what is chosen, at its size; it takes the place of a
// domain that nothing flows in, and one undo takes it back.
func TestRecipesOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("R1")
	d.Add(shot.Domain)
	row := s.add(t, d)
	s.post(t, "/shots/r1/element", "stage", "kind", "collider")
	s.post(t, "/shots/r1/value", "stage", "kind", "collider", "id", "collider1", "key", "size", "v0", "0.8", "v1", "1", "v2", "0.6")
	before := len(doc(t, s, row).Elements)
	code, body := s.post(t, "/shots/r1/recipe", "stage", "recipe", "brazier", "on", "collider1", "frame", "4")
	if code != 200 || !strings.Contains(body, "Embers") {
		t.Fatalf("%d %.300s", code, body)
	}
	got := doc(t, s, row)
	r, _ := recipe.Find("brazier")
	if len(got.Of(shot.Domain)) != 1 || len(got.Elements) != before-1+len(r.Parts) {
		t.Errorf("%d domains, %d elements", len(got.Of(shot.Domain)), len(got.Elements))
	}
	if e := got.Of(shot.Emitter)[0]; val.Size.Of(e)[0] != 0.64 {
		t.Errorf("on a thing of 0.8 m the embers are %g m across", val.Size.Of(e)[0])
	}
	// a second one brings a domain of its own and acts there alone
	s.post(t, "/shots/r1/recipe", "stage", "recipe", "steam", "on", "", "frame", "4")
	got = doc(t, s, row)
	if len(got.Of(shot.Domain)) != 2 {
		t.Errorf("%d domains after a second recipe", len(got.Of(shot.Domain)))
	}
	s.post(t, "/shots/r1/undo", "stage")
	if n := len(doc(t, s, row).Of(shot.Domain)); n != 1 {
		t.Errorf("%d domains after undo", n)
	}
	for _, bad := range [][2]string{{"nothing", ""}, {"steam", "ghost"}} {
		if code, _ := s.post(t, "/shots/r1/recipe", "stage", "recipe", bad[0], "on", bad[1]); code != 422 {
			t.Errorf("%v: %d", bad, code)
		}
	}
}

func TestNewShotFromARecipe(t *testing.T) {
	s := serve(t, t.TempDir())
	if code, _ := s.post(t, "/shots", "", "name", "NR", "recipe", "large-blast", "size", "40 m"); code != 200 {
		t.Fatalf("%d", code)
	}
	_, body := s.get(t, "/shots/nr/stage")
	if !strings.Contains(body, "Blast air") || !strings.Contains(body, "Store") {
		t.Error("the new shot lacks the recipe's elements")
	}
	for _, size := range []string{"many", "-3", "1e9"} {
		if code, _ := s.post(t, "/shots", "", "name", "N2", "recipe", "steam", "size", size); code != 422 {
			t.Errorf("size %s: %d", size, code)
		}
	}
}

// A burning take shows its totals, serves fire to the viewport, and its
// findings can be mended.
func TestBurningTakeOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	d := burner("F1")
	dom := d.Element("domain1")
	val.MaxSubsteps.Set(dom, 1)
	val.Cfl.Set(dom, 0.3)
	row := s.add(t, d)
	s.finish(t, row)
	_, body := s.get(t, "/shots/f1/takes?take=1")
	for _, want := range []string{"Fuel burnt per frame", "Heat made per frame", "class=\"curve\"", "needed more than 1 substeps"} {
		if !strings.Contains(body, want) {
			t.Errorf("the take's sheet lacks %q", want)
		}
	}
	code, _ := s.post(t, "/shots/f1/take/1/mend", "takes", "check", "substeps", "label", "Allow twice as many")
	if v := val.MaxSubsteps.Of(doc(t, s, row).Element("domain1")); code != 200 || v != 2 {
		t.Errorf("%d: max_substeps is %g after the mend", code, v)
	}
	if code, _ := s.post(t, "/shots/f1/take/1/mend", "takes", "check", "substeps", "label", "something else"); code != 422 && code != 409 {
		t.Errorf("a mend that isn't there: %d", code)
	}
	scr, data := s.screen(t, "/shots/f1/volume/1/8?size=32")
	p := scr.Parts[0]
	if !p.Fire || p.Glow <= 0 || len(scr.Light.Spots) == 0 || len(data) != 9*p.Dims[0]*p.Dims[1]*p.Dims[2] {
		t.Errorf("the volume says %+v of %d bytes", scr, len(data))
	}
}

// From a recipe to fire in the picture, through the real interface.
func TestFireInTheBrowser(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, burner("FB"))
	s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/fb/takes?take=1&frame=8&volume=32")
	h.until(`() => window.zarf && zarf.shown()`)
	h.until(`() => zarf.fire() > 0`)
	h.until(`() => document.querySelectorAll('.plot').length > 5`)
	h.open(s.URL + "/shots/fb/stage")
	h.until(`() => window.zarf && zarf.state.scene`)
	h.click("#addmenu summary")
	h.until(`() => document.querySelector('#addmenu').open`)
	h.click(`.menu form input[value="vortex"] + button`)
	h.until(`() => zarf.state.scene.elements.some((e) => e.kind === 'vortex')`)
	h.until(`() => document.querySelector('#v-region')`)
	if _, err := h.Eval(`() => { const e = document.querySelector('#v-region'); e.value = 'sphere'; e.dispatchEvent(new Event('change', { bubbles: true })); return true }`); err != nil {
		t.Fatal(err)
	}
	h.until(`() => zarf.state.scene.elements.some((e) => e.region === 'sphere')`)
	h.until(`() => !document.querySelector('#f-region_fade').hidden`)
	h.Keyboard.Type(input.KeyG)
	h.until(`() => { const p = document.querySelector('#recipelist img'); return p && p.complete && p.naturalWidth > 0; }`)
	h.click(`.recipe input[value="wisps"] ~ p [data-close]`)
	h.until(`() => zarf.state.scene.elements.some((e) => e.name === 'Wick')`)
	h.until(`() => document.querySelector('.cast').textContent.includes('acts on') || document.querySelector('.cast').textContent.includes('in Calm air only')`)
}
