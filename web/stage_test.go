package web

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"zarf/core/anim"
	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/format/obj"
	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/store"
)

// upload sends files with fields, as the bring-in dialog does.
func (s *site) upload(t *testing.T, path string, files map[string][]byte, kv ...string) (int, string) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for i := 0; i+1 < len(kv); i += 2 {
		w.WriteField(kv[i], kv[i+1])
	}
	for name, data := range files {
		f, err := w.CreateFormFile("file", name)
		if err != nil {
			t.Fatal(err)
		}
		f.Write(data)
	}
	w.Close()
	r, err := http.NewRequest("POST", s.URL+path, &b)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", w.FormDataContentType())
	return s.do(t, r)
}

func objOf(m *geom.Mesh) []byte {
	var b bytes.Buffer
	obj.Encode(&b, m)
	return b.Bytes()
}

func twoParts() *geom.Mesh {
	m := geom.BallMesh(0.25, 16)
	m.Parts, m.Part = []string{"ball"}, make([]int32, len(m.Tri))
	b := geom.BoxMesh(geom.V(0.3, 0.3, 0.3)).Move(geom.V(0.6, 0, 0), 1)
	b.Parts, b.Part = []string{"box"}, make([]int32, len(b.Tri))
	m.Append(b)
	return m
}

// bring brings a file in and gives the element.
func (s *site) bring(t *testing.T, row store.ShotRow, name string, data []byte, kv ...string) *shot.Element {
	t.Helper()
	code, body := s.upload(t, "/shots/"+row.Slug+"/bring", map[string][]byte{name: data}, kv...)
	if code != 200 {
		t.Fatalf("%s: %d %s", name, code, body)
	}
	var got struct {
		Element string       `json:"element"`
		Facts   *bring.Facts `json:"facts"`
		Notes   []string     `json:"notes"`
	}
	if err := json.Unmarshal([]byte(body), &got); err != nil {
		t.Fatal(err)
	}
	return doc(t, s, row).Element(got.Element)
}

func TestGeometryComesInFitsAndIsReplaced(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("GM"))
	e := s.bring(t, row, "two.obj", objOf(twoParts()), "as", "collider", "fit", "50 cm", "recentre", "on")
	if e == nil || e.Name != "two" || e.Kind != shot.Collider {
		t.Fatalf("%+v", e)
	}
	size, at := val.Size.Of(e), val.Position.Of(e)
	if math.Abs(size[0]-0.5) > 1e-9 || math.Abs(at[1]-size[1]/2) > 1e-9 || at[0] != 0 {
		t.Errorf("size %v at %v: it should be 0.5 m wide on the ground", size, at)
	}
	// a region, scope and a key stay when the file is replaced by a finer one
	path := "/shots/gm/value"
	s.post(t, path, "stage", "kind", "collider", "id", e.ID, "key", "share", "v", "parts")
	s.post(t, path, "stage", "kind", "collider", "id", e.ID, "key", "share_names", "v", "box", "v", "gone")
	s.post(t, "/shots/gm/key", "stage", "id", e.ID, "key", "turn", "frame", "3")
	code, body := s.upload(t, "/shots/gm/bring", map[string][]byte{"finer.obj": objOf(twoParts())}, "as", "replace", "into", e.ID)
	if code != 200 || !strings.Contains(body, `no part called \"gone\"`) {
		t.Errorf("%d %s", code, body)
	}
	now := doc(t, s, row).Element(e.ID)
	if asset.Name(val.Mesh.Of(now)) != "finer.obj" || len(now.Keys(val.Turn)) != 1 || val.Position.Of(now) != at || math.Abs(val.Size.Of(now)[0]-0.5) > 1e-9 {
		t.Errorf("after the replacement: %v %v %v", val.Mesh.Value(now), val.Position.Value(now), now.Get("size"))
	}
	// the sheet tells of the file and of the missing part
	_, page := s.get(t, "/shots/gm/stage?el="+e.ID)
	for _, want := range []string{"finer.obj", "closed", "not in the file"} {
		if !strings.Contains(page, want) {
			t.Errorf("the sheet doesn't say %q", want)
		}
	}
	// one undo takes the replacement back
	s.post(t, "/shots/gm/undo", "stage")
	if n := asset.Name(val.Mesh.Of(doc(t, s, row).Element(e.ID))); n != "two.obj" {
		t.Errorf("after undo the file is %s", n)
	}
}

