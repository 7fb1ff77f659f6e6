package web

import (
	"fmt"
	"strings"
	"testing"

	"zarf/core/shot/val"
	"zarf/studio/store"
)

// Takes side by side, in a wipe and as a difference; a sweep set up in its
// dialog; the probe under the pointer: all by real clicks.
func TestCompareSweepAndProbeInTheBrowser(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("CB"))
	s.post(t, "/shots/cb/run", "takes")
	s.idle(t)
	s.post(t, "/shots/cb/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "9", "frame", "1")
	s.post(t, "/shots/cb/value", "stage", "kind", "emitter", "id", "emitter1", "key", "speed", "v", "2", "frame", "1")
	s.post(t, "/shots/cb/run", "takes")
	s.idle(t)
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/cb/takes?volume=16&frame=6")
	h.until(`() => window.zarf && zarf.state.scene && zarf.compare`)
	h.click(`[data-compare-go]`)
	h.until(`() => document.getElementById('viewnote').textContent.includes('Tick two to four')`)
	h.click(`[data-compare="1"]`)
	h.click(`[data-compare="2"]`)
	h.click(`[data-compare-go]`)
	h.until(`() => zarf.compare.open && zarf.compare.ready(6) && location.search.includes('compare=1%2C2')`)
	h.until(`() => document.querySelector('.comparetable').textContent.includes('Smoke') && document.querySelector('.comparetable').textContent.includes('9')`)
	mean := `(x0, x1) => { const c = zarf.compare.canvas, d = c.getContext('2d').getImageData(Math.floor(c.width * x0), 40, Math.floor(c.width * (x1 - x0)), c.height - 60).data; let s = 0; for (let i = 0; i < d.length; i += 4) s += d[i] + d[i + 1] + d[i + 2]; return s / (d.length / 4 * 3); }`
	num := func(x0, x1 float64) float64 {
		t.Helper()
		return h.number(fmt.Sprintf(`() => (%s)(%g, %g)`, mean, x0, x1))
	}
	h.until(`() => !zarf.compare.due`)
	if a, b := num(0, 0.5), num(0.5, 1); a < 5 || b < 5 || a == b {
		t.Errorf("side by side: %g and %g", a, b)
	}
	h.choose(`#comparepane [name=mode]`, "difference")
	h.until(`() => zarf.compare.mode.value === 'difference' && zarf.compare.ready(6) && !zarf.compare.due`)
	four := num(0, 1)
	h.choose(`#comparepane [name=gain]`, "16")
	h.until(`() => zarf.compare.gain.value === '16' && !zarf.compare.due`)
	if more := num(0, 1); four <= 0.02 || more <= four {
		t.Errorf("the difference shows as %g, four times as bright as %g", four, more)
	}
	h.choose(`#comparepane [name=mode]`, "wipe")
	h.until(`() => zarf.compare.mode.value === 'wipe'`)
	b := h.spot(`() => { const b = zarf.compare.canvas.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; }`)
	h.stroke(b, [2]float64{b[0] - 120, b[1]})
	h.until(`() => zarf.compare.line < 0.45`)
	// offset in time: take 2 two frames later shows its frame 8
	if _, err := h.Eval(`() => { const i = document.querySelector('[data-offset="1"]'); i.value = '2'; i.dispatchEvent(new Event('change', { bubbles: true })); }`); err != nil {
		t.Fatal(err)
	}
	h.until(`() => zarf.compare.at(zarf.compare.items[1], 6) === 8 && zarf.compare.at(zarf.compare.items[0], 6) === 6`)
	h.click(`#comparepane [name=close]`)
	h.until(`() => !zarf.compare.open && !location.search.includes('compare=')`)

	h.click(`[data-probe]`)
	h.until(`() => zarf.probe.head && zarf.probe.head.channel === 'density'`)
	h.choose(`#probepane [name=channel]`, "velocity")
	h.until(`() => zarf.probe.head.channel === 'velocity' && !document.querySelector('#probepane [name=part]').hidden && document.querySelector('#probepane [name=facts]').textContent.includes('m/s')`)
	if _, err := h.Eval(`() => { const p = document.querySelector('canvas.plane'), c = p.getBoundingClientRect(); p.dispatchEvent(new PointerEvent('pointermove', { clientX: c.x + c.width * 0.4, clientY: c.y + c.height * 0.5 })); }`); err != nil {
		t.Fatal(err)
	}
	h.until(`() => / m\/s at .* m$/.test(document.querySelector('#probepane [name=under]').textContent)`)
	h.click(`#probepane [name=close]`)

	h.click(`[data-sweep]`)
	h.until(`() => document.getElementById('sweep').open`)
	h.choose(`.sweepvalue [name=value]`, "Emitter: Inflow speed")
	h.until(`() => document.querySelector('#sweep [name=said]').textContent.startsWith('3 takes of 8 frames') && !document.querySelector('#sweep [name=start]').disabled`)
	h.click(`#sweep [name=start]`)
	var takes []store.Take
	h.until(`() => !document.getElementById('sweep').open`)
	s.idle(t)
	takes, _ = s.st.Store.Takes(row.ID)
	if len(takes) != 5 || !strings.HasPrefix(takes[0].Note, "Inflow speed 4 m/s") {
		t.Fatalf("%d takes, the last is %q", len(takes), takes[0].Note)
	}
	// the list follows by itself
	h.until(`() => document.querySelector('.sweepitem') && document.querySelector('.sweepitem').textContent.includes('3 ready')`)
	h.click(`.sweepitem a`)
	h.until(`() => window.zarf && zarf.compare && zarf.compare.open && zarf.compare.items.length === 3 && zarf.compare.ready(6) && zarf.compare.mode.value === 'sheet'`)
	// the third is chosen and gone on from
	// (its place is looked up at each press: the pane is still settling when pictures arrive)
	third := func() [2]float64 {
		return h.spot(`() => { const b = zarf.compare.canvas.getBoundingClientRect(), [x, y, w, hh] = zarf.compare.cell(2), k = zarf.compare.scale; return [b.x + (x + w / 2) / k, b.y + (y + hh / 2) / k]; }`)
	}
	for at := third(); ; {
		h.stroke(at)
		now := third()
		if now == at {
			break
		}
		at = now
	}
	h.until(`() => !document.querySelector('#comparepane [name=adopt]').hidden`)
	h.click(`#comparepane [name=adopt]`)
	h.until(`() => document.getElementById('undo').title.includes('go on from take 5')`)
	if v := val.Speed.Of(doc(t, s, row).Element("emitter1")); v != 4 {
		t.Errorf("going on from it, the speed is %g", v)
	}
}
