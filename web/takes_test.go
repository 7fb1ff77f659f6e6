package web

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/run"
	"zarf/studio/store"
)

// idle waits until no job is due.
func (s *site) idle(t *testing.T) {
	t.Helper()
	await(t, "the queue", 60*time.Second, func() bool { l, _ := s.st.Store.ActiveJobs(); return len(l) == 0 })
}

// two is a shot whose second domain is fed by its first.
func two(name string) *shot.Shot {
	s := small(name)
	s.Element("emitter1").ActsOn = []string{"domain1"}
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1, 1.4, 1)
	val.Voxel.Set(d, 0.07)
	val.Position.Set(d, 0, 0.7, 0)
	e := s.Add(shot.Emitter)
	val.From.Set(e, "fluid")
	val.FedBy.Set(e, "domain1")
	e.ActsOn = []string{d.ID}
	return s
}

func TestChainIsRebuiltInOrder(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, two("CH"))
	states := func() string {
		var out []string
		l, _ := s.st.List(row.ID)
		for _, st := range s.st.Chain(doc(t, s, row), l) {
			out = append(out, fmt.Sprintf("%s %s %d", st.Domain.ID, st.State, st.Made))
		}
		return strings.Join(out, ", ")
	}
	if got := states(); got != "domain1 missing 0, domain2 missing 0" {
		t.Errorf("before: %s", got)
	}
	if code, body := s.post(t, "/shots/ch/run", "takes"); code != 200 {
		t.Fatalf("%d %.300s", code, body)
	}
	s.idle(t)
	if got := states(); got != "domain1 current 8, domain2 current 8" {
		t.Fatalf("after: %s", got)
	}
	takes, _ := s.st.Store.Takes(row.ID)
	if len(takes) != 2 {
		t.Fatalf("%d takes", len(takes))
	}
	for _, tk := range takes { // they are of two domains: neither is made from the other, and neither can go
		if tk.Parent != 0 {
			t.Errorf("take %d of %s is said to be made from another domain's", tk.Number, tk.Domain)
		}
	}
	l, _ := s.st.List(row.ID)
	if list, err := s.st.Clearable(row.ID, l); err != nil || len(list) != 0 {
		t.Errorf("of a chain %d takes could be cleared away, %v", len(list), err)
	}
	if code, said := s.post(t, "/shots/ch/sweep/cost", "takes", "body", `{"voxel":0.1,"from":1,"to":4,"values":[{"el":"domain2","key":"lift","from":1,"to":2,"steps":3}]}`); code != 422 || !strings.Contains(said, "changes nothing in Air") {
		t.Errorf("a sweep over what the first domain doesn't read: %d %s", code, said)
	}
	_, offers := s.get(t, "/shots/ch/takes")
	_, offers, _ = strings.Cut(offers, `id="sweep"`)
	offers, _, _ = strings.Cut(offers, "</dialog>")
	for what, want := range map[string]bool{"emitter1": true, "Air: Position": false, "Air: Size": false, "domain2": false, "emitter2": false} {
		if strings.Contains(offers, what) != want {
			t.Errorf("a sweep offers %s: %t", what, !want)
		}
	}
	// a look and a name make nothing stale; a value of the second only itself
	s.post(t, "/shots/ch/value", "look", "kind", "look", "id", "look", "key", "phase", "v", "0.6")
	s.post(t, "/shots/ch/element/domain1/rename", "stage", "name", "First")
	if got := states(); got != "domain1 current 8, domain2 current 8" {
		t.Errorf("after a look: %s", got)
	}
	s.post(t, "/shots/ch/value", "stage", "kind", "emitter", "id", "emitter2", "key", "smoke", "v", "3", "frame", "1")
	if got := states(); got != "domain1 current 8, domain2 stale 0" {
		t.Errorf("after a value of the second: %s", got)
	}
	s.post(t, "/shots/ch/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "3", "frame", "1")
	if got := states(); got != "domain1 stale 0, domain2 stale 0" {
		t.Errorf("after a value of the first: %s", got)
	}
	if _, scene := s.get(t, "/shots/ch/scene.json"); !strings.Contains(scene, `"stages":[{"id":"domain1"`) || !strings.Contains(scene, `"state":"stale"`) {
		t.Error("the score has no lanes for the stages")
	}
	_, page := s.get(t, "/shots/ch/takes")
	if !strings.Contains(page, "Make 2 stages in order") || !strings.Contains(page, "fed by First") {
		t.Error("the page doesn't offer to make them in order")
	}
	s.post(t, "/shots/ch/undo", "stage")
	s.post(t, "/shots/ch/undo", "stage")
	// one frame of the first is damaged: found by its checksum, made anew alone
	d := doc(t, s, row)
	st := s.st.Cache.Stage(stage.Key(d, d.Element("domain1")))
	before := map[int]time.Time{}
	for n := range 8 {
		info, err := os.Stat(st.Path(n + 1))
		if err != nil {
			t.Fatal(err)
		}
		before[n+1] = info.ModTime()
	}
	b, _ := os.ReadFile(st.Path(4))
	b[len(b)/2] ^= 0x40
	os.WriteFile(st.Path(4), b, 0o644)
	time.Sleep(20 * time.Millisecond)
	number := 0
	for _, tk := range takes {
		if tk.Domain == "domain1" {
			number = tk.Number
		}
	}
	if code, body := s.post(t, fmt.Sprintf("/shots/ch/take/%d/verify", number), "takes"); code != 422 || !strings.Contains(body, "frames 4 were damaged") {
		t.Errorf("%d %.300s", code, body)
	}
	if got := states(); got != "domain1 partial 7, domain2 current 8" {
		t.Errorf("with a damaged frame: %s", got)
	}
	s.post(t, "/shots/ch/run", "takes")
	s.idle(t)
	if got := states(); got != "domain1 current 8, domain2 current 8" {
		t.Errorf("rebuilt: %s", got)
	}
	for n, at := range before {
		info, _ := os.Stat(st.Path(n))
		if changed := !info.ModTime().Equal(at); changed && n != 4 {
			t.Errorf("frame %d was written again", n)
		}
	}
	if code, _ := s.post(t, fmt.Sprintf("/shots/ch/take/%d/verify", number), "takes"); code != 200 {
		t.Errorf("all is well, and verify says %d", code)
	}
}