func TestBadFilesChangeNothing(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("BF"))
	before := string(doc(t, s, row).Encode())
	for name, c := range map[string]struct{ data, want string }{
		"a.obj": {"v 0 0 0\n", "no faces"}, "a.glb": {"glTF", "header"}, "a.exe": {"MZ", "kind"}, "a.svg": {"<svg/>", "no path"},
		"a.ply": {"ply\nformat ascii 1.0\nelement face 50000000\nproperty list uchar int vertex_indices\nend_header\n", "lighter"},
	} {
		code, body := s.upload(t, "/shots/bf/bring", map[string][]byte{name: []byte(c.data)}, "as", "collider")
		if code != http.StatusUnprocessableEntity || !strings.Contains(body, c.want) {
			t.Errorf("%s: %d %s", name, code, body)
		}
	}
	for _, kv := range [][]string{{"as", "spaceship"}, {"as", "collider", "fit", "big"}, {"as", "collider", "unit", "-2"}, {"as", "replace", "into", "nobody"}, {"as", "guide"}} {
		if code, body := s.upload(t, "/shots/bf/bring", map[string][]byte{"b.obj": objOf(geom.BoxMesh(geom.V(1, 1, 1)))}, kv...); code != http.StatusUnprocessableEntity {
			t.Errorf("%v: %d %s", kv, code, body)
		}
	}
	if after := string(doc(t, s, row).Encode()); after != before {
		t.Error("a refused file changed the shot")
	}
	for _, path := range []string{"/mesh/emitter1", "/mesh/nobody", "/clip/00000000000000000000000000000000"} {
		if code, _ := s.get(t, "/shots/bf"+path); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
	// what claims to be larger than is taken is refused before it is read
	r, _ := http.NewRequest("POST", s.URL+"/shots/bf/bring", strings.NewReader("x"))
	r.ContentLength = MaxUpload + 1
	resp, err := http.DefaultTransport.RoundTrip(r)
	if err == nil {
		resp.Body.Close()
		if resp.StatusCode != http.StatusRequestEntityTooLarge {
			t.Errorf("a body of a gigabyte: %d", resp.StatusCode)
		}
	}
}

