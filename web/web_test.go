package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/store"
)

func TestPagesAndHeaders(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	for _, p := range []string{"/", "/shots/" + row.Slug + "/stage", "/shots/t1/score", "/shots/t1/takes", "/shots/t1/look", "/shots/t1/handover", "/shots/t1/parts/look", "/shots/t1/sheet?el=emitter1", "/shots/t1/scene.json"} {
		code, body := s.get(t, p)
		if code != 200 || strings.Contains(body, "ZgotmplZ") || strings.Contains(body, "<no value>") {
			t.Errorf("%s: %d", p, code)
		}
		if strings.Contains(body, "style=\"") || strings.Contains(body, "onclick=") {
			t.Errorf("%s holds inline style or script, which the policy blocks", p)
		}
	}
	resp, err := http.Get(s.URL + "/")
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	csp := resp.Header.Get("Content-Security-Policy")
	for _, want := range []string{"default-src 'none'", "script-src 'self' 'nonce-", "frame-ancestors 'none'"} {
		if !strings.Contains(csp, want) {
			t.Errorf("policy %q lacks %q", csp, want)
		}
	}
	if strings.Contains(csp, "unsafe") {
		t.Errorf("policy %q", csp)
	}
}

func TestStrangersAreRefused(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("T1"))
	r, _ := http.NewRequest("POST", s.URL+"/shots/t1/undo", nil)
	r.Header.Set("Origin", "http://localhost:9")
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	if code, _ := s.do(t, r); code != http.StatusForbidden {
		t.Errorf("a request of another site: %d", code)
	}
	r, _ = http.NewRequest("GET", s.URL+"/", nil)
	r.Host = "elsewhere.test"
	if code, _ := s.do(t, r); code != http.StatusForbidden {
		t.Errorf("a foreign host name: %d", code)
	}
	r, _ = http.NewRequest("POST", s.URL+"/shots", bytes.NewReader(make([]byte, MaxBody+1)))
	if code, _ := s.do(t, r); code != http.StatusRequestEntityTooLarge {
		t.Errorf("a body that is too large: %d", code)
	}
	for _, p := range []string{"/static/x/../server.go", "/static/x/%2e%2e/%2e%2e/go.mod", "/shots/nowhere/stage", "/shots/t1/rendered/1/1", "/shots/t1/handover/77/zip", "/shots/..%2f..%2f/stage"} {
		if code, body := s.get(t, p); code != http.StatusNotFound {
			t.Errorf("%s: %d %.80s", p, code, body)
		}
	}
}

// Who has the whole address gets in, and stays in by a cookie; everybody else is told
// how, whatever they ask for. Other sites get nothing made for them.
func TestTheAddressLetsIn(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("T1"))
	ask := func(path string, head ...string) *http.Response {
		t.Helper()
		r, err := http.NewRequest("GET", s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		for i := 0; i+1 < len(head); i += 2 {
			r.Header.Set(head[i], head[i+1])
		}
		resp, err := http.DefaultTransport.(bearer).RoundTripper.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { resp.Body.Close() })
		return resp
	}
	for _, path := range []string{"/", "/shots/t1/stage", "/shots/t1/export", "/events", "/?token=guess", "/?token="} {
		resp := ask(path)
		b, _ := io.ReadAll(resp.Body)
		if resp.StatusCode != http.StatusUnauthorized || !strings.Contains(string(b), "zarf address") {
			t.Errorf("%s without the token: %d", path, resp.StatusCode)
		}
	}
	if code := ask("/", "Authorization", "Bearer guess").StatusCode; code != http.StatusUnauthorized {
		t.Errorf("a guessed token: %d", code)
	}
	resp := ask("/shots/t1/stage?frame=3&token=" + testToken)
	if resp.StatusCode != http.StatusSeeOther || resp.Header.Get("Location") != "/shots/t1/stage?frame=3" || len(resp.Cookies()) != 1 {
		t.Fatalf("the whole address: %d to %s with %v", resp.StatusCode, resp.Header.Get("Location"), resp.Cookies())
	}
	k := resp.Cookies()[0]
	if !k.HttpOnly || k.SameSite != http.SameSiteLaxMode {
		t.Errorf("%+v", k)
	}
	cookie := k.Name + "=" + k.Value
	if code := ask("/shots/t1/stage", "Cookie", cookie).StatusCode; code != 200 {
		t.Errorf("with the cookie: %d", code)
	}
	for _, from := range []string{"cross-site", "same-site"} {
		if code := ask("/shots/t1/preview?take=1&frame=1", "Cookie", cookie, "Sec-Fetch-Site", from, "Sec-Fetch-Mode", "no-cors").StatusCode; code != http.StatusForbidden {
			t.Errorf("a picture for another site (%s): %d", from, code)
		}
		if code := ask("/shots/t1/stage", "Cookie", cookie, "Sec-Fetch-Site", from, "Sec-Fetch-Mode", "navigate").StatusCode; code != 200 {
			t.Errorf("a link from another site (%s): %d", from, code)
		}
	}
}

