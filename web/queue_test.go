package web

import (
	"fmt"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	"zarf/studio"
)

// What was asked for stands on its page at once, with its place in the queue
// and a way to move it, while another shot's run goes on.
func TestWaitingJobsStandOnTheirPages(t *testing.T) {
	dir := t.TempDir()
	s := serve(t, dir)
	row := s.add(t, small("WT"))
	s.finish(t, row)
	s.add(t, small("OT"))
	s.add(t, small("OU"))
	s.close()
	s = serveWith(t, dir, false)
	post := func(path string, kv ...string) {
		t.Helper()
		if code, body := s.post(t, path, "handover", kv...); code != 200 {
			t.Fatalf("%s: %d %.300s", path, code, body)
		}
	}
	post("/shots/ot/run")
	due, err := s.st.Store.ActiveJobs()
	if err != nil || len(due) != 1 {
		t.Fatal(due, err)
	}
	if err := s.st.Store.JobStep(due[0].ID, 3, 60, 600, 1); err != nil {
		t.Fatal(err)
	}
	post("/shots/ou/run")
	post("/shots/wt/handover", "take", "1", "name", "boards", "from", "1", "to", "4")
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/wt/handover")
	h.until(`() => document.querySelector('#left').textContent.includes('2 ahead, first the simulation of OT (10 min left)')`)

	// asked for while the page is open
	post("/shots/wt/record", "take", "1", "look", "look", "from", "1", "to", "4", "wide", "32", "tall", "18", "solids", "out")
	h.until(`() => document.querySelector('[id^=rec-]') && document.querySelector('[id^=rec-]').textContent.includes('3 ahead')`)
	if n := h.eval(`() => document.querySelectorAll('[id^=rec-] film-strip').length`).Value.Int(); n != 0 {
		t.Error("a strip without frames is shown")
	}

	// moved up, it comes right after what runs
	h.click(`[id^=rec-] form[hx-post$="/first"] button`)
	h.until(`() => document.querySelector('[id^=rec-]').textContent.includes('next, after the simulation of OT')`)
	h.until(`() => document.querySelector('[id^=hand-]').textContent.includes('3 ahead')`)
	due, _ = s.st.Store.ActiveJobs()
	if len(due) != 4 || due[1].Kind != studio.KindRender {
		t.Errorf("%+v", due)
	}

	// the other shot's run ends: what waits here moves up by itself
	if err := s.st.Stop(due[2].ID); err != nil {
		t.Fatal(err)
	}
	h.until(`() => document.querySelector('[id^=hand-]').textContent.includes('2 ahead')`)

	// of another shot nothing can be moved from here
	if code, _ := s.post(t, fmt.Sprintf("/shots/ot/job/%d/first", due[1].ID), "handover"); code == 200 {
		t.Error("a job of another shot was moved")
	}
	h.click(`[id^=rec-] form[hx-post$="/stop"] button`)
	h.until(`() => document.querySelector('[id^=rec-]').textContent.includes('stopped before it began')`)
}

// Each key does what the list of keys says, and none has two meanings.
func TestKeysAreListedOnce(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("KB"))
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/kb/stage?el=emitter1")
	h.until(`() => window.zarf && zarf.state.scene`)
	list := h.eval(`() => [...document.querySelectorAll('#keylist tr')].map((r) => r.textContent).join('|')`).Value.String()
	for _, want := range []string{"j o s", "beads", "get a recipe", "Ctrl K or /"} {
		if !strings.Contains(list, want) {
			t.Errorf("the list of keys says nothing of %q: %s", want, list)
		}
	}
	twice := h.eval(`async () => {
		const { Actions } = await import(document.querySelector('script[src*="workspace.js"]').src.replace('workspace.js', 'actions.js'));
		try { new Actions([{ keys: { b: () => 0 }, says: 'one' }, { keys: { b: () => 0 }, says: 'two' }]); } catch (e) { return e.message; }
		return 'taken';
	}`).Value.String()
	if twice != "the key “b” is bound twice: to “one” and to “two”" {
		t.Errorf("a key bound twice: %s", twice)
	}
	for key, mode := range map[input.Key]string{input.KeyO: "rotate", input.KeyS: "scale", input.KeyJ: "translate"} {
		h.Keyboard.Type(key)
		h.until(`() => document.querySelector('[data-gizmo=` + mode + `]').getAttribute('aria-pressed') === 'true'`)
	}
	was := h.eval(`() => document.querySelector('[data-view=points]').getAttribute('aria-pressed')`).Value.String()
	h.Keyboard.Type(input.KeyB)
	h.until(`() => document.querySelector('[data-view=points]').getAttribute('aria-pressed') !== '` + was + `'`)
	if h.eval(`() => document.querySelector('#recipes').open`).Value.Bool() {
		t.Error("b opens the recipes too")
	}
}