// moving is a box that slides, with a camera.
func moving(t *testing.T) []byte {
	m := model.FromMesh(geom.BoxMesh(geom.V(0.4, 0.4, 0.4)))
	m.Cameras = []model.Camera{{YFov: 0.6}}
	eye := model.NewNode("eye")
	eye.Camera, eye.T = 0, geom.V(0, 0.5, 4)
	m.Nodes = append(m.Nodes, eye)
	m.Clips = []model.Clip{{Tracks: []model.Track{{Node: 0, Path: model.Translation, How: model.Linear, Times: []float64{0, 1.0 / 24, 2}, Values: []float64{0, 0, 0, 1.0 / 48, 0, 0, 1, 0, 0}}}}}
	var b bytes.Buffer
	if err := gltf.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestAnimationKeepsSecondsOrFrames(t *testing.T) {
	s := serve(t, t.TempDir())
	sh := small("AN")
	val.Rate.Set(sh.Self, 30)
	row := s.add(t, sh)
	e := s.bring(t, row, "slide.glb", moving(t), "as", "mesh", "camera", "on", "hold", "4")
	d := doc(t, s, row)
	if r := val.MotionRate.Of(e); r != 24 {
		t.Errorf("the file's rate was taken for %g", r)
	}
	at := func(f float64) float64 {
		sh := d.Element(e.ID).Shape(d.Eval(f))
		return sh.Centre.X
	}
	// half a metre a second from frame 5 on
	if x := at(5 + 15); math.Abs(x-0.25) > 1e-6 || at(4) != 0 {
		t.Errorf("by seconds it stands at %g after half a second", x)
	}
	_, page := s.get(t, "/shots/an/stage?el="+e.ID)
	if !strings.Contains(page, "48 frames at 24 fps are 2 s; keeping its seconds it takes 60 frames at the shot&#39;s 30 fps.") {
		t.Error("the sheet doesn't tell the arithmetic of seconds")
	}
	s.post(t, "/shots/an/value", "stage", "kind", "mesh", "id", e.ID, "key", "motion_keeps", "v", "frames")
	d = doc(t, s, row)
	if x := at(5 + 12); math.Abs(x-0.25) > 1e-6 {
		t.Errorf("by frames it stands at %g after 12 frames", x)
	}
	if _, page = s.get(t, "/shots/an/stage?el="+e.ID); !strings.Contains(page, "1.25 × as fast") {
		t.Error("the sheet doesn't tell the arithmetic of frames")
	}
	cam := d.Of(shot.Camera)[0]
	if p := val.Position.At(cam, val.Frame(1)); math.Abs(p[2]-4) > 1e-6 || len(cam.Keys(val.Position)) != 8 {
		t.Errorf("the file's camera was not taken: %v, %d keys", p, len(cam.Keys(val.Position)))
	}
}

func TestWrapMakesAClosedStandIn(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("WR"))
	open := geom.BallMesh(0.2, 24).Move(geom.V(0.1, 0.5, 0), 1).Take(func(n int) bool { return n%37 != 0 })
	e := s.bring(t, row, "torn.obj", objOf(open), "as", "emitter")
	if val.From.Of(e) != "surface" {
		t.Error("an open mesh should emit from its surface")
	}
	if code, body := s.post(t, "/shots/wr/wrap/"+e.ID, "stage", "thickness", "1 cm", "fill", "on"); code != 422 || !strings.Contains(body, "thinner than") {
		t.Errorf("a wrap thinner than a voxel: %d %s", code, body)
	}
	if code, body := s.post(t, "/shots/wr/wrap/"+e.ID, "stage", "thickness", "6 cm", "fill", "on"); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	w := doc(t, s, row).Element(e.ID)
	sh, err := w.Form(val.Eval{Frame: 1, Files: s.st.Store.Files}, 0)
	if err != nil || sh.Body.Open != 0 {
		t.Fatalf("%v", err)
	}
	if at := sh.Centre; at.Dist(geom.V(0.1, 0.5, 0)) > 0.02 {
		t.Errorf("the wrap stands at %v", at)
	}
	if v, want := sh.Body.Mesh.Volume(), 4*math.Pi/3*math.Pow(0.23, 3); math.Abs(v/want-1) > 0.08 {
		t.Errorf("volume %g, want %g", v, want)
	}
}

func TestPaintedWeightsSurviveAReplacement(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("PA"))
	ball := geom.BallMesh(0.2, 24).Move(geom.V(0, 0.4, 0), 1)
	e := s.bring(t, row, "ball.obj", objOf(ball), "as", "emitter")
	w := make([]byte, len(ball.P))
	for i, p := range ball.P {
		if p.Y > 0.4 {
			w[i] = 255
		}
	}
	send := func(b []byte) (int, string) {
		r, _ := http.NewRequest("POST", s.URL+"/shots/pa/paint/"+e.ID, bytes.NewReader(b))
		return s.do(t, r)
	}
	if code, body := send(w[:5]); code != 422 || !strings.Contains(body, "5 weights") {
		t.Errorf("too few weights: %d %s", code, body)
	}
	if code, body := send(w); code != 204 {
		t.Fatalf("%d %s", code, body)
	}
	share := func() (up, down float64) {
		sh, err := doc(t, s, row).Element(e.ID).Form(val.Eval{Frame: 1, Files: s.st.Store.Files}, 0)
		if err != nil {
			t.Fatal(err)
		}
		return sh.Body.Share(geom.V(0, 0.2, 0)), sh.Body.Share(geom.V(0, 0.02, 0.195))
	}
	if up, low := share(); up < 0.99 || low > 0.99 {
		t.Errorf("weight %g on top, %g at the side", up, low)
	}
	// a finer ball in its place: the upper half still takes part
	finer := geom.BallMesh(0.2, 60).Move(geom.V(0, 0.4, 0), 1)
	code, body := s.upload(t, "/shots/pa/bring", map[string][]byte{"finer.obj": objOf(finer)}, "as", "replace", "into", e.ID)
	if code != 200 || !strings.Contains(body, "carried over") {
		t.Fatalf("%d %s", code, body)
	}
	if up, _ := share(); up < 0.99 {
		t.Errorf("after the replacement the weight on top is %g", up)
	}
	_, raw := s.get(t, "/shots/pa/mesh/"+e.ID+"?full=1")
	b := []byte(raw)
	nv, nw := binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint32(b[8:])
	if int(nv) != len(finer.P) || nw != nv {
		t.Errorf("the whole mesh comes with %d vertices and %d weights; it has %d", nv, nw, len(finer.P))
	}
}