// Every address of the loopback that can be listened on can be asked as well.
func TestHostsOfTheLoopback(t *testing.T) {
	s := serve(t, t.TempDir())
	for host, want := range map[string]int{"127.0.0.2:8321": 200, "localhost": 200, "[::1]:80": 200, "127.0.0.1": 200, "10.0.0.1": 403, "127.0.0.1.elsewhere.test": 403, "": 403} {
		r, _ := http.NewRequest("GET", s.URL+"/", nil)
		r.Host = host
		if host == "" {
			r.Host = "x"
		}
		if code, _ := s.do(t, r); code != want {
			t.Errorf("host %q: %d, want %d", host, code, want)
		}
	}
}

func doc(t *testing.T, s *site, row store.ShotRow) *shot.Shot {
	t.Helper()
	d, err := s.st.Store.Doc(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func TestValues(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	set := func(key, v string) (int, string) {
		return s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", key, "v", v)
	}
	if code, body := set("temperature", "100 °C"); code != 200 || !strings.Contains(body, "80.15 K warmer") {
		t.Errorf("100 °C: %d", code)
	}
	if got := val.Temperature.Of(doc(t, s, row).Element("emitter1")); got != 373.15 {
		t.Errorf("temperature is %v", got)
	}
	for _, bad := range []string{"", "hot", "-5", "1e99", "NaN", "Inf", "3 furlongs"} {
		code, body := set("smoke", bad)
		if code != 422 || !strings.Contains(body, "err-smoke") {
			t.Errorf("smoke %q: %d %.120s", bad, code, body)
		}
	}
	if got := val.Smoke.Of(doc(t, s, row).Element("emitter1")); got != 2 {
		t.Errorf("a refused value changed smoke to %v", got)
	}
	for _, c := range [][]string{{"kind", "emitter", "id", "ghost", "key", "smoke", "v", "1"}, {"kind", "emitter", "id", "emitter1", "key", "nothing", "v", "1"}, {"kind", "domain", "id", "emitter1", "key", "voxel", "v", "1"}} {
		if code, _ := s.post(t, "/shots/t1/value", "stage", c...); code != 422 {
			t.Errorf("%v: %d", c, code)
		}
	}
	if code, body := s.post(t, "/shots/t1/value", "stage", "kind", "shot", "key", "last", "v", "-3"); code != 422 || !strings.Contains(body, "before it begins") {
		t.Errorf("last before first: %d %.100s", code, body)
	}
	if code, body := s.post(t, "/shots/t1/value", "stage", "kind", "domain", "id", "domain1", "key", "size", "v0", "0", "v1", "1", "v2", "1"); code != 422 || !strings.Contains(body, "Size x is 0 m") {
		t.Errorf("zero-size domain: %d %.200s", code, body)
	}
	// undo takes the temperature back, redo sets it again
	s.post(t, "/shots/t1/undo", "stage")
	if got := val.Temperature.Of(doc(t, s, row).Element("emitter1")); got != 330 {
		t.Errorf("after undo %v", got)
	}
	s.post(t, "/shots/t1/redo", "stage")
	if got := val.Temperature.Of(doc(t, s, row).Element("emitter1")); got != 373.15 {
		t.Errorf("after redo %v", got)
	}
	if code, _ := s.post(t, "/shots/t1/reset", "stage", "kind", "emitter", "id", "emitter1", "key", "temperature"); code != 200 || val.Temperature.Of(doc(t, s, row).Element("emitter1")) != 330 {
		t.Error("putting back failed")
	}
}

func TestDraggingIsOneStepOfUndo(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	for _, v := range []string{"3", "4", "5"} {
		s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", v, "drag", "1")
	}
	s.post(t, "/shots/t1/undo", "stage")
	if got := val.Smoke.Of(doc(t, s, row).Element("emitter1")); got != 2 {
		t.Errorf("one undo after a drag leaves %v, want 2", got)
	}
}

func TestKeysVoxelsAndMends(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	s.post(t, "/shots/t1/key", "stage", "id", "emitter1", "key", "smoke", "frame", "3")
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "7", "frame", "6")
	if k := doc(t, s, row).Element("emitter1").Keys(val.Smoke); len(k) != 2 || k[1].Frame != 6 || k[1].Value.Num != 7 {
		t.Errorf("%+v", k)
	}
	before := doc(t, s, row).Element("domain1").Voxels()
	s.post(t, "/shots/t1/voxels", "stage", "id", "domain1", "by", "finer")
	if r := doc(t, s, row).Element("domain1").Voxels() / before; r < 1.7 || r > 2.4 {
		t.Errorf("finer gives %g times the voxels", r)
	}
	s.post(t, "/shots/t1/voxels", "stage", "id", "domain1", "count", "50 000")
	if n := doc(t, s, row).Element("domain1").Voxels(); n < 40000 || n > 60000 {
		t.Errorf("asked for 50 000 voxels, got %g", n)
	}
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "position", "v0", "9", "v1", "0.25", "v2", "0")
	code, body := s.post(t, "/shots/t1/run", "stage")
	if code != 422 || !strings.Contains(body, "lies outside") {
		t.Errorf("a run with an emitter outside: %d %.200s", code, body)
	}
	if code, _ := s.post(t, "/shots/t1/mend", "stage", "n", "0", "check", "emitter-outside"); code != 200 {
		t.Errorf("mend: %d", code)
	}
	if p := val.Position.Of(doc(t, s, row).Element("emitter1")); p[0] > 0.4 {
		t.Errorf("the mend left it at %v", p)
	}
}

