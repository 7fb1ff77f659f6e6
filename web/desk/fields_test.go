package desk

import (
	"bytes"
	"html/template"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/demo"
)

// A field that is kept as it was written says the same as one written anew, at
// any frame, for every element of the demo.
func TestKeptFieldsSayTheSame(t *testing.T) {
	list, err := demo.Shots(asset.NewMemory())
	if err != nil {
		t.Fatal(err)
	}
	srv := &Server{}
	srv.pages = srv.loadPages()
	anew := func(w *Space, sh *sheet, f field) string {
		var b bytes.Buffer
		if err := srv.pages["partials"].ExecuteTemplate(&b, "field", map[string]any{"F": f, "S": sh, "W": w}); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	compared := 0
	for _, doc := range list {
		for _, frame := range []int{1, 24, 1} {
			w := &Space{Doc: doc, Frame: frame}
			w.Row.Slug = "fs"
			sheets := []*sheet{shotSheet(doc, float64(frame)), LookSheet(doc, doc.Looks[0], float64(frame)), HandoverSheet(doc)}
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
	srv := &Server{}
	srv.pages = srv.loadPages()
	doc := shot.New("FM")
	w := &Space{Doc: doc, Frame: 7}
	sh := HandoverSheet(doc)
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
	got, err := srv.field(w, sh, word)
	if err != nil || !strings.Contains(string(got), template.HTMLEscapeString(word.Text)) || !strings.Contains(string(got), `value="7"`) {
		t.Errorf("%v %s", err, got)
	}
}