func TestGuideFromACurve(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("GC"))
	e := s.bring(t, row, "way.svg", []byte(`<svg viewBox="0 0 100 100"><path d="M0 100C30 20 60 20 100 100"/></svg>`), "as", "guide", "unit", "1 cm")
	p := val.Points.Of(e)
	if len(p) < 8 || len(p) > 48 || p[0] != [3]float64{0, -1, 0} || math.Abs(p[len(p)-1][0]-1) > 1e-9 || val.Closed.Of(e) {
		t.Errorf("%d points from %v to %v", len(p), p[0], p[len(p)-1])
	}
	if code, body := s.post(t, "/shots/gc/value", "stage", "kind", "guide", "id", e.ID, "key", "points", "v", "0 0 0; 1 nonsense 2"); code != 422 || !strings.Contains(body, "point 2") {
		t.Errorf("a broken point: %d %s", code, body)
	}
	s.post(t, "/shots/gc/value", "stage", "kind", "guide", "id", e.ID, "key", "points", "v", "0 0 0; 1,2,3")
	if q := val.Points.Of(doc(t, s, row).Element(e.ID)); len(q) != 2 || q[1] != [3]float64{1, 2, 3} {
		t.Errorf("typed points are %v", q)
	}
}

func keysBody(v any) string { b, _ := json.Marshal(v); return string(b) }

func TestKeysMoveMergeAndKeepTheirCurve(t *testing.T) {
	s := serve(t, t.TempDir())
	sh := small("KY")
	e := sh.Element("emitter1")
	for i, f := range []float64{1, 5, 9} {
		e.SetKey(val.Smoke, shot.Key{Frame: f, Value: shot.Num(float64(i))})
	}
	row := s.add(t, sh)
	change := func(label string, drop []float64, set ...map[string]any) (int, string) {
		return s.post(t, "/shots/ky/keys", "score", "frame", "1", "body", keysBody(map[string]any{"label": label, "changes": []any{map[string]any{"el": "emitter1", "key": "smoke", "drop": drop, "set": set}}}))
	}
	k := func(f, v float64, more ...any) map[string]any {
		m := map[string]any{"f": f, "v": []float64{v, 0, 0}, "way": "", "in": []float64{0, 0, 0}, "out": []float64{0, 0, 0}}
		for i := 0; i+1 < len(more); i += 2 {
			m[more[i].(string)] = more[i+1]
		}
		return m
	}
	s.post(t, "/shots/ky/curve", "score", "body", `{"el":"emitter1","key":"smoke","after":"mirror","amount":0.5,"period":6,"seed":2}`)
	// two keys moved onto each other's places: one of them lands on frame 9
	if code, body := change("move keys", []float64{1, 5}, k(5, 0), k(9, 1, "way", "free", "in", []float64{0.5, 0, 0}, "out", []float64{0.25, 0, 0})); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	got := doc(t, s, row).Element("emitter1")
	keys := got.Keys(val.Smoke)
	if len(keys) != 2 || keys[0].Frame != 5 || keys[1].Value.Num != 1 || keys[1].Way != anim.Free || keys[1].Out[0] != 0.25 {
		t.Errorf("%+v", keys)
	}
	if x := got.Extra(val.Smoke); x.After != anim.Mirror || x.Amount != 0.5 || x.Period != 6 {
		t.Errorf("the curve's ends and noise were lost: %+v", x)
	}
	for what, c := range map[string]map[string]any{"a value out of range": k(3, -5), "an absurd frame": k(1e9, 1), "an unknown way": k(3, 1, "way", "sideways")} {
		if code, _ := change("key", nil, c); code != 422 {
			t.Errorf("%s: %d", what, code)
		}
	}
	if code, body := s.post(t, "/shots/ky/curve", "score", "body", `{"el":"emitter1","key":"smoke","after":"never","amount":0,"period":1,"seed":1}`); code != 422 {
		t.Errorf("%d %s", code, body)
	}
	// the last key to go leaves its value
	change("delete keys", []float64{5})
	change("delete keys", []float64{9})
	got = doc(t, s, row).Element("emitter1")
	if len(got.Keys(val.Smoke)) != 0 || got.Extra(val.Smoke) != (shot.Extra{}) || val.Smoke.Of(got) != 1 {
		t.Errorf("after the last key: %v %v %v", got.Keys(val.Smoke), got.Extra(val.Smoke), val.Smoke.Value(got))
	}
	// an emitter's bar: always becomes the shot's range, shifted
	// a key that isn't there, of a value that has none
	if code, _ := s.post(t, "/shots/ky/keys", "score", "body", keysBody(map[string]any{"label": "drop", "changes": []any{map[string]any{"el": "emitter1", "key": "fuel", "drop": []any{4}}}})); code != 200 {
		t.Errorf("dropping a key that isn't there: %d", code)
	}
	s.post(t, "/shots/ky/keys", "score", "body", keysBody(map[string]any{"label": "move in time", "bars": []any{map[string]any{"el": "emitter1", "begin": 2, "end": -1}}}))
	if got = doc(t, s, row).Element("emitter1"); val.Begin.Of(got) != 3 || val.End.Of(got) != 7 {
		t.Errorf("it emits from %g to %g", val.Begin.Of(got), val.End.Of(got))
	}
}