func TestSweep(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("SW"))
	body := func(values ...studio.SweepValue) string {
		b, _ := json.Marshal(studio.Sweep{Voxel: 0.1, From: 1, To: 5, Values: values})
		return string(b)
	}
	speed := studio.SweepValue{Element: "emitter1", Key: "speed", From: 0.5, To: 1.5, Steps: 3}
	lift := studio.SweepValue{Element: "domain1", Key: "lift", From: 1, To: 2, Steps: 2}
	for what, bad := range map[string]string{
		"nothing to go over": body(),
		"a look's value":     body(studio.SweepValue{Element: "look:look", Key: "phase", To: 0.5, Steps: 2}),
		"too many":           body(studio.SweepValue{Element: "emitter1", Key: "speed", To: 9, Steps: 65}),
		"too many together":  body(studio.SweepValue{Element: "emitter1", Key: "speed", To: 9, Steps: 9}, studio.SweepValue{Element: "domain1", Key: "lift", To: 2, Steps: 9}),
		"out of range":       body(studio.SweepValue{Element: "emitter1", Key: "smoke", From: -5, To: 1, Steps: 2}),
		"no element":         body(studio.SweepValue{Element: "emitter9", Key: "smoke", To: 1, Steps: 2}),
		"a choice":           body(studio.SweepValue{Element: "domain1", Key: "scheme", To: 1, Steps: 2}),
		"no JSON":            "{",
		"no number":          strings.Replace(body(speed), `"to":1.5`, `"to":null`, 1),
	} {
		if code, said := s.post(t, "/shots/sw/sweep/cost", "takes", "body", bad); code != 422 || len(said) < 10 {
			t.Errorf("%s: %d %s", what, code, said)
		}
	}
	if code, said := s.post(t, "/shots/sw/sweep/cost", "takes", "body", body(speed, lift)); code != 200 || !strings.HasPrefix(said, "6 takes of 5 frames") {
		t.Errorf("%d %s", code, said)
	}
	if code, said := s.post(t, "/shots/sw/sweep", "takes", "body", body(speed, lift)); code != 200 {
		t.Fatalf("%d %.300s", code, said)
	}
	s.idle(t)
	takes, _ := s.st.Store.Takes(row.ID)
	if len(takes) != 6 {
		t.Fatalf("%d takes", len(takes))
	}
	last := takes[0]
	if last.Note != "Inflow speed 1.5 m/s, Lift of warm gas 2" || last.SweepID() != "1" {
		t.Errorf("the last is %q of sweep %q", last.Note, last.SweepID())
	}
	_, page := s.get(t, "/shots/sw/takes")
	if !strings.Contains(page, "Sweep of 6 takes") || !strings.Contains(page, "compare=1%2c2%2c3%2c4%2c5%2c6") || !strings.Contains(page, "6 ready") {
		t.Error("the page doesn't list the sweep")
	}
	// one of them is gone on from: its values, the shot's own voxels
	if code, said := s.post(t, "/shots/sw/take/6/adopt", "takes"); code != 200 {
		t.Fatalf("%d %.300s", code, said)
	}
	d := doc(t, s, row)
	if val.Speed.Of(d.Element("emitter1")) != 1.5 || val.Lift.Of(d.Element("domain1")) != 2 || val.Voxel.Of(d.Element("domain1")) != 0.05 {
		t.Error("its values were not taken over, or too many of them")
	}
	s.post(t, "/shots/sw/run", "takes")
	s.idle(t)
	takes, _ = s.st.Store.Takes(row.ID)
	if takes[0].Parent != last.ID {
		t.Errorf("the next take hangs on %d, not on take 6", takes[0].Parent)
	}
	if _, page = s.get(t, "/shots/sw/takes"); !strings.Contains(page, "from take 6: ") {
		t.Error("the list doesn't say what it was made from")
	}
	// what nobody marked can be cleared: five of the sweep, not the one gone on from
	s.post(t, "/shots/sw/take/2/note", "takes", "note", "", "stars", "4")
	l, _ := s.st.List(row.ID)
	if list, err := s.st.Clearable(row.ID, l); err != nil || len(list) != 5 {
		t.Errorf("%d can be cleared, %v", len(list), err)
	}
	s.post(t, "/shots/sw/takes/clear", "takes")
	takes, _ = s.st.Store.Takes(row.ID)
	if len(takes) != 2 {
		t.Errorf("%d takes are left", len(takes))
	}
}

