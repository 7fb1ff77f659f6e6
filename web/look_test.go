package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"net/http"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/srgb"
	"zarf/studio/store"
)

func flat(w, h int, c color.Color) []byte {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.Set(i%w, i/w, c)
	}
	var b bytes.Buffer
	png.Encode(&b, img)
	return b.Bytes()
}

// shown asks for a preview until it is whole, and gives the picture with what
// was said of it.
func (s *site) shown(t *testing.T, query string) (image.Image, http.Header) {
	t.Helper()
	for range 200 {
		r, err := http.Get(s.URL + query)
		if err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		b.ReadFrom(r.Body)
		r.Body.Close()
		if r.StatusCode != 200 {
			t.Fatalf("%d %s", r.StatusCode, b.String())
		}
		if r.Header.Get("X-Zarf-Done") != "true" {
			continue
		}
		img, err := png.Decode(&b)
		if err != nil {
			t.Fatal(err)
		}
		return img, r.Header
	}
	t.Fatal("the picture never ended")
	return nil, nil
}

// A ramp is edited by hand: a click makes a stop, a drag moves it, numbers set
// it, it is turned round, kept and forgotten; undo takes it back.
func TestRampsAreEditedByHand(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, burner("RE"))
	s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/re/look?take=1&frame=6")
	h.until(`() => document.querySelector('stop-editor')`)
	h.until(`() => { const d = document.querySelector('#topic-look-flame'); d.open = true; d.scrollIntoView(); return true; }`)
	const ramp = `stop-editor[data-key=flame_ramp]`
	h.until(`(r) => document.querySelector(r).canvas.clientWidth > 50`, ramp)
	h.until(`(r) => document.querySelector(r).bins`, ramp) // the histogram came
	look := func() []shot.Stop { return val.FlameRamp.Value(doc(t, s, row).Looks[0]).Stops(3) }
	place := func(u float64) [2]float64 {
		return h.spot(`(r, u) => { const c = document.querySelector(r).canvas, b = c.getBoundingClientRect(); c.scrollIntoViewIfNeeded(); return [b.x + 6 + u * (b.width - 12), b.y + 30]; }`, ramp, u)
	}
	place(0.5)
	before := len(look())
	h.stroke(place(0.5), place(0.6))
	await(t, "another stop", 10*time.Second, func() bool { return len(look()) == before+1 })
	h.until(`(r) => Math.abs(document.querySelector(r).stops[document.querySelector(r).n].at - 0.6) < 0.02`, ramp)
	h.until(`(r) => { const e = document.querySelector(r); e.colour.value = '#ff40a0'; e.colour.dispatchEvent(new Event('change', { bubbles: true })); return true; }`, ramp)
	await(t, "the pink stop", 10*time.Second, func() bool {
		for _, st := range look() {
			if st.V[0] == 1 && st.V[1] < 0.06 && st.V[2] > 0.3 {
				return true
			}
		}
		return false
	})
	first := look()[0].V
	h.until(`(r) => { [...document.querySelectorAll(r + ' button')].find((b) => b.textContent === 'Reverse').click(); return true; }`, ramp)
	await(t, "the ramp turned round", 10*time.Second, func() bool { l := look(); return l[len(l)-1].V == first })
	// the numbers stand there after every answer, and undo reaches the editor
	h.until(`(r) => { const e = document.querySelector(r); return e.isConnected && e.at.value !== '' && e.times.value !== '' && e.contains(e.canvas); }`, ramp)
	h.click("#undo")
	h.until(`(r, v) => Math.abs(document.querySelector(r).stops[0].v[0] - v) < 1e-6`, ramp, first[0])
	await(t, "undo", 5*time.Second, func() bool { return look()[0].V == first })
	if look()[0].V != first {
		t.Error("undo didn't turn it back")
	}
	// bad stops are refused and named, and nothing changes
	for _, bad := range []string{"", "0 1", "0 1 1 1; 2 0 0 0", "0.5 1 1 1; 0.1 0 0 0", "0 NaN 0 0", strings.Repeat("0 0 0 0;", 70) + "1 1 1 1"} {
		code, body := s.post(t, "/shots/re/value", "look", "kind", "look", "id", "look", "key", "flame_ramp", "v", bad)
		if code != 422 || !strings.Contains(body, "Flame colours") {
			t.Errorf("%q: %d %.120s", bad[:min(len(bad), 20)], code, body)
		}
	}
}