func TestImportAndExport(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("T1"))
	_, file := s.get(t, "/shots/t1/export")
	send := func(text string) (int, string) {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		f, _ := w.CreateFormFile("file", "x.json")
		f.Write([]byte(text))
		w.Close()
		r, _ := http.NewRequest("POST", s.URL+"/shots/import", &b)
		r.Header.Set("Content-Type", w.FormDataContentType())
		r.Header.Set("Accept", "text/html")
		return s.do(t, r)
	}
	if code, _ := send(file); code != 200 {
		t.Errorf("what was exported is not taken back: %d", code)
	}
	if _, err := s.st.Store.Shot("t1-2"); err != nil {
		t.Error(err)
	}
	if code, body := send(strings.Replace(file, `"smoke": 2`, `"smoke": "x"`, 1)); code != 422 || !strings.Contains(body, "line ") || !strings.Contains(body, "smoke") {
		t.Errorf("a broken file: %d %.300s", code, body)
	}
}

func TestLibrary(t *testing.T) {
	s := serve(t, t.TempDir())
	if code, _ := s.post(t, "/shots", "", "name", "New one", "title", "first"); code != 200 {
		t.Errorf("new shot: %d", code)
	}
	if code, _ := s.post(t, "/shots", "", "name", "../x"); code != 422 {
		t.Errorf("a bad name: %d", code)
	}
	s.post(t, "/shots/new-one/rename", "", "name", "Renamed", "title", "t")
	s.post(t, "/shots/new-one/duplicate", "")
	s.post(t, "/shots/new-one/archive", "", "on", "1")
	rows, err := s.st.Store.Shots()
	if err != nil || len(rows) != 2 || rows[0].Name != "Renamed copy" || rows[1].Name != "Renamed" || !rows[1].Archived {
		t.Errorf("%+v %v", rows, err)
	}
}

