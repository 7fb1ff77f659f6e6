package web

import (
	"bytes"
	"html/template"
	"net/url"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/demo"
)

// A field that is kept as it was written says the same as one written anew, at
// any frame, for every element of the demo.
func TestKeptFieldsSayTheSame(t *testing.T) {
	s := serve(t, t.TempDir())
	list, err := demo.Shots(asset.NewMemory())
	if err != nil {
		t.Fatal(err)
	}
	srv := s.server()
	anew := func(w *space, sh *sheet, f field) string {
		var b bytes.Buffer
		if err := srv.pages["partials"].ExecuteTemplate(&b, "field", map[string]any{"F": f, "S": sh, "W": w}); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	compared := 0
	for _, doc := range list {
		for _, frame := range []int{1, 24, 1} {
			w := &space{Doc: doc, Frame: frame}
			w.Row.Slug = "fs"
			sheets := []*sheet{shotSheet(doc, float64(frame)), lookSheet(doc, doc.Looks[0], float64(frame)), handoverSheet(doc)}
			for _, e := range doc.Elements {
				sheets = append(sheets, elementSheet(doc, e, float64(frame)))
			}
			for _, sh := range sheets {
				all := append([]field(nil), sh.Main...)
				for _, tp := range sh.Topics {
					all = append(all, tp.Fields...)
				}
				for _, f := range all {
					got, err := srv.field(w, sh, f)
					if err != nil {
						t.Fatal(err)
					}
					if want := anew(w, sh, f); string(got) != want {
						t.Fatalf("%s %s %s at frame %d:\n%s\nanew:\n%s", doc.Name, sh.ID, f.Key, frame, got, want)
					}
					compared++
				}
			}
		}
	}
	if compared < 3000 || srv.written.list.Len() > compared/3 {
		t.Errorf("%d fields were compared, %d are kept", compared, srv.written.list.Len())
	}
}

// A word that looks like the mark of the frame stays what it is.
func TestFrameMarkInAWord(t *testing.T) {
	s := serve(t, t.TempDir())
	doc := small("FM")
	w := &space{Doc: doc, Frame: 7}
	sh := handoverSheet(doc)
	var word field
	for _, tp := range append([]topic{{Fields: sh.Main}}, sh.Topics...) {
		for _, f := range tp.Fields {
			if f.Type == shot.Word {
				word = f
			}
		}
	}
	if word.Entry == nil {
		t.Fatal("the handover has no word")
	}
	word.Text = "a" + frameMark
	got, err := s.server().field(w, sh, word)
	if err != nil || !strings.Contains(string(got), template.HTMLEscapeString(word.Text)) || !strings.Contains(string(got), `value="7"`) {
		t.Errorf("%v %s", err, got)
	}
}

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