// Kept ramps and looks serve any shot.
func TestLookLibrary(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("LA"))
	other := s.add(t, small("LB"))
	if code, _ := s.post(t, "/kept/ramp", "", "name", "Ember", "text", "0 0 0 0; 1 1 0.3 0"); code != 204 {
		t.Fatal(code)
	}
	_, body := s.get(t, "/kept/ramp")
	var list []struct{ Name, Text string }
	if json.Unmarshal([]byte(body), &list); len(list) != 1 || list[0].Name != "Ember" {
		t.Errorf("%s", body)
	}
	for _, bad := range [][3]string{{"ramp", "x", "0 9"}, {"ramp", "", "0 1 1 1"}, {"weights", "x", "0 1"}, {"ramp", "Nobody", ""}} {
		if code, _ := s.post(t, "/kept/"+bad[0], "", "name", bad[1], "text", bad[2]); code != 422 {
			t.Errorf("%v: %d", bad, code)
		}
	}
	if code, _ := s.post(t, "/kept/ramp", "", "name", "Ember", "text", ""); code != 204 {
		t.Error("a kept ramp can't be forgotten")
	}
	s.post(t, "/shots/la/value", "look", "kind", "look", "id", "look", "key", "extinction", "v", "33")
	s.post(t, "/shots/la/look/look/rename", "look", "name", "Thick fog")
	if code, body := s.post(t, "/shots/la/look/look/keep", "look"); code != 200 || !strings.Contains(body, "Thick fog") {
		t.Fatalf("%d %.200s", code, body)
	}
	if code, _ := s.post(t, "/shots/la/look/look/keep", "look"); code != 422 {
		t.Error("a look of the same name was replaced without a word")
	}
	if code, _ := s.post(t, "/shots/la/look/look/keep", "look", "replace", "on"); code != 200 {
		t.Error("a look can't be replaced")
	}
	if code, _ := s.post(t, "/shots/lb/look/look/bring", "look", "name", "Thick fog"); code != 200 {
		t.Fatal(code)
	}
	d := doc(t, s, other)
	if len(d.Looks) != 2 || d.Looks[1].Name != "Thick fog" || val.Extinction.Of(d.Looks[1]) != 33 {
		t.Errorf("%d looks, %+v", len(d.Looks), d.Looks[len(d.Looks)-1].Given())
	}
	_, page := s.get(t, "/shots/lb/look?look="+d.Looks[1].ID)
	if !strings.Contains(page, "1 value off") || !strings.Contains(page, "12 1/m → 33 1/m") {
		t.Error("the page doesn't say how the look differs")
	}
	for _, name := range []string{"Nobody", "../../zarf"} {
		if code, _ := s.post(t, "/shots/lb/look/look/bring", "look", "name", name); code != 422 {
			t.Errorf("%s: %d", name, code)
		}
	}
	if code, _ := s.post(t, "/shots/la/look/look/forget", "look", "name", "Thick fog"); code != 200 {
		t.Error("a look can't be deleted from the library")
	}
}

// Numbered pictures become a plate that lies behind, frame by frame; what is
// no picture is refused by name.
func TestPlateComesInAndLiesBehind(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("PL"))
	s.finish(t, row)
	red, blue := flat(32, 18, color.RGBA{200, 0, 0, 255}), flat(32, 18, color.RGBA{0, 0, 200, 255})
	for name, files := range map[string]map[string][]byte{
		"no picture": {"a.png": []byte("nothing")}, "two sizes": {"a.1.png": red, "a.2.png": flat(16, 16, color.White)}, "cut off": {"a.png": red[:len(red)/2]},
		"a hole": {"a.1.png": red, "a.3.png": blue}, "two sequences": {"a.1.png": red, "b.2.png": blue}, "one number twice": {"a.1.png": red, "a.01.png": blue},
	} {
		if code, said := s.upload(t, "/shots/pl/picture/look/look/plate", files); code != 422 || !strings.Contains(said, "A.") && !strings.Contains(said, "a.") {
			t.Errorf("%s: %d %s", name, code, said)
		}
	}
	if code, _ := s.upload(t, "/shots/pl/picture/look/look/extinction", map[string][]byte{"a.png": red}); code != 404 {
		t.Errorf("a number took a picture: %d", code)
	}
	if code, said := s.upload(t, "/shots/pl/picture/look/look/plate", map[string][]byte{"p.0001.png": red, "p.0002.png": blue}); code != 200 {
		t.Fatal(code, said)
	}
	// numbered without zeros in front, 9 comes before 10
	plain := map[string][]byte{}
	for n := 9; n <= 11; n++ {
		plain[fmt.Sprintf("p%d.png", n)] = flat(32, 18, color.RGBA{uint8(10 * n), 0, 0, 255})
	}
	if code, said := s.upload(t, "/shots/pl/picture/look/look/plate", plain); code != 200 {
		t.Fatal(code, said)
	}
	doc, err := s.st.Store.Doc(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	for n := range 3 {
		img, err := doc.Files().Picture(val.Plate.Of(doc.Look("")), n)
		if err != nil {
			t.Fatal(err)
		}
		if got, want := img.Pix[0], float32(srgb.Decode(float64(10*(9+n))/255)); math.Abs(float64(got-want)) > 1e-4 {
			t.Errorf("picture %d of p9, p10, p11 has red %g, want %g", n, got, want)
		}
	}
	if code, said := s.upload(t, "/shots/pl/picture/look/look/plate", map[string][]byte{"p.0001.png": red, "p.0002.png": blue}); code != 200 {
		t.Fatal(code, said)
	}
	for k, v := range map[string]string{"background": "plate", "samples": "2"} {
		s.post(t, "/shots/pl/value", "look", "kind", "look", "id", "look", "key", k, "v", v)
	}
	s.post(t, "/shots/pl/value", "look", "kind", "look", "id", "look", "key", "ground")
	for frame, want := range map[int][2]uint32{1: {200, 0}, 2: {0, 200}, 5: {0, 200}} {
		img, _ := s.shown(t, fmt.Sprintf("/shots/pl/preview?take=1&frame=%d&look=look&width=64&client=x%d", frame, frame))
		r, _, b, _ := img.At(2, 2).RGBA()
		if d := func(a, b uint32) uint32 { return max(a, b) - min(a, b) }; d(r>>8, want[0]) > 2 || d(b>>8, want[1]) > 2 {
			t.Errorf("frame %d: red %d, blue %d, want %v", frame, r>>8, b>>8, want)
		}
	}
}

