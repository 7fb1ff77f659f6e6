package web

import (
	"bufio"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/store"
)

func TestElementVerbs(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	do := func(id, verb string, kv ...string) int {
		code, _ := s.post(t, "/shots/t1/element/"+id+"/"+verb, "stage", kv...)
		return code
	}
	for _, k := range shot.ElementKinds() {
		if code, body := s.post(t, "/shots/t1/element", "stage", "kind", string(k)); code != 200 || !strings.Contains(body, `data-kind="`+string(k)+`"`) {
			t.Errorf("add %s: %d", k, code)
		}
	}
	if code, _ := s.post(t, "/shots/t1/element", "stage", "kind", "teapot"); code != 422 {
		t.Errorf("a teapot: %d", code)
	}
	if do("emitter1", "mute") != 200 || !doc(t, s, row).Element("emitter1").Muted {
		t.Error("mute")
	}
	if do("emitter1", "duplicate") != 200 || doc(t, s, row).Element("emitter3") == nil {
		t.Error("duplicate")
	}
	if do("emitter3", "rename", "name", "Vent") != 200 || doc(t, s, row).Element("emitter3").Name != "Vent" {
		t.Error("rename")
	}
	if do("emitter3", "rename", "name", "<b>") != 422 || doc(t, s, row).Element("emitter3").Name != "Vent" {
		t.Error("a bad name was taken")
	}
	order := func() (out string) {
		for _, e := range doc(t, s, row).Elements {
			if e.Kind == shot.Emitter {
				out += e.ID + " "
			}
		}
		return out
	}
	before := order()
	if do("emitter3", "up"); order() == before {
		t.Errorf("up leaves %s", before)
	}
	if do("emitter3", "down"); order() != before {
		t.Errorf("down doesn't undo up: %s", order())
	}
	if do("emitter3", "scope", "domain", "domain1") != 200 || len(doc(t, s, row).Element("emitter3").ActsOn) != 1 {
		t.Errorf("scope %v", doc(t, s, row).Element("emitter3").ActsOn)
	}
	if do("emitter3", "delete") != 200 || doc(t, s, row).Element("emitter3") != nil {
		t.Error("delete")
	}
	if do("emitter3", "mute") != 422 || do("emitter1", "explode") != 422 {
		t.Error("nonsense was answered with success")
	}
}

func TestPlacing(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	for _, bad := range []string{"NaN", "x", "1e30", ""} {
		if code, _ := s.post(t, "/shots/t1/place", "stage", "id", "emitter1", "key", "position", "v0", bad, "v1", "0", "v2", "0"); code != 422 {
			t.Errorf("position %q: %d", bad, code)
		}
	}
	if code, _ := s.post(t, "/shots/t1/place", "stage", "id", "emitter1", "key", "smoke", "v0", "1", "v1", "0", "v2", "0"); code != 422 {
		t.Errorf("smoke was placed: %d", code)
	}
	s.post(t, "/shots/t1/key", "stage", "id", "emitter1", "key", "position", "frame", "1")
	s.post(t, "/shots/t1/place", "stage", "id", "emitter1", "key", "position", "v0", "0.2", "v1", "0.4", "v2", "0", "frame", "5")
	if k := doc(t, s, row).Element("emitter1").Keys(val.Position); len(k) != 2 || k[1].Frame != 5 {
		t.Errorf("a keyed element was placed without a key: %+v", k)
	}
	_, body := s.get(t, "/shots/t1/scene.json?frame=5")
	if !strings.Contains(body, `"position":[0.2,0.4,0]`) || !strings.Contains(body, `"moving":true`) {
		t.Errorf("%.400s", body)
	}
}

