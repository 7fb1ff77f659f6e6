package web

import (
	"encoding/json"
	"image"
	"slices"
	"strconv"
	"strings"
	"testing"

	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// shower is a shot of sparks that fall on a floor.
func shower(name string) *shot.Shot {
	r, err := recipe.Find("sparks")
	if err != nil {
		panic(err)
	}
	d := r.Shot(name, 0.3)
	val.Last.Set(d.Self, 10)
	return d
}

// A take of particles shows them on the page in the colours of what is chosen, plots what
// became of them, and is lit; a draft shows them too.
func TestParticlesOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, shower("SP"))
	s.finish(t, row)
	scr, data := s.screen(t, "/shots/sp/volume/1/8")
	p := scr.Parts[0]
	if len(scr.Parts) != 1 || p.Particles < 200 || p.By != "temperature" || p.Unit != "K" || p.High < 1200 || p.High > 2200 || len(data) < 13*p.Particles {
		t.Fatalf("%+v in %d bytes", scr, len(data))
	}
	for _, want := range []string{"speed", "age", "size", "state"} {
		if !slices.Contains(p.Attributes, want) {
			t.Errorf("%s is no choice of %v", want, p.Attributes)
		}
	}
	scr, _ = s.screen(t, "/shots/sp/volume/1/8?as=:age")
	if q := scr.Parts[0]; q.By != "age" || q.Particles != p.Particles || q.High > 8.0/24+0.01 {
		t.Errorf("by age: %+v", q)
	}
	_, body := s.get(t, "/shots/sp/takes?take=1")
	for _, want := range []string{"Births per frame", "Hottest particle", "Particles"} {
		if !strings.Contains(body, want) {
			t.Errorf("the take's sheet lacks %q", want)
		}
	}
	_, body = s.get(t, "/shots/sp/sheet?el=domain1")
	if strings.Contains(body, `id="f-vorticity"`) || strings.Contains(body, `id="f-tolerance"`) || !strings.Contains(body, `id="f-carrier"`) {
		t.Error("the sheet of a domain of particles isn't one")
	}
	for _, bad := range []struct{ key, v, say string }{{"life", "-1", "Life"}, {"diameter", "0", "Diameter"}, {"birth_rate", "1e12", "Births"}} {
		if code, body := s.post(t, "/shots/sp/value", "stage", "kind", "emitter", "id", "emitter1", "key", bad.key, "v", bad.v); code != 422 || !strings.Contains(body, bad.say) {
			t.Errorf("%s %s: %d %.100s", bad.key, bad.v, code, body)
		}
	}
	img, _ := s.shown(t, "/shots/sp/preview?take=1&frame=8&width=160")
	bright := 0
	for y := range img.Bounds().Dy() {
		for x := range img.Bounds().Dx() {
			if r, _, b, _ := img.At(x, y).RGBA(); r > 0x9000 && r > 2*b {
				bright++
			}
		}
	}
	if bright < 8 {
		t.Errorf("in the picture %d pixels glow", bright)
	}

	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/sp/takes?take=1&frame=8")
	h.until(`() => zarf.view && zarf.view.liquid.group.children.some((c) => c.isPoints && c.geometry.attributes.position.count > 200)`)
	h.until(`() => { const s = document.querySelector('#coloured'); return !s.hidden && s.value === 'temperature' && /K$/.test(s.title); }`)
	red := `(() => { const c = zarf.view.liquid.group.children.find((c) => c.isPoints).geometry.attributes.color.array; let r = 0, b = 0; for (let i = 0; i < c.length; i += 3) { r += c[i]; b += c[i + 2]; } return r / b; })()`
	h.until(`() => ` + red + ` > 1.5`) // they glow
	h.eval(`() => { const s = document.querySelector('#coloured'); s.value = 'speed'; s.dispatchEvent(new Event('change')); }`)
	h.until(`() => /m\/s$/.test(document.querySelector('#coloured').title) && ` + red + ` < 1.2`)
	h.open(s.URL + "/shots/sp/stage")
	h.click("#draft")
	h.until(`() => zarf.draft.frame >= 4 && zarf.view.liquid.group.children.some((c) => c.isPoints && c.geometry.attributes.position.count > 50)`)
}

// What particles are drawn as changes on the page at once, in the viewport and in pictures, and
// the take stays current: no simulation reads it. Each mesh is one draw for all of its kind,
// and where the processor draws too many they are squares.
func TestShapesOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, shower("SH"))
	s.finish(t, row)
	before, _ := s.screen(t, "/shots/sh/volume/1/8")
	plain, _ := s.shown(t, "/shots/sh/preview?take=1&frame=8&width=160")
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/sh/stage?el=domain1&frame=8")
	h.until(`() => zarf.view && zarf.view.liquid.group.children.some((c) => c.isPoints)`)
	meshes := `zarf.view.liquid.group.children.filter((c) => c.geometry.isInstancedBufferGeometry)`
	choose := func(as string) {
		h.eval(`() => { const f = document.querySelector('#v-shown_as'); f.closest('details').open = true; f.value = '` + as + `'; f.dispatchEvent(new Event('change', { bubbles: true })); }`)
	}
	choose("stones")
	h.until(`() => ` + meshes + `.length === 8 && ` + meshes + `.reduce((n, c) => n + c.geometry.instanceCount, 0) === ` + strconv.Itoa(before.Parts[0].Particles))
	scr, _ := s.screen(t, "/shots/sh/volume/1/8")
	if len(scr.Parts[0].Forms) != 8 {
		t.Errorf("the frame is sent with %d meshes", len(scr.Parts[0].Forms))
	}
	if tk, _ := s.st.Store.Take(row.ID, 1); tk.Key != stage.Key(doc(t, s, row), doc(t, s, row).Element("domain1")) {
		t.Error("the take is stale by what its particles are drawn as")
	}
	choose("trails")
	h.until(`() => zarf.view.liquid.group.children.some((c) => c.isLineSegments)`)
	if drawn, _ := s.shown(t, "/shots/sh/preview?take=1&frame=8&width=160"); same(plain, drawn) {
		t.Error("the picture is as it was before particles had trails")
	}
	h.eval(`() => { zarf.view.picture.slow = true; }`)
	choose("balls")
	h.until(`() => zarf.view.liquid.group.children.some((c) => !c.isLineSegments)`)
	ball, _ := s.screen(t, "/shots/sh/volume/1/8")
	want := "Mesh"
	if ball.Parts[0].Forms[0][1]*ball.Parts[0].Particles > 120_000 {
		want = "Points"
	}
	if got := h.eval(`() => zarf.view.liquid.group.children.map((c) => c.type).join()`).Value.Str(); got != want {
		t.Errorf("%d balls of %d triangles are drawn as %s", ball.Parts[0].Particles, ball.Parts[0].Forms[0][1], got)
	}
}