// Layers can be looked at, what film does needs no new light, and a black
// picture says why.
func TestLayersFilmAndDarkness(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, burner("LF"))
	s.finish(t, row)
	set := func(k, v string) {
		t.Helper()
		if code, body := s.post(t, "/shots/lf/value", "look", "kind", "look", "id", "look", "key", k, "v", v); code != 200 {
			t.Fatalf("%s: %d %.200s", k, code, body)
		}
	}
	set("method", "path")
	set("samples", "4")
	_, head := s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=a")
	if head.Get("X-Zarf-Noise") == "" || !strings.Contains(head.Get("X-Zarf-Layers"), "emission") {
		t.Errorf("%v", head)
	}
	for _, l := range []string{"alpha", "emission", "sun", "sky", "fire", "depth", "motion", "albedo", "normal"} {
		s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=b&layer="+l)
	}
	if code, body := s.get(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=b&layer=glitter"); code != 422 || !strings.Contains(body, "glitter") {
		t.Errorf("%d %s", code, body)
	}
	// exposure acts on the light that is there
	a, _ := s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=a")
	time.Sleep(600 * time.Millisecond)
	set("exposure", "2")
	b, head := s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=a")
	if a.At(5, 5) == b.At(5, 5) {
		t.Error("exposure changed nothing")
	}
	if sec, _ := strconv.ParseFloat(head.Get("X-Zarf-Seconds"), 64); sec < 0.5 {
		t.Errorf("exposure made all light anew, %g s ago", sec)
	}
	for _, k := range []string{"sun_strength", "sky_strength", "flame", "flame_light"} {
		set(k, "0")
	}
	_, head = s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=c")
	if !strings.Contains(head.Get("X-Zarf-Notes"), "nothing+gives+light") {
		t.Errorf("a black picture says %q", head.Get("X-Zarf-Notes"))
	}
	set("smoke_from", "speed")
	d := doc(t, s, row)
	if val.CacheVelocity.Of(d.Of(shot.Domain)[0]) {
		s.shown(t, "/shots/lf/preview?take=1&frame=6&look=look&width=64&client=d")
	}
}

