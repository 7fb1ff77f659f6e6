package web

import (
	"strings"
	"testing"

	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// filled is a shot of a spout over a glass vessel.
func filled(name string) *shot.Shot {
	d := shot.New(name)
	val.Last.Set(d.Self, 5)
	dom := d.Add(shot.Domain)
	if err := dom.PutAll(shot.With(val.Fluid.Is("liquid"), val.Size.Is(0.8, 0.8, 0.8), val.Voxel.Is(0.05), val.Position.Is(0, 0.4, 0), val.Foam.Is(30))); err != nil {
		panic(err)
	}
	b := d.Add(shot.Emitter)
	val.Form.Set(b, "box")
	val.Size.Set(b, 0.5, 0.3, 0.5)
	val.Position.Set(b, 0, 0.2, 0)
	val.Pours.Set(b, "once")
	e := d.Add(shot.Emitter)
	val.Form.Set(e, "cylinder")
	val.Size.Set(e, 0.2, 0.15, 0.2)
	val.Position.Set(e, 0, 0.65, 0)
	val.Speed.Set(e, -1.5)
	val.Along.Set(e, "axis")
	c := d.Add(shot.Collider)
	val.Form.Set(c, "tube")
	val.Size.Set(c, 0.7, 0.5, 0.7)
	val.Position.Set(c, 0, 0.25, 0)
	val.Wall.Set(c, 0.1)
	val.Material.Set(c, "glass")
	return d
}

// A liquid's take shows its surface and its particles on the page, says what
// it holds, and is lit.
func TestLiquidTakeOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, filled("LQ"))
	s.finish(t, row)
	head := func(path string, parts int) (render.Screen, int) {
		scr, data := s.screen(t, path)
		if len(scr.Parts) != parts {
			t.Fatalf("%s: %+v", path, scr)
		}
		return scr, len(data)
	}
	scr, n := head("/shots/lq/volume/1/4", 2)
	sk, foam := scr.Parts[0], scr.Parts[1]
	if !sk.Liquid || sk.Vertices < 500 || sk.Triangles < 1000 || foam.At != 12*(sk.Vertices+sk.Triangles) || foam.Liquid || foam.Top <= 0 || n != foam.At+6*foam.Dims[0]*foam.Dims[1]*foam.Dims[2] {
		t.Errorf("the surface and its foam: %+v in %d bytes", scr, n)
	}
	scr, n = head("/shots/lq/volume/1/4?as=points", 1)
	if h := scr.Parts[0]; h.Particles < 300 || h.Fastest < 1 || (n+3)/4*4 != (13*h.Particles+3)/4*4 {
		t.Errorf("the particles: %+v in %d bytes", h, n)
	}
	_, body := s.get(t, "/shots/lq/takes?take=1")
	for _, want := range []string{"Liquid held", "Liquid added per frame", "Particles"} {
		if !strings.Contains(body, want) {
			t.Errorf("the take's sheet lacks %q", want)
		}
	}
	for _, no := range []string{"No smoke", "Height of smoke", "warm as the air"} {
		if strings.Contains(body, no) {
			t.Errorf("the take's sheet says %q of a liquid", no)
		}
	}
	img, _ := s.shown(t, "/shots/lq/preview?take=1&frame=4&width=96")
	tones := map[uint32]bool{}
	for y := range img.Bounds().Dy() {
		for x := range img.Bounds().Dx() {
			r, g, b, _ := img.At(x, y).RGBA()
			tones[r>>12<<8|g>>12<<4|b>>12] = true
		}
	}
	if len(tones) < 6 {
		t.Errorf("the lit liquid has %d tones", len(tones))
	}

	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/lq/takes?take=1&frame=4")
	h.until(`() => zarf.view && zarf.view.liquid.group.children.some((c) => c.isMesh && c.geometry.index.count > 3000)`)
	h.click("[data-view=points]")
	h.until(`() => zarf.view.liquid.group.children.some((c) => c.isPoints) && !zarf.view.liquid.group.children.some((c) => c.isMesh)`)
	h.until(`() => document.querySelector('[data-view=points]').getAttribute('aria-pressed') === 'true'`)
	h.click("[data-view=points]")
	h.until(`() => zarf.view.liquid.group.children.some((c) => c.isMesh) && !zarf.view.liquid.group.children.some((c) => c.isPoints)`)
	h.open(s.URL + "/shots/lq/stage")
	h.click("#draft")
	h.until(`() => zarf.draft.frame >= 3 && zarf.view.liquid.group.children.some((c) => c.isMesh)`)
	h.until(`() => { const m = zarf.view.liquid.group.children.find((c) => c.isMesh); if (!m) return false; const g = m.geometry; g.computeBoundingSphere(); return g.boundingSphere.radius > 0.1 && g.boundingSphere.radius < 1; }`)
}

// Whether a domain holds gas or a liquid decides what its sheet asks.
func TestSheetFollowsTheFluid(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("SF"))
	_, body := s.get(t, "/shots/sf/sheet?el=domain1")
	if !strings.Contains(body, `id="f-vorticity"`) || strings.Contains(body, `id="f-tension"`) {
		t.Error("a gas is asked for what liquids have")
	}
	if code, _ := s.post(t, "/shots/sf/value", "stage", "kind", "domain", "id", "domain1", "key", "fluid", "v", "liquid"); code != 200 {
		t.Fatal(code)
	}
	_, body = s.get(t, "/shots/sf/sheet?el=domain1")
	if strings.Contains(body, `id="f-vorticity"`) || !strings.Contains(body, `id="f-tension"`) || !strings.Contains(body, "holds liquid in") {
		t.Error("a liquid's sheet isn't one")
	}
	_, body = s.get(t, "/shots/sf/sheet?el=emitter1")
	if strings.Contains(body, `id="f-smoke"`) || !strings.Contains(body, `id="f-pours"`) {
		t.Error("an emitter of liquid is asked for smoke")
	}
	for _, bad := range []string{"-1", "20000", "thick"} {
		if code, body := s.post(t, "/shots/sf/value", "stage", "kind", "domain", "id", "domain1", "key", "viscosity", "v", bad); code != 422 || !strings.Contains(body, "Viscosity") {
			t.Errorf("viscosity %s: %d %.100s", bad, code, body)
		}
	}
	if code, _ := s.post(t, "/shots/sf/value", "stage", "kind", "domain", "id", "domain1", "key", "viscosity", "v", "50 mPa·s"); code != 200 || val.Viscosity.Of(doc(t, s, row).Element("domain1")) != 0.05 {
		t.Error("50 mPa·s isn't 0.05")
	}
}