func TestRunStopResume(t *testing.T) {
	s := serve(t, t.TempDir())
	d := small("T1")
	val.Last.Set(d.Self, 400)
	row := s.add(t, d)
	if code, body := s.post(t, "/shots/t1/run", "stage"); code != 200 || !strings.Contains(body, "running") {
		t.Fatalf("%d %.200s", code, body)
	}
	tk, err := s.st.Store.Take(row.ID, 1)
	if err != nil {
		t.Fatal(err)
	}
	await(t, "some frames", 30*time.Second, func() bool { j := s.job(t, tk.ID); return j.Done > 5 })
	if code, _ := s.post(t, "/shots/t1/run", "stage"); code != http.StatusConflict {
		t.Errorf("a second run of the same take: %d", code)
	}
	s.post(t, "/shots/t1/job/1/stop", "stage")
	await(t, "the stop", 20*time.Second, func() bool { j := s.job(t, tk.ID); return !j.Active() })
	j := s.job(t, tk.ID)
	if j.State != store.Stopped {
		t.Fatalf("%s: %s", j.State, j.Message)
	}
	n := len(s.st.Cache.Stage(tk.Key).Frames())
	if n < 5 || n >= 400 {
		t.Fatalf("%d frames after the stop", n)
	}
	s.post(t, "/shots/t1/take/1/resume", "takes")
	await(t, "more frames", 30*time.Second, func() bool { return len(s.st.Cache.Stage(tk.Key).Frames()) > n+3 })
	j = s.job(t, tk.ID)
	if !strings.Contains(j.Log, "resumed after frame") {
		t.Errorf("log: %s", j.Log)
	}
	s.post(t, "/shots/t1/take/1/discard", "takes")
	if _, err := s.st.Store.Take(row.ID, 1); err != nil {
		t.Error("a running take was discarded")
	}
	s.post(t, "/shots/t1/job/2/stop", "stage")
	await(t, "the stop", 20*time.Second, func() bool { j := s.job(t, tk.ID); return !j.Active() })
	s.post(t, "/shots/t1/take/1/discard", "takes")
	if _, err := os.Stat(s.st.Cache.Stage(tk.Key).Dir); !os.IsNotExist(err) {
		t.Errorf("the discarded take's frames are there: %v", err)
	}
}

// A worker killed within a job is started again and goes on; a server that
// ends is followed by one that goes on with the run.
func TestRunSurvivesWorkerAndServer(t *testing.T) {
	dir := t.TempDir()
	s := serve(t, dir)
	d := small("T1")
	val.Last.Set(d.Self, 150)
	row := s.add(t, d)
	tk, err := s.st.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	await(t, "some frames", 30*time.Second, func() bool { j := s.job(t, tk.ID); return j.Done > 8 })
	syscall.Kill(int(s.worker.Load()), syscall.SIGKILL)
	n := len(s.st.Cache.Stage(tk.Key).Frames())
	await(t, "frames after the worker was killed", 40*time.Second, func() bool { return len(s.st.Cache.Stage(tk.Key).Frames()) > n+5 })
	s.close()
	s = serve(t, dir)
	await(t, "the end under another server", 60*time.Second, func() bool { j := s.job(t, tk.ID); return !j.Active() })
	if j := s.job(t, tk.ID); j.State != store.Done || len(s.st.Cache.Stage(tk.Key).Frames()) != 150 {
		t.Errorf("%s %s, %d frames\n%s", j.State, j.Message, len(s.st.Cache.Stage(tk.Key).Frames()), j.Log)
	}
}

func TestSecondServerIsRefused(t *testing.T) {
	dir := t.TempDir()
	serve(t, dir)
	if st, err := studio.Open(dir, quietLog()); err == nil || !strings.Contains(err.Error(), "another Zarf") {
		t.Errorf("got %v %v", st, err)
	}
}

// screen is what a viewport gets of a frame.
func (s *site) screen(t *testing.T, path string) (out render.Screen, data []byte) {
	t.Helper()
	resp, err := s.Client().Get(s.URL + path)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	head, err := url.QueryUnescape(resp.Header.Get("X-Zarf-Volume"))
	if err == nil {
		err = json.Unmarshal([]byte(head), &out)
	}
	data, _ = io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != 200 {
		t.Fatalf("%s: %d %.200s %v", path, resp.StatusCode, data, err)
	}
	return out, data
}