// A rendered range shows as a strip; one that ended early goes on.
func TestRangeAsAStrip(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("ST"))
	s.finish(t, row)
	for k, v := range map[string]string{"width": "32", "height": "18", "samples": "1", "file": "exr"} {
		s.post(t, "/shots/st/value", "look", "kind", "look", "id", "look", "key", k, "v", v)
	}
	if code, body := s.post(t, "/shots/st/render", "look", "take", "1", "look", "look", "from", "1", "to", "12"); code != 200 {
		t.Fatalf("%d %.200s", code, body)
	}
	var j store.Job
	await(t, "the range", 60*time.Second, func() bool {
		l, _ := s.st.Store.ShotJobs(row.ID, "render")
		if len(l) == 1 {
			j = l[0]
		}
		return len(l) == 1 && !l[0].Active()
	})
	if j.State != store.Failed || !strings.Contains(j.Message, "9–12") {
		t.Errorf("%s: %s", j.State, j.Message)
	}
	_, page := s.get(t, "/shots/st/look?take=1")
	if !strings.Contains(page, `data-frames="1 2 3 4 5 6 7 8"`) || !strings.Contains(page, "Go on") {
		t.Error("the page shows no strip of eight frames that can go on")
	}
	if code, _ := s.get(t, fmt.Sprintf("/shots/st/rendered/%d/3?small=1", j.ID)); code != 200 {
		t.Errorf("the small picture: %d", code)
	}
	if code, body := s.get(t, fmt.Sprintf("/shots/st/rendered/%d/3", j.ID)); code != 200 || !strings.HasPrefix(body, "\x76\x2f\x31\x01") {
		t.Errorf("the EXR: %d", code)
	}
	if code, _ := s.post(t, fmt.Sprintf("/shots/st/job/%d/again", j.ID), "look"); code != 200 {
		t.Errorf("going on: %d", code)
	}
	await(t, "the second pass", 60*time.Second, func() bool {
		l, _ := s.st.Store.ShotJobs(row.ID, "render")
		return len(l) == 2 && !l[0].Active() && !l[1].Active()
	})
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/st/look?take=1&frame=4")
	h.until(`() => { const i = document.querySelector('film-strip img'); return i && i.naturalWidth === 32; }`)
	h.until(`() => { document.querySelector('film-strip button').click(); return true; }`)
	h.until(`() => +document.querySelector('film-strip input').value === 3`)
}

// A worker that is lost during a frame costs that frame's time, nothing else:
// the next one goes on with the range, and no file is half written.
func TestLostWorkerDuringARange(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("LW"))
	s.finish(t, row)
	for k, v := range map[string]string{"width": "160", "height": "96", "samples": "60", "method": "path"} {
		s.post(t, "/shots/lw/value", "look", "kind", "look", "id", "look", "key", k, "v", v)
	}
	s.post(t, "/shots/lw/render", "look", "take", "1", "look", "look", "from", "1", "to", "8")
	job := func() store.Job {
		l, _ := s.st.Store.ShotJobs(row.ID, "render")
		if len(l) == 0 {
			return store.Job{}
		}
		return l[0]
	}
	await(t, "the second frame", 60*time.Second, func() bool { return job().Done >= 2 })
	files := func() []string {
		l, _ := filepath.Glob(filepath.Join(job().Dir, "*.png"))
		return l
	}
	before := files()
	lost := s.worker.Load()
	if err := syscall.Kill(int(lost), syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	await(t, "the end of the range", 120*time.Second, func() bool { j := job(); return j.ID > 0 && !j.Active() })
	j := job()
	if j.State != store.Done {
		t.Fatalf("%s: %s", j.State, j.Message)
	}
	if got := files(); len(got) != 8 || len(before) == 0 {
		t.Errorf("%d frames before the worker was lost, %v after", len(before), got)
	}
	for f := 1; f <= 8; f++ {
		code, body := s.get(t, fmt.Sprintf("/shots/lw/rendered/%d/%d", j.ID, f))
		if code != 200 {
			t.Fatalf("frame %d: %d", f, code)
		}
		if _, err := png.Decode(strings.NewReader(body)); err != nil {
			t.Errorf("frame %d: %v", f, err)
		}
	}
	if s.worker.Load() == lost {
		t.Error("no other worker came")
	}
}

// Pictures are looked at by their heads before any is unpacked: a few bytes that
// stand for gigabytes are refused at once.
func TestHugePicturesAreToldByTheirHeads(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("HP"))
	var huge bytes.Buffer
	png.Encode(&huge, image.NewGray(image.Rect(0, 0, 8192, 8192)))
	var was, is runtime.MemStats
	runtime.ReadMemStats(&was)
	begin := time.Now()
	if code, said := s.upload(t, "/shots/hp/picture/look/look/plate", map[string][]byte{"p.1.png": huge.Bytes(), "p.2.png": huge.Bytes(), "p.3.png": flat(16, 16, color.White)}); code != 422 || !strings.Contains(said, "a sequence has one size") {
		t.Errorf("%d %s", code, said)
	}
	runtime.ReadMemStats(&is)
	if got := is.TotalAlloc - was.TotalAlloc; got > 40<<20 || time.Since(begin) > 2*time.Second {
		t.Errorf("refusing it took %d bytes and %v", got, time.Since(begin))
	}
}
