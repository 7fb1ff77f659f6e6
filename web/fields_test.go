package web

import (
	"net/url"
	"strings"
	"testing"

	"zarf/core/shot/val"
)

// The list of takes tells a note, stars and a name as soon as they are given.
func TestKeptTakesFollowTheirNotes(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("KT"))
	s.finish(t, row)
	page := func() string {
		_, body := s.get(t, "/shots/kt/takes")
		from := strings.Index(body, `<li id="take-1"`)
		to := strings.Index(body[from:], "</li>")
		return body[from : from+to]
	}
	seen := map[string]bool{page(): true}
	for n, form := range []url.Values{{"note": {"too fast"}, "stars": {"0"}}, {"note": {"too fast"}, "stars": {"2"}}, {"note": {"<b>slow"}, "stars": {"2"}}} {
		if code, body := s.post(t, "/shots/kt/take/1/note", "takes", "note", form.Get("note"), "stars", form.Get("stars")); code != 200 {
			t.Fatal(code, body)
		}
		p := page()
		if seen[p] || strings.Contains(p, "<b>slow") {
			t.Errorf("step %d: %s", n, p)
		}
		seen[p] = true
	}
	if code, body := s.post(t, "/shots/kt/value", "stage", "kind", "emitter", "id", "emitter1", "key", val.Speed.Name(), "frame", "1", "v", "3.25"); code != 200 {
		t.Fatal(code, body)
	}
	if p := page(); seen[p] || !strings.Contains(p, "stale") {
		t.Errorf("after a change: %s", p)
	}
}