// The viewport's light is that of the look that is asked for, and changes with it; work
// light is a plain day's whatever the look.
func TestTheViewportIsLitAsTheLookSays(t *testing.T) {
	s := serve(t, t.TempDir())
	d := small("T1")
	night := d.Looks[0].Copy("Night")
	night.ID = d.FreeLook()
	val.SunStrength.Set(night, 0.01)
	val.SkyStrength.Set(night, 0.01)
	val.Exposure.Set(night, 2)
	d.Looks = append(d.Looks, night)
	row := s.add(t, d)
	s.finish(t, row)
	const at = "/shots/t1/volume/1/8?size=32"
	day, bytes := s.screen(t, at)
	dark, _ := s.screen(t, at+"&look="+night.ID)
	if dark.Light.Sun[0] > 0.1*day.Light.Sun[0] || dark.Parts[0].Rest > 0.1*day.Parts[0].Rest || dark.Light.Film.Gain[0] != 4*day.Light.Film.Gain[0] {
		t.Errorf("by night %+v, by day %+v", dark, day)
	}
	if work, same := s.screen(t, at+"&light=work&look="+night.ID); work.Light.Sun != day.Light.Sun || !slices.Equal(same, bytes) {
		t.Errorf("work light by night %+v, by day %+v", work, day)
	}
	before := doc(t, s, row)
	s.post(t, "/shots/t1/value", "look", "kind", "look", "id", before.Looks[0].ID, "key", "extinction", "v", "40", "frame", "1")
	if thick, _ := s.screen(t, at); thick.Light.Extinction == day.Light.Extinction {
		t.Errorf("after the change of the look: %+v", thick.Light)
	}
	// a look that reads what the take lacks: density is shown, and why is told
	s.post(t, "/shots/t1/value", "look", "kind", "look", "id", before.Looks[0].ID, "key", "smoke_from", "v", "fuel", "frame", "1")
	if lacks, _ := s.screen(t, at); len(lacks.Parts) != 1 || lacks.Parts[0].Top <= 0 || len(lacks.Notes) != 1 || !strings.Contains(lacks.Notes[0], "keep fuel in the domain's cache") {
		t.Errorf("smoke from fuel: %+v", lacks)
	}
	if code, body := s.get(t, "/dither"); code != 200 || len(body) != 64*64 {
		t.Errorf("thresholds: %d, %d bytes", code, len(body))
	}
}

func TestFramesAreServed(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	tk := s.finish(t, row)
	scr, data := s.screen(t, "/shots/t1/volume/1/8?size=32")
	if len(scr.Parts) != 1 || scr.Parts[0].Top <= 0 || scr.Parts[0].Rest <= 0 {
		t.Fatalf("%+v", scr)
	}
	v := scr.Parts[0]
	if want := 6 * v.Dims[0] * v.Dims[1] * v.Dims[2]; len(data) != want {
		t.Errorf("%d bytes, want %d", len(data), want)
	}
	for a, most := range [3]int{16, 24, 16} { // the part of the box that holds smoke
		if v.Dims[a] < 6 || v.Dims[a] > most || math.Abs(v.Max[a]-v.Min[a]-0.05*float64(v.Dims[a])) > 1e-9 {
			t.Errorf("%+v", v)
		}
	}
	for path, want := range map[string]int{"/shots/t1/volume/1/99": 404, "/shots/t1/volume/9/1": 404, "/shots/t1/volume/1/x": 422, "/shots/t1/thumb?take=1&frame=8": 200, "/shots/t1/preview?take=1&frame=8&width=64": 200, "/shots/t1/preview?take=1&frame=99": 404} {
		if code, body := s.get(t, path); code != want {
			t.Errorf("%s: %d %.100s", path, code, body)
		}
	}
	p := s.st.Cache.Stage(tk.Key).Path(4)
	b, _ := os.ReadFile(p)
	b[100] ^= 4
	os.WriteFile(p, b, 0o644)
	if code, body := s.get(t, "/shots/t1/volume/1/4?size=32"); code != http.StatusConflict || !strings.Contains(body, "frame 4 is damaged") {
		t.Errorf("a damaged frame: %d %s", code, body)
	}
	if code, _ := s.get(t, "/shots/t1/volume/1/4"); code != http.StatusOK {
		t.Errorf("its preview, which is whole: %d", code)
	}
}

// left puts pictures into the data folder that nothing names, old enough to be waste.
func left(t *testing.T, s *site, name string) string {
	t.Helper()
	dir := filepath.Join(s.st.Dir, "renders", name)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "left.0001.png"), make([]byte, 3000), 0o600); err != nil {
		t.Fatal(err)
	}
	old := time.Now().Add(-48 * time.Hour)
	if err := os.Chtimes(dir, old, old); err != nil {
		t.Fatal(err)
	}
	return dir
}