func TestComparedTakes(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("CM"))
	s.post(t, "/shots/cm/run", "takes")
	s.idle(t)
	s.post(t, "/shots/cm/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "5", "frame", "1")
	s.post(t, "/shots/cm/value", "stage", "kind", "shot", "id", "", "key", "rate", "v", "30", "frame", "1")
	s.post(t, "/shots/cm/run", "takes")
	s.idle(t)
	code, table := s.get(t, "/shots/cm/compare?takes=1,2")
	for _, want := range []string{"Smoke", ">2<", ">5<", "30", "matched by seconds", "&#34;rate&#34;:30"} {
		if !strings.Contains(table, want) {
			t.Errorf("%d: the table lacks %q", code, want)
		}
	}
	if strings.Contains(table, "Temperature") {
		t.Error("it lists what doesn't differ")
	}
	for _, bad := range []string{"", "x", "1,9", strings.Repeat("1,", 70) + "1"} {
		if code, _ := s.get(t, "/shots/cm/compare?takes="+bad); code != 422 {
			t.Errorf("takes=%s: %d", bad, code)
		}
	}
	// pictures of both through the shot's own camera, kept on disk
	one, a := s.get(t, "/shots/cm/still/1/8?w=64")
	_, b := s.get(t, "/shots/cm/still/2/8?w=64")
	if one != 200 || a == b || !strings.HasPrefix(a, "\x89PNG") {
		t.Errorf("%d, %d and %d bytes", one, len(a), len(b))
	}
	tk, _ := s.st.Store.Take(row.ID, 1)
	list, _ := filepath.Glob(filepath.Join(s.st.StillDir(tk.Key), "*.png"))
	if len(list) != 1 {
		t.Errorf("%d pictures are kept", len(list))
	}
	if code, said := s.get(t, "/shots/cm/still/1/99?w=64"); code != 404 && code != 422 {
		t.Errorf("a picture of a frame that isn't there: %d %s", code, said)
	}
	s.post(t, "/shots/cm/take/1/discard", "takes")
	if _, err := os.Stat(s.st.StillDir(tk.Key)); !os.IsNotExist(err) {
		t.Error("a discarded take's pictures stay")
	}
}