func TestTwoWindowsOnOneShot(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("TW"))
	stale := func(value, key string, more ...string) (int, string) {
		form := append([]string{"kind", "emitter", "id", "emitter1", "key", key, "v", value, "frame", "1"}, more...)
		vals := make([]string, 0)
		for i := 0; i+1 < len(form); i += 2 {
			vals = append(vals, form[i]+"="+form[i+1])
		}
		r, _ := http.NewRequest("POST", s.URL+"/shots/tw/value", strings.NewReader(strings.Join(vals, "&")))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("HX-Request", "true")
		r.Header.Set("HX-Current-URL", s.URL+"/shots/tw/stage")
		r.Header.Set("X-Zarf-Head", fmt.Sprint(row.Head)) // the page was made before the other's change
		return s.do(t, r)
	}
	s.post(t, "/shots/tw/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "5", "frame", "1")
	// another value: both stay
	if code, body := stale("400", "temperature"); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	e := doc(t, s, row).Element("emitter1")
	if val.Smoke.Of(e) != 5 || val.Temperature.Of(e) != 400 {
		t.Errorf("smoke %g, temperature %g", val.Smoke.Of(e), val.Temperature.Of(e))
	}
	// the same value: nothing is stored, and both are told
	code, body := stale("7", "smoke")
	if code != http.StatusConflict || !strings.Contains(body, "2 → 5") || !strings.Contains(body, "would be 7") || !strings.Contains(body, "Use mine") {
		t.Errorf("%d %s", code, body)
	}
	if v := val.Smoke.Of(doc(t, s, row).Element("emitter1")); v != 5 {
		t.Errorf("smoke is %g", v)
	}
	if code, _ := stale("7", "smoke", "force", "1"); code != 200 {
		t.Errorf("insisting: %d", code)
	}
	if v := val.Smoke.Of(doc(t, s, row).Element("emitter1")); v != 7 {
		t.Errorf("after insisting smoke is %g", v)
	}
}

