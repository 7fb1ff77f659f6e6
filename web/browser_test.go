package web

import (
	"archive/zip"
	"bytes"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"zarf/core/format/vdb"
	"zarf/core/shot/val"
	"zarf/internal/shoot"
	"zarf/web/desk"
)

var (
	chromium     *shoot.Browser
	chromiumOnce sync.Once
	chromiumErr  error
)

// browse opens a page, or skips where Chromium isn't installed.
func browse(t *testing.T) *shoot.Page {
	t.Helper()
	chromiumOnce.Do(func() { chromium, chromiumErr = shoot.Open() })
	if chromiumErr != nil {
		t.Skip(chromiumErr)
	}
	p, err := chromium.Page()
	if err != nil {
		t.Fatal(err)
	}
	if err := p.Scale(0.5); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		for _, f := range p.Faults() {
			if strings.Contains(f, "htmx:error: Failed to fetch") || strings.HasSuffix(f, "/nowhere") { // a request that broke off as the page was left; a page that is asked for in vain
				continue
			}
			t.Errorf("in the page: %s", f)
		}
		p.Close()
	})
	return p
}

type hand struct {
	*testing.T
	*shoot.Page
}

func (h hand) open(url string) {
	h.Helper()
	if err := h.Go(withToken(url)); err != nil {
		h.Fatal(err)
	}
}

// withToken is an address as it is printed.
func withToken(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		panic(err)
	}
	q := u.Query()
	q.Set(desk.TokenName, testToken)
	u.RawQuery = q.Encode()
	return u.String()
}

func (h hand) until(js string, args ...any) {
	h.Helper()
	if err := h.Until(30*time.Second, js, args...); err != nil {
		h.PNG("/tmp/zarf-test-failure.png")
		h.Fatal(err)
	}
}

func (h hand) click(sel string) {
	h.Helper()
	var err error
	for range 4 { // the panels may be sent anew between finding and pressing
		var e *rod.Element
		if e, err = h.Timeout(15 * time.Second).Element(sel); err == nil {
			err = e.CancelTimeout().Timeout(15*time.Second).Click("left", 1)
		}
		if err == nil || !strings.Contains(err.Error(), "detached") {
			break
		}
	}
	if err != nil {
		h.PNG("/tmp/zarf-test-failure.png")
		h.Fatalf("click %s: %v", sel, err)
	}
}

// fill types a value into a field and leaves it.
func (h hand) fill(sel, text string) {
	h.Helper()
	e, err := h.Timeout(15 * time.Second).Element(sel)
	if err != nil {
		h.Fatalf("%s: %v", sel, err)
	}
	e = e.CancelTimeout()
	if err := e.SelectAllText(); err != nil {
		h.Fatal(err)
	}
	if err := e.Input(text); err != nil {
		h.Fatal(err)
	}
	h.Keyboard.Press(input.Tab)
}

// eval runs a function in the page.
func (h hand) eval(js string) *proto.RuntimeRemoteObject {
	h.Helper()
	r, err := h.Eval(js)
	if err != nil {
		h.Fatal(err)
	}
	return r
}

func (h hand) number(js string) float64 {
	h.Helper()
	r, err := h.Eval(js)
	if err != nil {
		h.Fatal(err)
	}
	return r.Value.Num()
}