func TestLooks(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	if code, _ := s.post(t, "/shots/t1/look/look/delete", "look"); code != 422 {
		t.Error("the only look was deleted")
	}
	s.post(t, "/shots/t1/look/look/duplicate", "look")
	s.post(t, "/shots/t1/look/look2/rename", "look", "name", "Night")
	s.post(t, "/shots/t1/value", "look", "kind", "look", "id", "look2", "key", "colour", "v", "#804020")
	d := doc(t, s, row)
	if len(d.Looks) != 2 || d.Looks[1].Name != "Night" || val.Colour.Of(d.Looks[0]) == val.Colour.Of(d.Looks[1]) {
		t.Errorf("%+v", d.Looks)
	}
	if got := shot.SRGB(val.Colour.Of(d.Looks[1])); got != "#804020" {
		t.Errorf("the colour reads back as %s", got)
	}
	if code, _ := s.post(t, "/shots/t1/value", "look", "kind", "look", "id", "look2", "key", "colour", "v", "red"); code != 422 {
		t.Error("a colour called red was taken")
	}
	s.post(t, "/shots/t1/look/look2/delete", "look")
	if len(doc(t, s, row).Looks) != 1 {
		t.Error("not deleted")
	}
}

func TestUnitsOnPages(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	s.post(t, "/shots/t1/value", "stage", "kind", "shot", "key", "units", "v", "cm")
	_, body := s.get(t, "/shots/t1/sheet?el=domain1")
	if !strings.Contains(body, `id="v-voxel" name="v" value="5"`) {
		t.Error("the voxel size isn't shown in centimetres")
	}
	s.post(t, "/shots/t1/value", "stage", "kind", "domain", "id", "domain1", "key", "voxel", "v", "4")
	if v := val.Voxel.Of(doc(t, s, row).Element("domain1")); v != 0.04 {
		t.Errorf("4 typed in centimetres became %g m", v)
	}
	// what was only shown, rounded, keeps its digits
	s.st.Store.Edit(row.ID, "x", "", func(d *shot.Shot) error {
		val.Position.Set(d.Element("emitter1"), 1.0/30, 0.25, 0)
		return nil
	})
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "position", "v0", "3.333333", "v1", "30", "v2", "0")
	if p := val.Position.Of(doc(t, s, row).Element("emitter1")); p[0] != 1.0/30 || p[1] != 0.3 {
		t.Errorf("%v", p)
	}
}

func TestTakesPage(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	s.finish(t, row)
	s.post(t, "/shots/t1/take/1/note", "takes", "note", "nice & <b>", "stars", "4")
	tk, _ := s.st.Store.Take(row.ID, 1)
	if tk.Note != "nice & <b>" || tk.Stars != 4 {
		t.Errorf("%+v", tk)
	}
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "5")
	_, body := s.get(t, "/shots/t1/takes?take=1")
	for _, want := range []string{"nice &amp; &lt;b&gt;", "stale", "★★★★", "2 → 5"} {
		if !strings.Contains(body, want) {
			t.Errorf("the page lacks %q", want)
		}
	}
	s.post(t, "/shots/t1/take/1/restore", "takes")
	if v := val.Smoke.Of(doc(t, s, row).Element("emitter1")); v != 2 {
		t.Errorf("restored smoke %g", v)
	}
	if code, _ := s.post(t, "/shots/t1/take/77/restore", "takes"); code != 404 {
		t.Errorf("take 77: %d", code)
	}
	// the same values again go on with the same take; others make a new one
	s.finish(t, row)
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "3")
	s.finish(t, row)
	takes, _ := s.st.Store.Takes(row.ID)
	if len(takes) != 2 {
		t.Errorf("%d takes", len(takes))
	}
}

