package web

import (
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"zarf/core/geom"
)

// A frame that a run has just put into the cache is in the picture within 300 ms of the
// notice and two pictures' time, not at the page's next refresh; pre-roll and the coarse
// frames under an upres, which aren't kept, change nothing.
func TestAFinishedFrameIsShownAtOnce(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("AR"))
	tk := s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/ar/stage?frame=4&volume=16")
	h.until(`() => window.zarf && zarf.state.scene && zarf.shown()`)
	notice := func(kept bool) string {
		return fmt.Sprintf(`{"job":1,"kind":"sim","shot":%d,"take":%d,"state":"running","done":4,"total":8,"left":1,"step":{"frame":4,"kept":%t}}`, row.ID, tk.ID, kept)
	}
	// The page as if the frame weren't made yet, and a refresh had just been. One that is
	// under way may still come and bring the frame: then once more.
	wait := func(kept bool) float64 {
		h.Helper()
		r, err := h.Eval(`async (notice) => {
			window.fetch = ((real) => (at, o) => /scene\.json|\/parts\//.test(String(at)) ? new Promise(() => {}) : real(at, o))(window.fetch);
			for (;;) {
				const was = zarf.state.scene;
				was.takes[0].frames = [1, 2, 3];
				zarf.view.fluid(null);
				const told = performance.now();
				zarf.events.onmessage({ data: notice });
				while (performance.now() - told < 3000 && zarf.state.scene === was) {
					if (zarf.shown() && was.takes[0].frames.includes(4)) return performance.now() - told;
					await new Promise((r) => setTimeout(r, 5));
				}
				if (zarf.state.scene === was) return -1;
			}
		}`, notice(kept))
		if err != nil {
			t.Fatal(err)
		}
		return r.Value.Num()
	}
	if ms := wait(false); ms >= 0 {
		t.Errorf("a frame that isn't kept was shown after %.0f ms", ms)
	}
	// how long a picture takes that the processor draws
	r, err := h.Eval(`async () => {
		const begin = performance.now();
		await zarf.view.moving(); await zarf.view.moving();
		return performance.now() - begin;
	}`)
	if err != nil {
		t.Fatal(err)
	}
	draws := r.Value.Num()
	ms := wait(true)
	t.Logf("shown after %.0f ms; two pictures take %.0f", ms, draws)
	if ms < 0 || ms > 300+draws {
		t.Errorf("the frame was shown after %.0f ms", ms)
	}
}

// Uploads that stall hold up nobody but themselves.
func TestStalledUploadsHoldNobodyUp(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("ST"))
	at := strings.TrimPrefix(s.URL, "http://")
	for range 4 {
		c, err := net.Dial("tcp", at)
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		fmt.Fprintf(c, "POST /shots/st/bring HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: 100000\r\n\r\n--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.obj\"\r\n\r\nv 0 0 0\r\n", at, testToken)
	}
	time.Sleep(300 * time.Millisecond)
	begin := time.Now()
	s.bring(t, row, "ball.obj", objOf(geom.BallMesh(0.2, 8)), "as", "collider")
	if took := time.Since(begin); took > 5*time.Second {
		t.Errorf("another upload took %v", took)
	}
}

// A changed look's picture is asked for before the panels are exchanged, and once; and what
// a page missed before it heard of notices it asks for.
func TestAPageAsksInTime(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("AT"))
	s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/at/look?frame=4&quality=0.1&volume=16")
	h.until(`() => window.zarf && zarf.state.scene && document.querySelector('#lit').dataset.samples > 0 && performance.now() > 1500`)
	h.eval(`() => {
		window.asked = [];
		window.fetch = ((real) => (at, o) => { asked.push(String(at).includes('/preview?') ? 'picture' : String(at).includes('/parts/') ? 'parts' : 'else'); return real(at, o); })(window.fetch);
		new MutationObserver(() => asked.push('panels')).observe(document.getElementById('docmark'), { childList: true });
		const e = document.querySelector('#v-sun_bearing');
		e.value = 17;
		e.dispatchEvent(new Event('input', { bubbles: true }));
		e.dispatchEvent(new Event('change', { bubbles: true }));
		return true;
	}`)
	h.until(`() => asked.includes('panels') && asked.includes('picture')`)
	if said := h.eval(`() => asked.join(' ')`).Value.Str(); strings.Index(said, "picture") > strings.Index(said, "panels") {
		t.Errorf("asked in the order %s", said)
	}
	h.eval(`() => { asked.length = 0; document.activeElement.blur(); zarf.events.onopen(); return true }`)
	h.until(`() => asked.includes('parts')`)
}

// Parts of a page that were asked for before a value was changed, and come after its
// answer, put nothing back: they are asked for once more.
func TestLatePartsOfAPagePutNothingBack(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("LP"))
	s.finish(t, row)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/lp/handover")
	h.until(`() => window.zarf && document.querySelector('#f-what select')`)
	if _, err := h.Eval(`(shot) => {
		window.asked = 0;
		window.fetch = ((real) => async (at, o) => {
			const late = String(at).includes('/parts/') && ++window.asked === 1;
			const r = await real(at, o);
			if (late) { window.read = true; await new Promise((r) => { window.give = r; }); }
			return r;
		})(window.fetch);
		zarf.events.onmessage({ data: JSON.stringify({ kind: 'checks', shot }) });
		return true;
	}`, row.ID); err != nil {
		t.Fatal(err)
	}
	h.until(`() => window.read`)
	h.choose("#f-what select", "flipbook")
	h.until(`() => document.querySelector('#record')`)
	if kept := h.eval(`async () => {
		window.give();
		for (const end = performance.now() + 1500; performance.now() < end || window.asked < 2; await new Promise((r) => setTimeout(r, 10)))
			if (!document.querySelector('#record') || document.querySelector('#f-what select').value !== 'flipbook') return false;
		return true;
	}`); !kept.Value.Bool() {
		t.Error("what was chosen is gone again")
	}
}