// Two windows bend one ramp, or the same keys, so that both show as many stops
// and keys as before: neither change is lost without a word.
func TestTwoWindowsOnOneRamp(t *testing.T) {
	s := serve(t, t.TempDir())
	sh := small("TR")
	e := sh.Element("emitter1")
	e.SetKey(val.Smoke, shot.Key{Frame: 1, Value: shot.Num(1)})
	e.SetKey(val.Smoke, shot.Key{Frame: 9, Value: shot.Num(2)})
	row := s.add(t, sh)
	post := func(head int, path string, form url.Values) (int, string) {
		r, _ := http.NewRequest("POST", s.URL+"/shots/tr/"+path, strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("HX-Request", "true")
		r.Header.Set("HX-Current-URL", s.URL+"/shots/tr/look")
		r.Header.Set("X-Zarf-Head", fmt.Sprint(head))
		return s.do(t, r)
	}
	for _, x := range []struct {
		name, path   string
		first, other url.Values
		now          func() any
	}{
		{"ramp", "value", url.Values{"kind": {"look"}, "id": {"look"}, "key": {"flame_ramp"}, "v": {"0 0 0 0; 1 1 0 0"}, "frame": {"1"}},
			url.Values{"kind": {"look"}, "id": {"look"}, "key": {"flame_ramp"}, "v": {"0 0 0 0; 1 0 1 0"}, "frame": {"1"}},
			func() any { return val.FlameRamp.Value(doc(t, s, row).Looks[0]).Text }},
		{"keys", "keys", url.Values{"body": {`{"changes": [{"el": "emitter1", "key": "smoke", "drop": [9], "set": [{"f": 9, "v": [3, 0, 0]}]}]}`}, "frame": {"1"}},
			url.Values{"body": {`{"changes": [{"el": "emitter1", "key": "smoke", "drop": [9], "set": [{"f": 9, "v": [4, 0, 0]}]}]}`}, "frame": {"1"}},
			func() any { return doc(t, s, row).Element("emitter1").Keys(val.Smoke)[1].Value.Num }},
	} {
		was, err := s.st.Store.ShotByID(row.ID)
		if err != nil {
			t.Fatal(err)
		}
		head := was.Head
		if code, body := post(0, x.path, x.first); code != 200 {
			t.Fatalf("%s: %d %.300s", x.name, code, body)
		}
		kept := x.now()
		code, body := post(head, x.path, x.other)
		if code != http.StatusConflict || !strings.Contains(body, "Use mine") {
			t.Errorf("%s: the other window's answer is %d %.300s", x.name, code, body)
		}
		if now := x.now(); now != kept {
			t.Errorf("%s: %v became %v without a word", x.name, kept, now)
		}
		x.other.Set("force", "1")
		if code, _ := post(head, x.path, x.other); code != 200 || x.now() == kept {
			t.Errorf("%s: insisting gives %d and %v", x.name, code, x.now())
		}
	}
}

func TestRecipesOfOnesOwn(t *testing.T) {
	s := serve(t, t.TempDir())
	sh := small("RO")
	sh.Element("emitter1").SetKey(val.Smoke, shot.Key{Frame: 4, Value: shot.Num(3)})
	row := s.add(t, sh)
	if code, body := s.post(t, "/shots/ro/saverecipe", "stage", "name", "Keeper's pipe", "about", "thin puffs", "on", "emitter1"); code != 200 || !strings.Contains(body, "Keeper&#39;s pipe") {
		t.Fatalf("%d %.300s", code, body)
	}
	if code, body := s.post(t, "/shots/ro/saverecipe", "stage", "name", "keeper's Pipe", "on", "emitter1"); code != 422 || !strings.Contains(body, "already") {
		t.Errorf("a name that is taken: %d %.200s", code, body)
	}
	key := "own-keeper-s-pipe"
	r, err := s.st.Recipe(key)
	if err != nil {
		t.Fatal(err)
	}
	// put it back on the same element: everything is as it was, beside it
	if code, body := s.post(t, "/shots/ro/recipe", "stage", "recipe", r.Key, "on", "emitter1", "frame", "1"); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	d := doc(t, s, row)
	a, b := d.Element("emitter1"), d.Of(shot.Emitter)[1]
	if b.Get("size") != a.Get("size") || b.Keys(val.Smoke)[0].Frame != 4 || b.Keys(val.Smoke)[0].Value.Num != 3 || b.Recipe != "Keeper's pipe" {
		t.Errorf("put back it is %v with %v", b.Given(), b.Keys(val.Smoke))
	}
	// what is changed from there on is told against the recipe
	s.post(t, "/shots/ro/value", "stage", "kind", "emitter", "id", b.ID, "key", "temperature", "v", "500", "frame", "1")
	if _, page := s.get(t, "/shots/ro/stage?el="+b.ID); !strings.Contains(page, "changed from the recipe") || !strings.Contains(page, "was 330 K") {
		t.Error("the sheet doesn't compare with the recipe")
	}
	if code, _ := s.post(t, "/shots/ro/droprecipe", "stage", "recipe", "../../zarf"); code != 422 {
		t.Errorf("a path as a recipe: %d", code)
	}
	if code, _ := s.post(t, "/shots/ro/droprecipe", "stage", "recipe", key); code != 200 {
		t.Errorf("%d", code)
	}
	if _, err := s.st.Recipe(key); err == nil {
		t.Error("the recipe is still there")
	}
}

func TestReferencesAreKept(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("RF"))
	var b bytes.Buffer
	png.Encode(&b, image.NewGray(image.Rect(0, 0, 8, 8)))
	code, body := s.upload(t, "/shots/rf/clip", map[string][]byte{"plume.png": b.Bytes()})
	if code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	clips := doc(t, s, row).Clips
	if len(clips) != 1 || clips[0].Type != "image/png" || clips[0].Name != "plume.png" {
		t.Fatalf("%+v", clips)
	}
	r, _ := http.NewRequest("GET", s.URL+"/shots/rf/clip/"+clips[0].ID, nil)
	r.Header.Set("Range", "bytes=0-7")
	if code, part := s.do(t, r); code != http.StatusPartialContent || part != b.String()[:8] {
		t.Errorf("a part of a clip: %d %q", code, part)
	}
	for name, data := range map[string]string{"a.png": "<script>alert(1)</script>", "b.mp4": "not a film", "c.svg": "<svg/>"} {
		if code, body := s.upload(t, "/shots/rf/clip", map[string][]byte{name: []byte(data)}); code != 422 || !strings.Contains(body, "neither") {
			t.Errorf("%s: %d %s", name, code, body)
		}
	}
	if code, _ := s.post(t, "/shots/rf/clip/"+clips[0].ID+"/offset", "stage", "v", "1.5"); code != 204 {
		t.Error(code)
	}
	if code, _ := s.post(t, "/shots/rf/clip/"+clips[0].ID+"/offset", "stage", "v", "NaN"); code != 422 {
		t.Error(code)
	}
	if o := doc(t, s, row).Clips[0].Offset; o != 1.5 {
		t.Errorf("offset %g", o)
	}
	s.post(t, "/shots/rf/clip/"+clips[0].ID+"/remove", "stage")
	if n := len(doc(t, s, row).Clips); n != 0 {
		t.Errorf("%d references are left", n)
	}
	s.post(t, "/shots/rf/undo", "stage")
	if n := len(doc(t, s, row).Clips); n != 1 {
		t.Error("undo didn't bring it back")
	}
}