func TestCacheStates(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	tk := s.finish(t, row)
	state := func() studio.CacheState {
		tk, _ = s.st.Store.TakeByID(tk.ID)
		st, _ := s.st.State(doc(t, s, row), tk)
		return st
	}
	if st := state(); st != studio.Current {
		t.Errorf("after the run: %s", st)
	}
	s.post(t, "/shots/t1/value", "look", "kind", "look", "id", "look", "key", "phase", "v", "0.7")
	if st := state(); st != studio.Current {
		t.Errorf("after a change of look: %s", st)
	}
	s.post(t, "/shots/t1/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "5")
	if st := state(); st != studio.Stale {
		t.Errorf("after a change of smoke: %s", st)
	}
	s.post(t, "/shots/t1/undo", "stage")
	s.st.Cache.Stage(tk.Key).Drop(3)
	if st := state(); st != studio.Partial {
		t.Errorf("with a frame gone: %s", st)
	}
	s.st.Cache.Stage(tk.Key).Remove()
	if st := state(); st != studio.Missing {
		t.Errorf("with the folder gone: %s", st)
	}
}

func TestHandoverRequests(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	if code, body := s.post(t, "/shots/t1/handover", "handover", "name", "x"); code != 422 || !strings.Contains(body, "run it first") {
		t.Errorf("without a take: %d %.200s", code, body)
	}
	s.finish(t, row)
	for _, bad := range [][]string{{"name", "../x"}, {"name", ""}, {"name", "x", "from", "9", "to", "2"}, {"name", "x", "from", "one"}, {"name", "x", "renders", "999"}} {
		if code, _ := s.post(t, "/shots/t1/handover", "handover", bad...); code != 422 {
			t.Errorf("%v: %d", bad, code)
		}
	}
	// frames beyond the cache: the job fails and says which
	s.post(t, "/shots/t1/handover", "handover", "name", "x", "from", "1", "to", "12")
	var j store.Job
	await(t, "the handover", 20*time.Second, func() bool {
		l, _ := s.st.Store.ShotJobs(row.ID, studio.KindHandover)
		if len(l) > 0 {
			j = l[0]
		}
		return len(l) > 0 && !l[0].Active()
	})
	if j.State != store.Failed || !strings.Contains(j.Message, "9–12") {
		t.Errorf("%s: %s", j.State, j.Message)
	}
	if code, _ := s.get(t, fmt.Sprintf("/shots/t1/handover/%d/zip", j.ID)); code != http.StatusConflict {
		t.Errorf("the zip of a failed handover: %d", code)
	}
	if !strings.HasPrefix(j.Dir, filepath.Join(s.dir, "handovers")) {
		t.Errorf("it went to %s", j.Dir)
	}
}

func TestEventsTellOfJobs(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	resp, err := http.Get(s.URL + "/events")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	lines := make(chan string, 100)
	go func() {
		r := bufio.NewScanner(resp.Body)
		for r.Scan() {
			lines <- r.Text()
		}
		close(lines)
	}()
	s.finish(t, row)
	seen, end := "", time.After(10*time.Second)
	for !strings.Contains(seen, `"state":"done"`) {
		select {
		case l := <-lines:
			seen += l
		case <-end:
			t.Fatalf("heard %.500s", seen)
		}
	}
	if !strings.Contains(seen, `"state":"running"`) || !strings.Contains(seen, `"total":8`) {
		t.Errorf("%.500s", seen)
	}
}

func TestStaticFilesStayForEver(t *testing.T) {
	s := serve(t, t.TempDir())
	_, page := s.get(t, "/")
	i := strings.Index(page, "/static/")
	link := page[i : i+strings.IndexAny(page[i:], `"'`)]
	resp, err := http.Get(s.URL + link)
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != 200 || !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") {
		t.Errorf("%s: %d %s", link, resp.StatusCode, resp.Header.Get("Cache-Control"))
	}
	if strings.Contains(page, "http://") && strings.Contains(strings.ReplaceAll(page, "http://127.0.0.1", ""), "src=\"http") {
		t.Error("the page asks another host")
	}
}

func TestDataFolderProblems(t *testing.T) {
	file := filepath.Join(t.TempDir(), "file")
	os.WriteFile(file, []byte("x"), 0o644)
	if _, err := studio.Open(filepath.Join(file, "data"), quietLog()); err == nil || !strings.Contains(err.Error(), "--data") {
		t.Errorf("a folder within a file: %v", err)
	}
	dir := t.TempDir()
	os.WriteFile(filepath.Join(dir, "zarf.db"), []byte("this is no database, and long enough to be looked at"), 0o644)
	if _, err := studio.Open(dir, quietLog()); err == nil || !strings.Contains(err.Error(), "zarf.db") {
		t.Errorf("a broken database: %v", err)
	}
}

func TestAddressesKeepTheirChoices(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("T1"))
	s.finish(t, row)
	_, body := s.get(t, "/shots/t1/stage?"+url.Values{"el": {"emitter1"}, "frame": {"5"}}.Encode())
	if !strings.Contains(body, `id="cast-emitter1"`) || !strings.Contains(body, `value="5" aria-label="Frame"`) || !strings.Contains(body, `data-id="emitter1"`) {
		t.Error("the address doesn't bring back element and frame")
	}
}
