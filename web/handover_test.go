package web

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zarf/core/format/abc"
	"zarf/core/format/ply"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/handover"
	"zarf/studio/store"
)

// handedOver waits for the newest handover of a shot to end.
func (s *site) handedOver(t *testing.T, row store.ShotRow) store.Job {
	t.Helper()
	var j store.Job
	await(t, "the handover", time.Minute, func() bool {
		l, _ := s.st.Store.ShotJobs(row.ID, studio.KindHandover)
		if len(l) > 0 {
			j = l[0]
		}
		return len(l) > 0 && !l[0].Active()
	})
	return j
}

func (s *site) picture(t *testing.T, path string) image.Image {
	t.Helper()
	r, err := http.Get(s.URL + path)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	m, err := png.Decode(bytes.NewReader(b))
	if r.StatusCode != 200 || err != nil {
		t.Fatalf("%s: %d %v %.200s", path, r.StatusCode, err, b)
	}
	return m
}

// What a volume's files read as, and addresses that name nothing.
func TestHandoverReadsAndRefuses(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("RD"))
	s.finish(t, row)
	s.post(t, "/shots/rd/handoverpreset", "handover", "preset", "z-up")
	if d := doc(t, s, row); val.Axes.Of(d.Handover) != "z-up" || val.Kelvin.Of(d.Handover) != "absolute" {
		t.Error("the set of values didn't act")
	}
	// names of channels that this shot can't have aren't asked for
	if _, text := s.get(t, "/shots/rd/handover"); strings.Contains(text, `id="f-surface_as"`) || strings.Contains(text, `id="f-burn_as"`) || !strings.Contains(text, `id="f-density_as">`) {
		t.Error("the names of a liquid's or a fire's channels stand on a smoke's sheet")
	}
	if code, text := s.get(t, "/shots/rd/handoversize?take=1&from=3&to=8"); code != 200 || !strings.Contains(text, "on disk, from frame") {
		t.Errorf("%d %s", code, text)
	}
	s.post(t, "/shots/rd/handover", "handover", "name", "smoke", "from", "3", "to", "8")
	j := s.handedOver(t, row)
	if j.State != store.Done {
		t.Fatalf("%s: %s", j.State, j.Message)
	}
	at := fmt.Sprintf("/shots/rd/handover/%d", j.ID)
	code, text := s.get(t, at)
	if code != 200 || !strings.Contains(text, "z up, right-handed; a unit is a metre") || !strings.Contains(text, "vdb/smoke.0006.vdb") {
		t.Errorf("%d %.600s", code, text)
	}
	if code, text = s.get(t, at+"/read/5"); code != 200 || !strings.Contains(text, "source frame 8") || !strings.Contains(text, "across y: x →, z ↑") || !strings.Contains(text, "kelvin") {
		t.Errorf("%d %.800s", code, text)
	}
	m := s.picture(t, at+"/shadow/5?thing=0&across=0&up=2")
	lit := 0
	for i := range m.Bounds().Dx() * m.Bounds().Dy() {
		if r, _, _, _ := m.At(i%m.Bounds().Dx(), i/m.Bounds().Dx()).RGBA(); r > 20000 {
			lit++
		}
	}
	if lit < 5 {
		t.Errorf("%d pixels of the shadow are lit", lit)
	}
	b, err := os.ReadFile(filepath.Join(j.Dir, "vdb", "smoke.0001.vdb"))
	if err != nil {
		t.Fatal(err)
	}
	if code, text := s.get(t, at+"/file/2"); code != 200 || text != string(b) && len(text) == 0 {
		t.Errorf("the file comes as %d", code)
	}
	for path, want := range map[string]int{
		"/read/99": 404, "/read/x": 404, "/read/-1": 404, "/file/99": 404, "/shadow/5?thing=9&across=0&up=1": 422, "/shadow/5?thing=0&across=1&up=1": 422, "/shadow/5?thing=0&across=0&up=7": 422,
		"/sheet/colour": 404, "/comp/0?alpha=odd": 422, "/sheet/..%2f..%2fx": 404,
	} {
		if code, _ := s.get(t, at+path); code != want {
			t.Errorf("%s: %d, %d expected", path, code, want)
		}
	}
	if code, _ := s.get(t, "/shots/rd/handover/999"); code != 404 {
		t.Errorf("no such handover: %d", code)
	}
	other := s.add(t, small("OT"))
	_ = other
	if code, _ := s.get(t, fmt.Sprintf("/shots/ot/handover/%d", j.ID)); code != 404 {
		t.Errorf("another shot's handover: %d", code)
	}
	if code, text := s.post(t, "/shots/rd/handoverpreset", "handover", "preset", "none such"); code != 422 || !strings.Contains(text, "no such set") {
		t.Errorf("%d %s", code, text)
	}
	s.post(t, "/shots/rd/value", "handover", "kind", "handover", "key", "what", "v", "flipbook")
	if code, text := s.post(t, "/shots/rd/handover", "handover", "name", "x"); code != 422 || !strings.Contains(text, "no pictures are chosen") {
		t.Errorf("without a recording: %d %.300s", code, text)
	}
	for _, bad := range [][]string{{"wide", "7", "tall", "64"}, {"wide", "x", "tall", "64"}, {"wide", "64", "tall", "9999"}, {"wide", "64", "tall", "64", "look", "none"}} {
		if code, _ := s.post(t, "/shots/rd/record", "handover", append([]string{"take", "1"}, bad...)...); code != 422 {
			t.Errorf("%v: %d", bad, code)
		}
	}
	if code, text := s.post(t, "/shots/rd/value", "handover", "kind", "handover", "key", "density_as", "v", "../x y"); code != 422 || !strings.Contains(text, "letters, digits and _") {
		t.Errorf("a name that isn't one: %d %s", code, text)
	}
}