// From an empty library to a VDB in hand: new shot, emitter, run, smoke in the
// picture, look, render, handover, download.
func TestWholeSlice(t *testing.T) {
	s := serve(t, t.TempDir())
	h := hand{t, browse(t)}
	h.open(s.URL + "/")
	h.fill("#new-name", "SL010")
	h.click(".newshot .btn-main")
	h.until(`() => location.pathname === '/shots/sl010/stage' && window.zarf && zarf.state.scene`)
	if !strings.HasSuffix(h.MustInfo().URL, "/shots/sl010/stage") {
		t.Fatal(h.MustInfo().URL)
	}

	// the checks name what is missing
	h.until(`() => document.querySelector('#checks summary').textContent.includes('1 check')`)

	// an emitter, by the menu
	h.click("#addmenu summary")
	h.click(`#addmenu form:has(input[value=emitter]) button`)
	h.until(`() => document.querySelector('[data-sheet]').dataset.id === 'emitter1' && document.querySelector('#cast-emitter1.chosen')`)
	h.until(`() => document.querySelector('#checks summary').textContent.includes('0 checks')`)

	// a value typed with a unit changes the sentence and can be undone
	h.fill("#v-temperature", "90 °C")
	h.until(`() => document.querySelector('#cast-emitter1').textContent.includes('70.15 K warmer')`)
	h.fill("#v-smoke", "-4")
	h.until(`() => document.querySelector('#err-smoke').textContent.includes('it can be 0')`)
	h.fill("#v-smoke", "2")
	h.until(`() => document.querySelector('#f-smoke.changed') && document.querySelector('#err-smoke').textContent === ''`)
	for _, f := range h.Faults() {
		if !strings.Contains(f, "422") { // the refused value is an expected answer
			t.Errorf("in the page: %s", f)
		}
	}
	h.click("#undo")
	h.until(`() => document.querySelector('#v-smoke').value === '1'`)
	h.click("#redo")
	h.until(`() => document.querySelector('#v-smoke').value === '2'`)

	// coarse and short, so that the test is quick
	h.click("#cast-domain1 a")
	h.until(`() => document.querySelector('[data-sheet]').dataset.id === 'domain1'`)
	h.fill("#v-voxel", "8 cm")
	h.until(`() => document.querySelector('.cost').textContent.includes('19×25×19')`)
	h.click("#cast-shot a")
	h.until(`() => document.querySelector('#v-last')`)
	h.fill("#v-last", "12")
	h.until(`() => zarf.state.scene.last === 12`)

	empty := h.number(`() => zarf.measure()`)
	h.click("#run")
	h.until(`() => zarf.state.scene.takes.length === 1 && zarf.state.scene.takes[0].frames.length === 12 && !document.querySelector('#running')`)
	h.Eval(`() => zarf.seek(12)`)
	h.until(`() => zarf.shown()`)
	if full := h.number(`() => zarf.measure()`); full < empty+0.4 {
		t.Errorf("the picture's mean is %.2f with smoke, %.2f without", full, empty)
	}

	// Takes
	h.click(`[data-station-link=takes]`)
	h.until(`() => location.pathname.endsWith('/takes') && window.zarf && zarf.state.scene`)
	h.until(`() => document.querySelector('#right').textContent.includes('1–12, 12 made') && document.querySelector('#right .state').textContent === 'current'`)

	// Look: a picture comes, and changes with a value
	h.open(s.URL + "/shots/sl010/look?take=1&frame=12&quality=0.3")
	h.until(`() => document.querySelector('#lit').naturalWidth > 0 && document.querySelector('#viewnote').textContent.includes('done')`)
	before := h.number(litMean)
	h.fill("#v-exposure", "-3")
	h.until(`() => document.querySelector('#f-exposure.changed')`)
	h.until(`() => document.querySelector('#viewnote').textContent.includes('done')`)
	await(t, "a darker picture", 20*time.Second, func() bool { return h.number(litMean) < 0.7*before })

	// render two small frames as a job
	for key, v := range map[string]string{"width": "64", "height": "36", "samples": "2"} {
		if code, body := s.post(t, "/shots/sl010/value", "look", "kind", "look", "id", "look", "key", key, "v", v); code != 200 {
			t.Fatalf("%d %s", code, body)
		}
	}
	h.fill(".jobform [name=from]", "11")
	h.click("#render")
	h.until(`() => { const s = document.querySelector('film-strip'); return s && s.dataset.frames === '11 12' && +s.querySelector('input').max === 1 && document.querySelector('.jobline .state').textContent === 'done'; }`)

	// Handover
	h.open(s.URL + "/shots/sl010/handover?take=1")
	h.until(`() => document.querySelector('#handover')`)
	h.fill(".jobform [name=from]", "11")
	h.click("#handover")
	h.until(`() => document.querySelector('.jobline a.btn-quiet')`)
	href, err := h.Eval(`() => document.querySelector('.jobline a.btn-quiet').href`)
	if err != nil {
		t.Fatal(err)
	}
	checkZip(t, href.Value.Str())
}

const litMean = `() => {
  const img = document.querySelector('#lit'), c = document.createElement('canvas');
  c.width = 64; c.height = 36;
  const g = c.getContext('2d');
  g.drawImage(img, 0, 0, 64, 36);
  const d = g.getImageData(0, 0, 64, 36).data;
  let sum = 0;
  for (let i = 0; i < d.length; i += 4) sum += d[i] + d[i + 1] + d[i + 2];
  return sum / (64 * 36 * 3);
}`

func checkZip(t *testing.T, url string) {
	t.Helper()
	resp, err := http.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	volumes := 0
	for _, f := range z.File {
		names = append(names, f.Name)
		if !strings.HasSuffix(f.Name, ".vdb") {
			continue
		}
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		v, err := vdb.Read(r, vdb.DefaultLimits)
		r.Close()
		if err != nil {
			t.Fatal(err)
		}
		volumes++
		g := v.Grid("density")
		if g == nil || v.Grid("temperature") == nil || v.Grid("velocity") == nil {
			t.Fatalf("%s lacks channels", f.Name)
		}
		if in := g.Inspect(); in.Active < 50 || in.High[0] < 0.5 {
			t.Errorf("%s: %+v", f.Name, in)
		}
	}
	if volumes != 2 || len(names) != 4 {
		t.Errorf("the zip holds %v", names)
	}
}