// A shot is deleted in two steps, from a page that says what goes with it; what is
// left over by no shot is listed and deleted alone or together.
func TestDeletingAndCleaning(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("GO"))
	if _, page := s.get(t, "/shots/go/delete"); !strings.Contains(page, "Only archived shots can be deleted") || strings.Contains(page, "for good") {
		t.Error("a shot that isn't archived can be deleted")
	}
	if code, body := s.post(t, "/shots/go/delete", ""); code != 409 || !strings.Contains(body, "GO is not archived") {
		t.Errorf("%d %.300s", code, body)
	}
	if _, page := s.get(t, "/"); strings.Contains(page, "/shots/go/delete") {
		t.Error("the library offers to delete what isn't archived")
	}
	s.post(t, "/shots/go/archive", "", "on", "1")
	if _, page := s.get(t, "/"); !strings.Contains(page, "/shots/go/delete") {
		t.Error("the library doesn't offer to delete what is archived")
	}
	if _, page := s.get(t, "/shots/go/delete"); !strings.Contains(page, "Delete GO for good") {
		t.Error("an archived shot can't be deleted")
	}
	if code, _ := s.post(t, "/shots/go/delete", ""); code != 200 {
		t.Errorf("deleting: %d", code)
	}
	if code, _ := s.get(t, "/shots/go/stage"); code != 404 {
		t.Errorf("the deleted shot: %d", code)
	}
	if code, _ := s.get(t, "/shots/go/delete"); code != 404 {
		t.Errorf("its page of deletion: %d", code)
	}

	if _, page := s.get(t, "/clean"); !strings.Contains(page, "Nothing to clean up") {
		t.Error("there is something to clean up")
	}
	one, two, three := left(t, s, "one"), left(t, s, "two"), left(t, s, "three")
	if _, page := s.get(t, "/clean"); !strings.Contains(page, "3 items") || !strings.Contains(page, "pictures/one") {
		t.Errorf("%.900s", page)
	}
	for _, id := range []string{"pictures/../../etc", "pictures/none", "../one"} {
		if s.post(t, "/clean", "", "id", id); !there(one) || !there(two) || !there(three) {
			t.Fatalf("%s deleted something", id)
		}
	}
	if s.post(t, "/clean", "", "id", "pictures/one"); there(one) || !there(two) || !there(three) {
		t.Error("one alone should be gone")
	}
	if s.post(t, "/clean", ""); there(two) || there(three) {
		t.Error("all should be gone")
	}
}

func there(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// The library comes in pages, found by name or title; pages that aren't there and
// texts that nothing has say so.
func TestTheLibraryComesInPages(t *testing.T) {
	s := serve(t, t.TempDir())
	for n := range 30 {
		d := small(fmt.Sprintf("P%03d", n))
		d.Title = "plain"
		if n == 17 {
			d.Title = "harbour 100% fog"
		}
		s.add(t, d)
	}
	cards := func(path string) int {
		code, page := s.get(t, path)
		if code != 200 {
			t.Errorf("%s: %d", path, code)
		}
		return strings.Count(page, `x-data="card"`)
	}
	for path, want := range map[string]int{
		"/": 24, "/?page=2": 6, "/?page=3": 6, "/?page=0": 24, "/?page=-4": 24, "/?page=x": 24, "/?page=99999999999": 6,
		"/?find=P01": 10, "/?find=p01": 10, "/?find=harbour": 1, "/?find=100%25": 1, "/?find=_": 0, "/?find=%25": 1, "/?find=%27%3B": 0,
	} {
		if n := cards(path); n != want {
			t.Errorf("%s shows %d shots, want %d", path, n, want)
		}
	}
	if _, page := s.get(t, "/?find=%3Cb%3Enothing"); !strings.Contains(page, "No shot has “&lt;b&gt;nothing”") {
		t.Error("it doesn't say that nothing was found")
	}
	if _, page := s.get(t, "/?find=plain"); !strings.Contains(page, "find=plain&amp;page=2") || !strings.Contains(page, "29 shots") {
		t.Error("the second page of what was found isn't led to")
	}
}