func TestProbeReadsNumbers(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("PR"))
	s.post(t, "/shots/pr/run", "takes")
	s.idle(t)
	type head struct {
		N                   [2]int
		Step, At            float64
		Range               [2]float64
		Low, High, Mean     float64
		Filled, Bad         int
		Bins                []int
		Channel, Unit, Axis string
	}
	read := func(query string) (h head, v []float32) {
		r, err := http.Get(s.URL + "/shots/pr/slice/1/8?" + query)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		b, _ := io.ReadAll(r.Body)
		if r.StatusCode != 200 {
			t.Fatalf("%s: %d %s", query, r.StatusCode, b)
		}
		if err := json.Unmarshal([]byte(r.Header.Get("X-Zarf-Slice")), &h); err != nil {
			t.Fatal(err)
		}
		for i := 0; i+4 <= len(b); i += 4 {
			v = append(v, math.Float32frombits(binary.LittleEndian.Uint32(b[i:])))
		}
		if len(v) != h.N[0]*h.N[1] {
			t.Fatalf("%d numbers for %v", len(v), h.N)
		}
		return h, v
	}
	// the planes together hold the total that the run counted
	h, _ := read("channel=density&axis=y")
	sum, most := 0.0, 0.0
	for at := h.Range[0] + h.Step/2; at < h.Range[1]; at += h.Step {
		_, v := read(fmt.Sprintf("channel=density&axis=y&at=%g", at))
		for _, x := range v {
			sum += float64(x) * math.Pow(h.Step, 3)
			most = max(most, float64(x))
		}
	}
	tk, _ := s.st.Store.Take(row.ID, 1)
	f, _ := s.st.Cache.Stage(tk.Key).Get(8)
	if want := run.StatsOf(f).Of(sim.SmokeTotal); math.Abs(sum/want-1) > 0.01 {
		t.Errorf("the planes hold %g m³ of smoke, the run counted %g", sum, want)
	}
	if math.Abs(h.High-most) > 1e-6 || h.Filled == 0 || h.Mean <= h.Low || h.Mean >= h.High {
		t.Errorf("%+v, densest %g", h, most)
	}
	n := 0
	for _, b := range h.Bins {
		n += b
	}
	if n != h.Filled {
		t.Errorf("the histogram counts %d of %d", n, h.Filled)
	}
	// the length of the velocity is that of its parts
	_, l := read("channel=velocity&axis=x")
	_, x := read("channel=velocity&axis=x&part=x")
	_, y := read("channel=velocity&axis=x&part=y")
	_, z := read("channel=velocity&axis=x&part=z")
	for i := range l {
		if w := math.Sqrt(float64(x[i]*x[i] + y[i]*y[i] + z[i]*z[i])); math.Abs(w-float64(l[i])) > 1e-5*(1+w) {
			t.Fatalf("length %g of %g %g %g", l[i], x[i], y[i], z[i])
		}
	}
	for _, bad := range []string{"/shots/pr/slice/1/8?channel=rubbish", "/shots/pr/slice/1/99", "/shots/pr/slice/7/1", "/shots/pr/slice/1/x"} {
		if code, _ := s.get(t, bad); code < 400 || code >= 500 {
			t.Errorf("%s: %d", bad, code)
		}
	}
}