func same(a, b image.Image) bool {
	for y := range a.Bounds().Dy() {
		for x := range a.Bounds().Dx() {
			if a.At(x, y) != b.At(x, y) {
				return false
			}
		}
	}
	return true
}

// A sensor is added like anything else; what it drives is checked as it is typed, its sentence
// says it, and a take plots what it measured.
func TestSensorOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	d := small("SE")
	x := d.Add(shot.Sensor)
	val.SensorChannel.Set(x, "density")
	val.SensorOver.Set(x, 0.1)
	val.Position.Set(x, val.Position.Of(d.Of(shot.Emitter)[0])[0], val.Position.Of(d.Of(shot.Emitter)[0])[1], val.Position.Of(d.Of(shot.Emitter)[0])[2])
	val.Size.Set(x, 0.4, 0.4, 0.4)
	row := s.add(t, d)
	set := func(v string) (int, string) {
		return s.post(t, "/shots/se/value", "stage", "kind", "sensor", "id", x.ID, "key", "sensor_drives", "v", v)
	}
	for _, bad := range []string{"emitter1", "emitter1 speed", "emitter1.speed 3 to much", ".speed", "emitter1.speed 1 to NaN"} {
		if code, body := set(bad); code != 422 || !strings.Contains(body, "Drives") {
			t.Errorf("%q: %d %.120s", bad, code, body)
		}
	}
	if code, body := set("emitter1.speed, emitter1.temperature 300 to 500"); code != 200 || !strings.Contains(body, "drives inflow speed of") {
		t.Errorf("%d %.300s", code, body)
	}
	follow := func(id, key, sensor string) (int, string) {
		return s.post(t, "/shots/se/follow", "stage?el=emitter1", "id", id, "key", key, "sensor", sensor)
	}
	for _, bad := range [][3]string{{"emitter1", "form", x.ID}, {"emitter1", "smoke", "sensor9"}, {"emitter1", "smoke", "emitter1"}, {"emitter9", "smoke", x.ID}, {x.ID, "position", x.ID}} {
		if code, body := follow(bad[0], bad[1], bad[2]); code != 422 {
			t.Errorf("%v: %d %.120s", bad, code, body)
		}
	}
	if code, body := follow("emitter1", "smoke", x.ID); code != 200 || !strings.Contains(body, "smoke, inflow speed and temperature follow "+x.Name) && !strings.Contains(body, "follow "+x.Name) {
		t.Errorf("%d %.300s", code, body)
	}
	_, body := s.get(t, "/shots/se/stage?el=emitter1")
	if n := strings.Count(body, `class="follow on"`); n != 3 {
		t.Errorf("%d values show that they follow a sensor, want 3", n)
	}
	if !strings.Contains(body, `<option value="`+x.ID+`" >`+x.Name) && !strings.Contains(body, `<option value="`+x.ID+`">`+x.Name) {
		t.Error("the sheet doesn't offer the sensor as what limits the emitter")
	}
	if code, _ := follow("emitter1", "smoke", ""); code != 200 {
		t.Errorf("%d", code)
	}
	if _, body = s.get(t, "/shots/se/stage?el="+x.ID); !strings.Contains(body, "emitter1.speed, emitter1.temperature 300 to 500") {
		t.Error("what else the sensor drives is lost")
	}
	s.finish(t, row)
	_, body = s.get(t, "/shots/se/takes?take=1")
	if !strings.Contains(body, "Measured by "+x.Name) {
		t.Error("the take doesn't plot what the sensor measured")
	}
	// the score gets what it read, a number a frame, and smoke that comes out there fires it
	var scene struct {
		Takes []struct {
			Senses []struct {
				ID   string
				Read []float64
			}
		}
	}
	_, body = s.get(t, "/shots/se/scene.json")
	if err := json.Unmarshal([]byte(body), &scene); err != nil {
		t.Fatal(err)
	}
	if len(scene.Takes) != 1 || len(scene.Takes[0].Senses) != 1 || scene.Takes[0].Senses[0].ID != x.ID {
		t.Fatalf("%.300s", body)
	}
	read := scene.Takes[0].Senses[0].Read
	if _, last := d.Range(); len(read) != last || read[0] != 0 || read[len(read)-1] < 0.5 {
		t.Errorf("it read %v", read)
	}
}
