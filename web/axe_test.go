package web

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"testing"

	"zarf/core/shot"
	"zarf/web/desk"
)

//go:embed testdata/axe/axe.min.js
var axe string

// violation is what the checker finds wrong with a page.
type violation struct {
	ID    string `json:"id"`
	Help  string `json:"help"`
	Nodes []struct {
		HTML    string `json:"html"`
		Summary string `json:"failureSummary"`
	} `json:"nodes"`
}

// accessible runs all rules over the page as it stands.
func (h hand) accessible(what string) {
	h.Helper()
	if _, err := h.Eval(`(src) => { if (!window.axe) (0, eval)(src); return true }`, axe); err != nil {
		h.Fatal(err)
	}
	r, err := h.Eval(`async () => JSON.stringify((await axe.run(document, { resultTypes: ['violations'], rules: { 'label-content-name-mismatch': { enabled: true } } })).violations)`)
	if err != nil {
		h.Fatal(err)
	}
	if wrong := h.eval(named).Value.String(); wrong != "" {
		h.Errorf("%s: names that leave out what is seen: %s", what, wrong)
	}
	var list []violation
	if err := json.Unmarshal([]byte(r.Value.String()), &list); err != nil {
		h.Fatal(err)
	}
	for _, v := range list {
		for n, e := range v.Nodes {
			if n == 3 {
				h.Errorf("%s: %s: and %d more", what, v.ID, len(v.Nodes)-3)
				break
			}
			h.Errorf("%s: %s (%s): %.200s\n%.300s", what, v.ID, v.Help, e.HTML, e.Summary)
		}
	}
}

// named finds fields whose name for assistive tools leaves out the words that
// are seen before them in their label.
const named = `() => [...document.querySelectorAll('label input[aria-label], label select[aria-label]')].map((i) => {
	let said = '';
	for (const n of i.closest('label').childNodes) {
		if (n === i || (n.contains && n.contains(i)) || (n.matches && n.matches('input, select'))) break;
		said += n.textContent;
	}
	said = said.replace(/\s+/g, ' ').trim().toLowerCase();
	return said && !i.getAttribute('aria-label').toLowerCase().includes(said) ? said + ' → ' + i.getAttribute('aria-label') : '';
}).filter(Boolean).join('; ')`

// No page breaks a rule of accessibility, dark or light, at rest and with its
// lists open.
func TestPagesAreAccessible(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("AX"))
	s.finish(t, row)
	s.finish(t, row)
	s.post(t, "/shots/ax/handover", "handover", "take", "1", "name", "boards", "from", "1", "to", "2")
	s.handedOver(t, row)
	h := hand{t, browse(t)}
	old := s.add(t, small("OLD"))
	if err := s.st.Store.Archive(old.ID, true); err != nil {
		t.Fatal(err)
	}
	left(t, s, "left behind")
	pages := []string{"/", "/?find=nothing", "/queue", "/clean", "/shots/ax/delete", "/shots/old/delete", "/shots/ax/nowhere"}
	for _, st := range desk.Stations() {
		pages = append(pages, "/shots/ax/"+st.Key+"?el=emitter1")
	}
	for _, theme := range []string{"dark", "light"} {
		for _, p := range pages {
			h.open(s.URL + p)
			if _, err := h.Eval(fmt.Sprintf(`() => { document.documentElement.dataset.bsTheme = %q; return true }`, theme)); err != nil {
				t.Fatal(err)
			}
			h.accessible(theme + " " + p)
		}
	}
	h.open(s.URL + "/shots/ax/stage?el=" + string(shot.Domain) + "1")
	h.until(`() => window.zarf && zarf.state.scene`)
	for _, open := range []string{"keys", "recipes", "palette"} {
		if _, err := h.Eval(`(id) => { for (const d of document.querySelectorAll('dialog[open]')) d.close(); document.getElementById(id).showModal(); for (const d of document.querySelectorAll('details')) d.open = true; return true }`, open); err != nil {
			t.Fatal(err)
		}
		h.accessible("with “" + open + "” and all topics open")
	}
}