// A handover that failed goes on once what it lacked is there.
func TestHandoverGoesOn(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("GO"))
	tk := s.finish(t, row)
	st := s.st.Cache.Stage(tk.Key)
	st.Drop(7)
	s.post(t, "/shots/go/handover", "handover", "name", "x")
	j := s.handedOver(t, row)
	if j.State != store.Failed || !strings.Contains(j.Message, "frames 7 ") {
		t.Fatalf("%s: %s", j.State, j.Message)
	}
	if _, text := s.get(t, "/shots/go/handover"); !strings.Contains(text, fmt.Sprintf("/job/%d/again", j.ID)) {
		t.Error("the page doesn't offer to go on")
	}
	s.post(t, "/shots/go/take/1/resume", "takes")
	s.idle(t)
	s.post(t, fmt.Sprintf("/shots/go/job/%d/again", j.ID), "handover")
	await(t, "the handover", time.Minute, func() bool { _, err := handover.Read(j.Dir); return err == nil })
}

// Recording, flipbook, player; pictures, laid over: all by hand.
func TestFlipbookByHand(t *testing.T) {
	s := serve(t, t.TempDir())
	d := small("FB")
	val.Samples.Set(d.Looks[0], 1)
	row := s.add(t, d)
	s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/fb/handover")
	h.choose("#f-what select", "flipbook")
	h.until(`() => document.querySelector('#record') && !document.querySelector('#f-columns').hidden && document.querySelector('#f-density').hidden`)
	for field, v := range map[string]string{"columns": "3", "rows": "2", "tile_wide": "32", "tile_tall": "32"} {
		h.fill("#f-"+field+" input.num", v)
		h.until(`(k, v) => document.querySelector('#f-' + k + ' input.num').value === v && document.querySelector('#f-' + k + ' .was')`, field, v)
	}
	h.until(`() => document.querySelector('.recordform [name=wide]').value === '32'`)
	// what is typed stays while other values change, and the size is told anew
	h.fill("#handform [name=name]", "puffs")
	h.until(`() => /on disk, about/.test(document.querySelector('#handsize').textContent) || /pictures are chosen/.test(document.querySelector('#handsize').textContent)`)
	h.choose("#f-loop select", "goes over into its beginning")
	h.until(`() => document.querySelector('#f-loop .was') && document.querySelector('#handform [name=name]').value === 'puffs' && document.querySelector('#handsize').textContent !== ''`)
	h.choose("#f-loop select", "plays once")
	h.until(`() => !document.querySelector('#f-loop .was')`)
	h.click("#record")
	h.until(`() => { const r = document.querySelector('[id^=rec-] .state'); return r && r.textContent === 'done'; }`)
	h.until(`() => document.querySelector('#handform [name=renders] option').textContent.startsWith('tiles of take 1')`)
	h.click("#handover")
	h.until(`() => document.querySelector('[data-hand]')`)
	h.click("[data-hand]")
	h.until(`() => { const p = document.querySelector('flip-player'); return p && p.scale === 1 && !p.loading; }`)
	h.until(`() => new URLSearchParams(location.search).get('tab') === 'play'`)
	// smoke is seen in the middle, not in the corner; time changes it
	// where in the tile smoke is brightest at the last tile
	spot := `() => { const p = document.querySelector('flip-player'), gl = p.gl, w = p.canvas.width, h = p.canvas.height, d = new Uint8Array(4 * w * h); p.pixel(1e3, 0, 0); gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, d); let best = [0, 0, 0]; for (let y = 0; y < h; y += 4) for (let x = 0; x < w; x += 4) { const c = Math.abs(d[4 * (y * w + x)] - 43); if (c > best[0]) best = [c, (x + 0.5) / w, 1 - (y + 0.5) / h]; } window.best = best; return best; }`
	h.until(`() => { const b = (` + spot + `)(); return b[0] > 8; }`)
	h.until(`() => { const p = document.querySelector('flip-player'); const c = p.pixel(0, 0.02, 0.02); return c[0] === 43 && c[1] === 43; }`)
	// believing the wrong gamma is seen
	h.until(`() => { const p = document.querySelector('flip-player'), g = p.querySelector('[name=gamma]'); const a = p.pixel(1e3, window.best[1], window.best[2]); g.value = 'other'; const b = p.pixel(1e3, window.best[1], window.best[2]); g.value = 'as'; return b[0] - a[0] > 6; }`)
	// a burst is of several
	h.choose("flip-player [name=mode]", "a burst of particles")
	h.until(`() => document.querySelector('flip-player').quads(1, 100, 100).length > 3`)
	// the address brings it back
	h.open(s.URL + "/shots/fb/handover?hand=3&tab=list")
	h.until(`() => { const l = document.querySelector('.receiver'); return l && l.textContent.includes('3 columns by 2 rows of 32 × 32'); }`)
	h.click("[data-close-hand]")
	h.until(`() => document.querySelector('#handpane').hidden && !location.search.includes('hand')`)

	// the same recording as pictures, laid over grey, alpha read rightly and wrongly
	h.choose("#f-what select", "pictures")
	h.until(`() => document.querySelector('#f-columns').hidden`)
	h.until(`() => document.querySelector('#handform [name=renders] option').textContent.startsWith('tiles of take 1')`)
	h.click("#handover")
	h.until(`() => document.querySelectorAll('[data-hand]').length === 2`)
	h.click("[data-hand]")
	h.until(`() => { const i = document.querySelector('.comppanel img'); return i && i.complete && i.naturalWidth === 32; }`)
	j := s.handedOver(t, row)
	at := fmt.Sprintf("/shots/fb/handover/%d/comp/7?under=grey&alpha=", j.ID)
	right, wrong := s.picture(t, at+"premultiplied"), s.picture(t, at+"straight")
	differ := false
	for i := range 32 * 32 {
		a, _, _, _ := right.At(i%32, i/32).RGBA()
		b, _, _, _ := wrong.At(i%32, i/32).RGBA()
		differ = differ || b+2000 < a
	}
	if c, _, _, _ := right.At(0, 0).RGBA(); c>>8 < 116 || c>>8 > 119 { // 0.18 in sRGB is 118
		t.Errorf("grey under nothing is %d", c>>8)
	}
	if !differ {
		t.Error("alpha read as the other kind looks the same")
	}
	h.choose(".comppanel [name=alpha]", "straight")
	h.until(`() => document.querySelector('.comppanel [name=said]').textContent.includes('other kind')`)
}

