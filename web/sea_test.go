package web

import (
	"strings"
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

// adrift is a small domain of liquid, open at its sides, that the ground's height crosses.
func adrift(name string) *shot.Shot {
	d := shot.New(name)
	val.Last.Set(d.Self, 4)
	dom := d.Add(shot.Domain)
	if err := dom.PutAll(shot.With(val.Fluid.Is("liquid"), val.Size.Is(4, 2.4, 4), val.Voxel.Is(0.2), val.Position.Is(0, -0.2, 0), val.WetMap.Is(true))); err != nil {
		panic(err)
	}
	c := d.Add(shot.Collider)
	val.Form.Set(c, "cylinder")
	val.Size.Set(c, 0.8, 3, 0.8)
	val.Position.Set(c, 0, -0.3, 0)
	return d
}

// A sea is added from the menu, told in words, warned of where it can't be what it says, drawn
// before there is a take, and lit round the domain once there is one.
func TestSeaOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, adrift("SEA"))
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/sea/stage")
	h.until(`() => zarf.view && zarf.state.scene`)
	h.until(`() => { const b = [...document.querySelectorAll('#addmenu button, #addmenu a')].find((x) => x.textContent.trim() === 'sea'); if (!b) return false; b.click(); return true; }`)
	h.until(`() => !!document.querySelector('#f-sea_wind')`)
	h.until(`() => document.body.textContent.includes('surrounds') && document.body.textContent.includes('under a wind of 8 m/s')`)
	e := doc(t, s, row).Of(shot.Sea)[0]
	set := func(key, v string) (int, string) {
		return s.post(t, "/shots/sea/value", "stage", "kind", "sea", "id", e.ID, "key", key, "v", v)
	}
	for _, bad := range [][3]string{{"sea_wind", "200", "70"}, {"sea_wind", "-3", "0"}, {"sea_depth", "0", "0.001"}, {"sea_fetch", "far", "Fetch"}, {"wave_spread", "2", "1"}} {
		if code, body := set(bad[0], bad[1]); code != 422 || !strings.Contains(body, bad[2]) {
			t.Errorf("%s %s: %d %.120s", bad[0], bad[1], code, body)
		}
	}
	if code, body := set("sea_wind", "0"); code != 200 || !strings.Contains(body, "is flat") {
		t.Errorf("a sea without wind isn't told: %d", code)
	}
	for _, v := range [][2]string{{"sea_wind", "6"}, {"sea_fetch", "300"}, {"sea_depth", "1.4"}, {"sea_level", "0"}} {
		if code, body := set(v[0], v[1]); code != 200 {
			t.Fatalf("%s: %d %.100s", v[0], code, body)
		}
	}
	// where there is no take yet the sea is there
	scr, _ := s.screen(t, "/shots/sea/volume/0/1")
	if len(scr.Parts) != 1 || !scr.Parts[0].Liquid || scr.Parts[0].Vertices < 5000 {
		t.Errorf("before a take the page has %+v", scr.Parts)
	}
	all := scr.Parts[0].Triangles
	h.open(s.URL + "/shots/sea/stage")
	h.until(`() => zarf.view && zarf.view.liquid.group.children.some((c) => c.isMesh && c.geometry.index.count > 10000)`)
	s.finish(t, row)
	scr, _ = s.screen(t, "/shots/sea/volume/1/3")
	if len(scr.Parts) != 2 || !scr.Parts[1].Liquid || scr.Parts[1].Triangles >= all {
		t.Errorf("round a take the page has %+v, alone %d triangles", scr.Parts, all)
	}
	img, _ := s.shown(t, "/shots/sea/preview?take=1&frame=3&width=96")
	r, g, b, _ := img.At(4, img.Bounds().Dy()-4).RGBA() // the foreground is water, and not the ground's grey
	if !(b > r && g > r) {
		t.Errorf("beside the domain the picture is %d %d %d", r>>8, g>>8, b>>8)
	}
	// a sea that nothing lies in
	if code, body := s.post(t, "/shots/sea/value", "stage", "kind", "domain", "id", "domain1", "key", "fluid", "v", "gas"); code != 200 || !strings.Contains(body, "only drawn") {
		t.Errorf("a sea without a liquid isn't told: %d", code)
	}
}