func TestDomainIsSetRoundAnElement(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("DR"))
	s.post(t, "/shots/dr/value", "stage", "kind", "emitter", "id", "emitter1", "key", "position", "v0", "5", "v1", "0.2", "v2", "-3", "frame", "1")
	if code, body := s.post(t, "/shots/dr/element/domain1/round", "stage", "target", "emitter1"); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	d := doc(t, s, row)
	sh := d.Element("emitter1").Shape(val.Eval{Frame: 1, Files: s.st.Store.Files})
	if box := d.Element("domain1").DomainBox(); !box.Contains(sh.Bounds()) || box.Min.Y < -1e-9 || val.Voxel.Of(d.Element("domain1")) != 0.05 {
		t.Errorf("the box is %v", box)
	}
	if code, _ := s.post(t, "/shots/dr/element/domain1/round", "stage", "target", "camera"); code != 422 {
		t.Error("a domain was set round a camera")
	}
}

// A shot with a mesh, paint and a reference goes to another library whole.
func TestShotsTravelWithTheirFiles(t *testing.T) {
	a, b := serve(t, t.TempDir()), serve(t, t.TempDir())
	row := a.add(t, small("TR"))
	ball := geom.BallMesh(0.2, 16)
	e := a.bring(t, row, "ball.obj", objOf(ball), "as", "emitter")
	r, _ := http.NewRequest("POST", a.URL+"/shots/tr/paint/"+e.ID, bytes.NewReader(bytes.Repeat([]byte{200}, len(ball.P))))
	a.do(t, r)
	var pic bytes.Buffer
	png.Encode(&pic, image.NewGray(image.Rect(0, 0, 4, 4)))
	a.upload(t, "/shots/tr/clip", map[string][]byte{"ref.png": pic.Bytes()})
	code, zipped := a.get(t, "/shots/tr/export")
	if code != 200 || !strings.HasPrefix(zipped, "PK") {
		t.Fatalf("%d %.40q", code, zipped)
	}
	if code, body := b.upload(t, "/shots/import", map[string][]byte{"tr.zip": []byte(zipped)}); code != 200 {
		t.Fatalf("%d %.300s", code, body)
	}
	rows, err := b.st.Store.Shots()
	if err != nil || len(rows) != 1 {
		t.Fatal(rows, err)
	}
	sh, err := doc(t, b, rows[0]).Element(e.ID).Form(val.Eval{Frame: 1, Files: b.st.Store.Files}, 0)
	if err != nil || math.Abs(sh.Body.Share(geom.V(0, 0.2, 0))-200.0/255) > 1e-6 {
		t.Errorf("%v", err)
	}
	if code, _ := b.get(t, "/shots/tr/clip/"+doc(t, b, rows[0]).Clips[0].ID); code != 200 {
		t.Errorf("the reference: %d", code)
	}
	// damage within, a bundle without its files, no zip at all
	for _, bad := range []string{zipped[:len(zipped)/2], strings.Replace(zipped, "files/", "filez/", -1), "PK nonsense"} {
		if code, _ := b.upload(t, "/shots/import", map[string][]byte{"x.zip": []byte(bad)}); code != 422 {
			t.Errorf("a broken bundle: %d", code)
		}
	}
	if rows, _ := b.st.Store.Shots(); len(rows) != 1 {
		t.Errorf("%d shots after broken bundles", len(rows))
	}
}