func TestQueueKeepsTurns(t *testing.T) {
	s := serve(t, t.TempDir())
	long := small("Q1")
	val.Last.Set(long.Self, 2000)
	a := s.add(t, long)
	s.post(t, "/shots/q1/run", "stage")
	var rows []store.ShotRow
	for _, n := range []string{"Q2", "Q3", "Q4"} {
		rows = append(rows, s.add(t, small(n)))
		s.post(t, "/shots/"+strings.ToLower(n)+"/run", "stage")
	}
	await(t, "the first", 20*time.Second, func() bool { tk, _ := s.st.Store.Take(a.ID, 1); j := s.job(t, tk.ID); return j.State == store.Running })
	jobs, _ := s.st.Store.ActiveJobs()
	if len(jobs) != 4 {
		t.Fatalf("%d jobs", len(jobs))
	}
	last := jobs[3]
	if code, page := s.post(t, fmt.Sprintf("/queue/%d/first", last.ID), ""); code != 200 || !strings.Contains(page, "put first") {
		t.Errorf("%d %.200s", code, page)
	}
	if code, _ := s.post(t, fmt.Sprintf("/queue/%d/last", jobs[1].ID), ""); code != 200 {
		t.Error(code)
	}
	due, _ := s.st.Store.ActiveJobs()
	if due[1].ID != last.ID || due[3].ID != jobs[1].ID {
		t.Errorf("the order is %d, %d, %d, %d", due[0].ID, due[1].ID, due[2].ID, due[3].ID)
	}
	if code, page := s.get(t, "/queue"); code != 200 || strings.Count(page, ">First<") != 3 {
		t.Errorf("the page: %d", code)
	}
	s.post(t, fmt.Sprintf("/queue/%d/stop", jobs[0].ID), "")
	s.idle(t)
	done, _ := s.st.Store.EndedJobs(10)
	var order []int64
	for i := len(done) - 1; i >= 0; i-- {
		order = append(order, done[i].ID)
	}
	if fmt.Sprint(order) != fmt.Sprint([]int64{jobs[0].ID, last.ID, jobs[2].ID, jobs[1].ID}) {
		t.Errorf("they ended in the order %v", order)
	}
	for _, bad := range []string{"/queue/99/first", "/queue/x/stop", fmt.Sprintf("/queue/%d/sideways", last.ID)} {
		if code, _ := s.post(t, bad, ""); code != 422 {
			t.Errorf("%s: %d", bad, code)
		}
	}
}

func TestScaleIsReadAndMended(t *testing.T) {
	s := serve(t, t.TempDir())
	d := small("SC")
	val.Last.Set(d.Self, 60)
	val.TimeScale.Set(d.Self, 2.5)
	val.Rate.Set(d.Self, 60)
	val.Temperature.Set(d.Element("emitter1"), 600)
	row := s.add(t, d)
	s.post(t, "/shots/sc/run", "takes")
	s.idle(t)
	_, page := s.get(t, "/shots/sc/takes")
	if !strings.Contains(page, "Reads as about") || !strings.Contains(page, "Branch: Time scale") {
		i := strings.Index(page, "topic-scale")
		t.Fatalf("four times too fast, and the page says %.900s", page[max(i, 0):])
	}
	i := strings.Index(page, `name="label" value="Time scale`)
	label := page[i+len(`name="label" value="`):]
	label = label[:strings.Index(label, `"`)]
	if code, said := s.post(t, "/shots/sc/take/1/advise", "takes", "n", "0", "label", "something else"); code != 422 {
		t.Errorf("%d %.200s", code, said)
	}
	if code, said := s.post(t, "/shots/sc/take/1/advise", "takes", "n", "0", "label", label); code != 200 {
		t.Fatalf("%d %.300s", code, said)
	}
	if v := val.TimeScale.Of(doc(t, s, row)); v >= 2 || v <= 0.1 {
		t.Errorf("%s set the time scale to %g", label, v)
	}
}