func TestPlayAndKeys(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("PL"))
	s.finish(t, row)
	h := hand{t, browse(t)}
	// a page opens at the frame that shows most, and then where one was last
	h.open(s.URL + "/shots/pl/stage?volume=32")
	h.until(`() => window.zarf && zarf.state.scene && zarf.state.scene.takes[0].frames.length === 8 && zarf.state.frame > 4`)
	h.fill("#frame", "3")
	h.until(`() => zarf.state.frame === 3 && localStorage.getItem('zarf.frame.pl') === '3'`)
	h.open(s.URL + "/shots/pl/takes")
	h.open(s.URL + "/shots/pl/stage?volume=32")
	h.until(`() => window.zarf && zarf.state.scene && zarf.state.frame === 3 && document.querySelector('#frame').value === '3'`)
	h.open(s.URL + "/shots/pl/stage?volume=32&frame=1")
	h.until(`() => window.zarf && zarf.state.scene && zarf.state.frame === 1`)
	h.Keyboard.Press(input.ArrowRight)
	h.until(`() => zarf.state.frame === 2 && document.querySelector('#frame').value === '2'`)
	h.Keyboard.Press(input.End)
	h.until(`() => zarf.state.frame === 8`)
	h.click("#play")
	h.until(`() => zarf.state.frame > 1 && zarf.state.frame < 8`) // it loops
	h.Keyboard.Press(input.KeyL)
	h.until(`() => document.querySelector('#loop').getAttribute('aria-pressed') === 'false'`)
	h.until(`() => zarf.state.frame === 8 && !zarf.state.playing`)

	// a key set at frame 3, another value at frame 8, and the sheet follows
	h.click("#cast-emitter1 a")
	h.until(`() => document.querySelector('#v-smoke')`)
	h.fill("#frame", "3")
	h.until(`() => zarf.state.frame === 3`)
	h.click("#f-smoke .keybtn")
	h.until(`() => document.querySelector('#f-smoke .keybtn.here')`)
	h.fill("#frame", "8")
	h.until(`() => document.querySelector('#f-smoke .keybtn.keyed')`)
	h.fill("#v-smoke", "0")
	h.until(`() => zarf.state.scene.elements.some((e) => e.lanes && e.lanes[0].keys.length === 2)`)
	h.until(`() => zarf.score.rows.some((r) => r.l && r.l.key === 'smoke' && r.l.keys.length === 2)`)
	h.until(`() => zarf.score.take.state === 'stale'`)
}

func TestGizmoAndPicking(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("GZ"))
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/gz/stage")
	h.until(`() => window.zarf && zarf.state.scene`)
	h.click("#cast-emitter1 a")
	h.until(`() => document.querySelector('#cast-emitter1.chosen')`)
	h.Keyboard.Press(input.KeyM)
	h.until(`() => document.querySelector('#cast-emitter1.muted')`)
	h.Keyboard.Press(input.KeyM)
	h.until(`() => !document.querySelector('#cast-emitter1.muted')`)
	// what was unfolded stays so when the panels are sent anew
	h.click("#topic-emitter-motion summary")
	h.fill("#v-smoke", "4")
	h.until(`() => document.querySelector('#f-smoke.changed') && document.querySelector('#topic-emitter-motion').open`)
	// what the gizmo sends ends up in the document
	if code, _ := s.post(t, "/shots/gz/place", "stage", "id", "emitter1", "key", "position", "v0", "0.1", "v1", "0.3", "v2", "-0.1", "frame", "1"); code != 200 {
		t.Error(code)
	}
	if p := val.Position.Of(doc(t, s, row).Element("emitter1")); p != [3]float64{0.1, 0.3, -0.1} {
		t.Errorf("%v", p)
	}
	// press on the middle of the emitter in the picture
	h.click("#cast-shot a")
	h.until(`() => document.querySelector('#cast-shot.chosen')`)
	h.open(s.URL + "/shots/gz/stage?el=emitter1")
	h.until(`() => window.zarf && document.querySelector('#overlay .chosen')`)
	spot, err := h.Eval(`() => { const r = document.querySelector('#overlay .chosen').getBoundingClientRect(); return [r.x + r.width / 2, r.bottom + 25]; }`)
	if err != nil {
		t.Fatal(err)
	}
	h.click("#cast-shot a")
	h.until(`() => document.querySelector('#cast-shot.chosen')`)
	x, y := spot.Value.Get("0").Num(), spot.Value.Get("1").Num()
	h.Mouse.MustMoveTo(x, y)
	h.Mouse.MustClick("left")
	h.until(`() => document.querySelector('#cast-emitter1.chosen')`)
}

func TestLightThemeAndLayout(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("LY"))
	h := hand{t, browse(t)}
	for _, st := range desk.Stations() {
		h.open(s.URL + "/shots/ly/" + st.Key)
		h.until(`() => window.zarf && zarf.state.scene`)
		if w := h.number(`() => document.querySelector('#picture').getBoundingClientRect().width`); w < 0.55*1280 {
			t.Errorf("%s: the picture is %g px wide", st.Key, w)
		}
		if over := h.number(`() => document.documentElement.scrollWidth - innerWidth + document.documentElement.scrollHeight - innerHeight`); over > 0 {
			t.Errorf("%s: the page overflows by %g px", st.Key, over)
		}
	}
	h.click("[data-theme-toggle]")
	h.until(`() => document.documentElement.dataset.bsTheme === 'light'`)
	h.Eval(`() => localStorage.clear()`)
}