func TestKeysOfLooksAndOfTheShot(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("KO"))
	key := func(owner, key, frame string) (int, string) {
		return s.post(t, "/shots/ko/key", "look", "id", owner, "key", key, "frame", frame)
	}
	if code, body := key("look:look", "exposure", "1"); code != 200 {
		t.Fatalf("%d %s", code, body)
	}
	s.post(t, "/shots/ko/value", "look", "kind", "look", "id", "look", "key", "exposure", "v", "2", "frame", "9")
	key("shot:", "gravity", "1")
	s.post(t, "/shots/ko/value", "stage", "kind", "shot", "id", "", "key", "gravity", "v", "0", "frame", "5")
	d := doc(t, s, row)
	if v := val.Exposure.At(d.Looks[0], val.Frame(5)); v < 0.5 || v > 1.5 {
		t.Errorf("between 0 and 2 stops at frame 5: %g", v)
	}
	if v := val.Gravity.At(d.Self, val.Frame(5)); v != 0 {
		t.Errorf("gravity at frame 5 is %g", v)
	}
	for _, bad := range [][2]string{{"shot:", "rate"}, {"look:look", "width"}, {"look:other", "exposure"}, {"domain1", "voxel"}} {
		if code, _ := key(bad[0], bad[1], "3"); code != 422 {
			t.Errorf("a key of %s %s: %d", bad[0], bad[1], code)
		}
	}
	_, scene := s.get(t, "/shots/ko/scene.json?frame=5")
	for _, want := range []string{`"others":[{"id":"shot:"`, `"id":"look:look"`, `"key":"exposure"`} {
		if !strings.Contains(scene, want) {
			t.Errorf("the scene lacks %s", want)
		}
	}
	if code, _ := s.post(t, "/shots/ko/keys", "score", "frame", "1", "body", `{"label":"move keys","changes":[{"el":"shot:","key":"gravity","drop":[5],"set":[{"f":7,"v":[1,0,0],"way":"","in":[0,0,0],"out":[0,0,0]}]}]}`); code != 200 {
		t.Errorf("moving a key of gravity: %d", code)
	}
	if k := doc(t, s, row).Self.Keys(val.Gravity); len(k) != 2 || k[1].Frame != 7 {
		t.Errorf("%+v", k)
	}
	_, page := s.get(t, "/shots/ko/score?el=look:look&frame=9")
	if !strings.Contains(page, `data-owner="look:look"`) || !strings.Contains(page, "Remove the key at this frame") {
		t.Error("the score's sheet doesn't show the look's keys")
	}
	s.post(t, "/shots/ko/reset", "look", "kind", "look", "id", "look", "key", "exposure")
	if d := doc(t, s, row); d.Looks[0].Keyed(val.Exposure) || val.Exposure.Of(d.Looks[0]) != 0 {
		t.Errorf("put back, it keeps %v", d.Looks[0].Keys(val.Exposure))
	}
}