func TestCacheFolderGoneOrReadOnly(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("GO"))
	s.post(t, "/shots/go/run", "takes")
	s.idle(t)
	tk, _ := s.st.Store.Take(row.ID, 1)
	os.RemoveAll(s.st.Cache.Root)
	if code, page := s.get(t, "/shots/go/takes"); code != 200 || !strings.Contains(page, "missing") {
		t.Errorf("without its cache: %d", code)
	}
	if code, _ := s.get(t, "/shots/go/thumb?take=1&frame=8"); code < 400 {
		t.Errorf("a picture of nothing: %d", code)
	}
	s.post(t, "/shots/go/take/1/resume", "takes")
	s.idle(t)
	if j := s.job(t, tk.ID); j.State != store.Done || len(s.st.Cache.Stage(tk.Key).Frames()) != 8 {
		t.Errorf("made anew: %s %s", j.State, j.Message)
	}
	if os.Getuid() == 0 {
		return // nothing is read-only to root
	}
	os.RemoveAll(s.st.Cache.Stage(tk.Key).Dir)
	os.Chmod(s.st.Cache.Root, 0o555)
	defer os.Chmod(s.st.Cache.Root, 0o755)
	s.post(t, "/shots/go/take/1/resume", "takes")
	s.idle(t)
	if j := s.job(t, tk.ID); j.State != store.Failed || !strings.Contains(j.Message, "permission") {
		t.Errorf("read-only: %s %s", j.State, j.Message)
	}
}

// A take whose key a newer solver would not give again: its frames are
// readable, it is marked stale, and a run makes a take of its own.
func TestTakeOfAnOlderSolver(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("OL"))
	tk := s.finish(t, row)
	old := strings.Repeat("0f", 16)
	if err := os.Rename(s.st.Cache.Stage(tk.Key).Dir, s.st.Cache.Stage(old).Dir); err != nil {
		t.Fatal(err)
	}
	if err := s.st.Store.DeleteTake(tk.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.st.Store.CreateTake(store.Take{ShotID: row.ID, Doc: tk.Doc, Domain: tk.Domain, Key: old, First: 1, Last: 8}); err != nil {
		t.Fatal(err)
	}
	_, page := s.get(t, "/shots/ol/takes")
	if !strings.Contains(page, `class="state stale"`) {
		t.Error("it isn't marked stale")
	}
	if code, _ := s.get(t, "/shots/ol/volume/1/5?size=16"); code != 200 {
		t.Errorf("its frames can't be read: %d", code)
	}
	if code, _ := s.get(t, "/shots/ol/slice/1/5"); code != 200 {
		t.Errorf("nor probed: %d", code)
	}
	again := s.finish(t, row)
	if again.Number == 1 || again.Key == old {
		t.Errorf("the new run went into take %d", again.Number)
	}
}

// A data folder that was moved elsewhere is whole there.
func TestMovedDataFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "here")
	s := serve(t, dir)
	row := s.add(t, small("MV"))
	s.finish(t, row)
	s.close()
	there := filepath.Join(t.TempDir(), "there")
	if err := os.Rename(dir, there); err != nil {
		t.Fatal(err)
	}
	s = serve(t, there)
	if _, page := s.get(t, "/shots/mv/takes"); !strings.Contains(page, `class="state current"`) {
		t.Error("moved, the take is not current")
	}
	if code, _ := s.get(t, "/shots/mv/volume/1/5?size=16"); code != 200 {
		t.Errorf("moved, a frame can't be read: %d", code)
	}
}