// Points from outside, as PLY and as Alembic, feed a domain like volumes do.
func TestPointsFromOutsideFeedADomain(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("PT")
	val.Last.Set(d.Self, 4)
	box := d.Add(shot.Domain)
	val.Size.Set(box, 1.2, 1.2, 1.2)
	val.Voxel.Set(box, 0.06)
	val.Position.Set(box, 0, 0.6, 0)
	seq := d.Add(shot.Sequence)
	val.Scale.Set(seq, 0.01)
	val.Axes.Set(seq, "z-up")
	val.Grain.Set(seq, 0.06)
	e := d.Add(shot.Emitter)
	val.From.Set(e, "fluid")
	val.FedBy.Set(e, seq.ID)
	val.Smoke.Set(e, 1)
	row := s.add(t, d)
	// a ball of points at x 20, z 40 cm, z up
	ball := func(f int) *frame.Points {
		p := &frame.Points{Comment: "test"}
		for n := range 1000 {
			x, y, z := float32(n%10), float32(n/10%10), float32(n/100)
			p.P = append(p.P, [3]float32{20 + (x-4.5)*2, (y - 4.5) * 2, 40 + (z-4.5)*2})
			p.V = append(p.V, [3]float32{0, 0, 10})
		}
		return p
	}
	files := map[string][]byte{}
	for f := 1; f <= 4; f++ {
		var b bytes.Buffer
		ply.EncodePoints(&b, ball(f))
		files[fmt.Sprintf("pts.%03d.ply", f)] = b.Bytes()
	}
	centre := func(take int) (x, y, total float64) {
		t.Helper()
		tk, err := s.st.Store.Take(row.ID, take)
		if err != nil {
			t.Fatal(err)
		}
		if j := s.job(t, tk.ID); j.State != store.Done {
			t.Fatalf("%s: %s", j.State, j.Message)
		}
		src, err := s.st.Source(tk)
		if err != nil {
			t.Fatal(err)
		}
		f, err := src.Read(4)
		if err != nil {
			t.Fatal(err)
		}
		g := src.Channel(f, "density")
		_, h, o := src.Grid()
		for i, v := range g.Data {
			total += float64(v)
			x += float64(v) * (o.X + h*(float64(i%g.NX)+0.5))
			y += float64(v) * (o.Y + h*(float64(i/g.NX%g.NY)+0.5))
		}
		return x / total, y / total, total
	}
	if code, said := s.upload(t, "/shots/pt/sequence/"+seq.ID, files); code != 200 {
		t.Fatalf("%d %s", code, said)
	}
	if _, text := s.get(t, "/shots/pt/stage?el="+seq.ID); !strings.Contains(text, "About 1000 points a frame") || !strings.Contains(text, "Frames 1–4.") {
		t.Error("the sheet doesn't tell of its points")
	}
	s.post(t, "/shots/pt/run", "takes")
	s.idle(t)
	x, y, total := centre(1)
	if x < 0.1 || x > 0.3 || y < 0.3 || y > 0.6 || total < 5 {
		t.Errorf("smoke lies at %.2f, %.2f and is %.1f in all", x, y, total)
	}
	// the same as Alembic: 24 a second from frame 1
	var to memory
	w := abc.NewWriter(&to, abc.Info{App: "test", Rate: 24, First: 1})
	o := w.Object("points", abc.Points)
	for f := 1; f <= 4; f++ {
		p := ball(f)
		a := &abc.Sample{}
		for n := range p.P {
			a.P, a.V = append(a.P, p.P[n][:]...), append(a.V, p.V[n][:]...)
		}
		if err := o.Add(a); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if code, said := s.upload(t, "/shots/pt/sequence/"+seq.ID, map[string][]byte{"pts.abc": to.b}); code != 200 {
		t.Fatalf("%d %s", code, said)
	}
	s.post(t, "/shots/pt/run", "takes")
	s.idle(t)
	x2, y2, total2 := centre(2)
	if x != x2 || y != y2 || total != total2 {
		t.Errorf("by Alembic smoke lies at %.3f, %.3f, %.2f; by PLY at %.3f, %.3f, %.2f", x2, y2, total2, x, y, total)
	}
	for says, bad := range map[string]map[string][]byte{
		"a whole sequence": {"a.abc": to.b, "b.abc": to.b},
		"HDF5":             {"a.abc": []byte("\x89HDF\r\n\x1a\n................")},
		"frame number":     {"points.ply": files["pts.001.ply"]},
		"Both .vdb and":    {"p.001.ply": files["pts.001.ply"], "p.002.vdb": outsideFrame(t, 1, 0)},
	} {
		if code, said := s.upload(t, "/shots/pt/sequence/"+seq.ID, bad); code != 422 || !strings.Contains(said, says) {
			t.Errorf("%s: %d %s", says, code, said)
		}
	}
}

// memory is a file in memory.
type memory struct {
	b  []byte
	at int64
}

func (m *memory) Write(p []byte) (int, error) {
	if need := m.at + int64(len(p)); need > int64(len(m.b)) {
		m.b = append(m.b, make([]byte, need-int64(len(m.b)))...)
	}
	copy(m.b[m.at:], p)
	m.at += int64(len(p))
	return len(p), nil
}

func (m *memory) Seek(to int64, _ int) (int64, error) { m.at = to; return to, nil }
