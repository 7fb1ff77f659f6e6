// Command pictures makes docs/screenshots anew: it starts Zarf with the demo
// shots on a folder of its own, waits for the first run, and takes a picture
// of every main view at 1280 x 800. Run it from the repository's root after
// make build. With -data it keeps the folder, and goes on with what it holds; -only
// names the pictures to take. With arguments URL FILE it takes one picture instead.
package main

import (
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"zarf/internal/shoot"
)

var (
	folder = flag.String("data", "", "data folder that is kept")
	only   = flag.String("only", "", "names of pictures, by commas")
)

func main() {
	flag.Parse()
	var err error
	if args := flag.Args(); len(args) >= 2 {
		script := ""
		if len(args) > 2 {
			script = args[2]
		}
		err = one(args[0], args[1], script)
	} else {
		err = all("docs/screenshots")
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "pictures:", err)
		os.Exit(1)
	}
}

func one(url, file, script string) error {
	b, err := shoot.Open()
	if err != nil {
		return err
	}
	defer b.Close()
	return take(b, url, file, script, 3*time.Second)
}

func take(b *shoot.Browser, url, file, script string, wait time.Duration) error {
	p, err := b.Page()
	if err != nil {
		return err
	}
	defer p.Close()
	if err := p.Go(url); err != nil {
		return err
	}
	time.Sleep(wait)
	if script != "" {
		if _, err := p.Eval(script); err != nil {
			return err
		}
		time.Sleep(2 * time.Second)
	}
	for _, f := range p.Faults() {
		fmt.Fprintln(os.Stderr, url, f)
	}
	return p.PNG(file)
}

// all starts a server and goes through the views.
func all(dir string) error {
	data := *folder
	if data == "" {
		var err error
		if data, err = os.MkdirTemp("", "zarf-pictures-"); err != nil {
			return err
		}
		defer os.RemoveAll(data)
	}
	address, stop, err := serve(data)
	if err != nil {
		return err
	}
	defer stop()
	url, _, _ := strings.Cut(address, "/?")
	b, err := shoot.Open()
	if err != nil {
		return err
	}
	defer b.Close()
	p, err := b.Page()
	if err != nil {
		return err
	}
	if err := p.Go(address); err != nil { // with the token, which stays as a cookie
		return err
	}
	if err := prepare(p, url); err != nil {
		return err
	}
	hands, err := handOver(p, url)
	if err != nil {
		return err
	}
	p.Close()
	for _, v := range views(hands) {
		if *only != "" && !slices.Contains(strings.Split(*only, ","), v.name) {
			continue
		}
		if err := take(b, url+v.path, filepath.Join(dir, v.name+".png"), v.script, v.wait); err != nil {
			return fmt.Errorf("%s: %w", v.name, err)
		}
	}
	return nil
}

// serve starts the demo and gives its address.
func serve(data string) (url string, stop func(), err error) {
	cmd := exec.Command(filepath.Join("bin", "zarf"), "demo", "--data", data, "--listen", "127.0.0.1:0")
	out, err := cmd.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	stop = func() {
		cmd.Process.Signal(os.Interrupt)
		cmd.Wait()
	}
	buf := make([]byte, 400)
	n, err := out.Read(buf)
	if err != nil {
		stop()
		return "", nil, err
	}
	go io.Copy(io.Discard, out)
	text := string(buf[:n])
	at := strings.Index(text, "http://")
	if at < 0 {
		stop()
		return "", nil, fmt.Errorf("the server said %q", text)
	}
	return strings.Fields(text[at:])[0], stop, nil
}

// prepare runs what the pictures show: all shots, a rendered range, a second
// take, a sweep.
func prepare(p *shoot.Page, url string) error {
	if err := p.Go(url + "/shots/bl010/stage"); err != nil {
		return err
	}
	if err := p.Until(2*time.Minute, `() => window.zarf && zarf.state.scene.takes[0].frames.length > 25`); err != nil {
		return err
	}
	if err := p.Until(5*time.Minute, `() => zarf.state.scene.takes[0].frames.length === 96 && !document.querySelector('#running')`); err != nil {
		return err
	}
	// a rendered range, so that its list holds something
	if err := p.Go(url + "/shots/bl010/look?take=1"); err != nil {
		return err
	}
	if _, err := p.Eval(order, ".jobform", map[string]string{"from": "60", "to": "63"}); err != nil {
		return err
	}
	if err := p.Until(5*time.Minute, `() => document.querySelector('.jobline .state.done')`); err != nil {
		return err
	}
	if err := runOthers(p, url); err != nil {
		return err
	}
	return compared(p, url)
}

// runOthers runs the other shots that pictures show, one after the other.
func runOthers(p *shoot.Page, url string) error {
	for _, name := range []string{"bl020", "bl030", "bl040", "bl080", "bl090", "bl100", "bl110", "bl120"} {
		// a page that follows the run in small pictures leaves the machine to it
		if err := p.Go(url + "/shots/" + name + "/takes?volume=16"); err != nil {
			return err
		}
		if err := p.Until(time.Minute, ready); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if there, err := p.Eval(`() => (` + made + `)()`); err == nil && there.Value.Bool() {
			continue
		}
		// all of a chain, where there is one
		if _, err := p.Eval(`() => (document.querySelector('#rebuild') || document.querySelector('#run')).click()`); err != nil {
			return err
		}
		if err := p.Until(15*time.Minute, made); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	return nil
}

// compared makes a second take of the fog signal to hold against the first, and a sweep.
func compared(p *shoot.Page, url string) error {
	if err := p.Go(url + "/shots/bl010/takes"); err != nil {
		return err
	}
	if err := p.Until(time.Minute, ready); err != nil {
		return err
	}
	if twice, err := p.Eval(`() => zarf.state.scene.takes.length > 1`); err == nil && !twice.Value.Bool() {
		if _, err := p.Eval(secondTake); err != nil {
			return err
		}
		if err := p.Until(5*time.Minute, `() => zarf.state.scene.takes.length > 1 && zarf.state.scene.takes[0].state === 'current' && !document.querySelector('#running')`); err != nil {
			return err
		}
		if _, err := p.Eval(`() => document.querySelector('#undo').click()`); err != nil {
			return err
		}
	}
	if err := p.Until(time.Minute, `() => zarf.state.scene.takes[1].state === 'current'`); err != nil {
		return err
	}
	if err := p.Go(url + "/shots/bl080/takes"); err != nil {
		return err
	}
	if err := p.Until(time.Minute, ready); err != nil {
		return err
	}
	if there, err := p.Eval(`() => !!document.querySelector('.sweepitem')`); err == nil && !there.Value.Bool() {
		if _, err := p.Eval(sweep); err != nil {
			return err
		}
	}
	return p.Until(5*time.Minute, `() => !!document.querySelector('.sweepitem') && document.querySelector('.sweepitem').textContent.includes('6 ready')`)
}

// ready says that the page's scripts have found its buttons: one that is pressed before asks for
// the page anew.
const ready = `() => window.zarf && zarf.state && zarf.state.scene`

// made says that a shot has been run, all of its chain.
const made = `() => zarf.state.scene.takes.length > 0 && zarf.state.scene.takes[0].state === 'current' && !document.querySelector('#running') && !document.querySelector('#rebuild')`

// shown is a picture: a page, what is done on it, and how long it then takes.
type shown struct {
	name, path, script string
	wait               time.Duration
}

// views are the pictures; hands are the handovers that some of them show.
func views(hands [2]string) []shown {
	return []shown{
		{"shots", "/", "", 3 * time.Second},
		{"stage", "/shots/bl010/stage?take=1&frame=62&el=domain1", "", 4 * time.Second},
		{"score", "/shots/bl010/score?take=1&frame=62&el=emitter1", "", 4 * time.Second},
		{"takes", "/shots/bl010/takes?frame=62", "", 4 * time.Second},
		{"look", "/shots/bl020/look?take=1&frame=48&look=look", `() => { const d = document.querySelector('#topic-look-flame'); d.open = true; d.scrollIntoView(); }`, 40 * time.Second},
		{"handover", fmt.Sprintf("/shots/bl100/handover?hand=%s&tab=play", hands[0]), "() => { document.querySelector('flip-player').pixel(1.42, 0, 0); }", 8 * time.Second},
		{"recipes", "/shots/bl020/stage?frame=40&el=collider1", `() => { document.querySelector('#addmenu [data-recipes]').click() }`, 4 * time.Second},
		{"guide", "/shots/bl010/stage?take=1&frame=70&el=guide1", `() => { document.querySelector('[data-curve]').click() }`, 4 * time.Second},
		{"draft", "/shots/bl020/stage?el=emitter1", `() => new Promise((done) => { document.querySelector('#draft').click(); const see = () => { if (zarf.draft.frame > 40) { document.querySelector('#drafttools [name=pause]').click(); setTimeout(() => done(true), 1500); } else setTimeout(see, 100); }; see(); })`, 3 * time.Second},
		{"compare", "/shots/bl010/takes?compare=1,2&mode=wipe&frame=66", "", 9 * time.Second},
		{"sweep", "/shots/bl080/takes?compare=2,3,4,5,6,7&mode=sheet&frame=44", "", 12 * time.Second},
		{"probe", "/shots/bl020/takes?take=1&frame=40", `() => new Promise((done) => { zarf.probe.q('channel').append(new Option('temperature')); zarf.probe.q('channel').value = 'temperature'; zarf.probe.toggle(true); setTimeout(() => { const p = document.querySelector('canvas.plane'), c = p.getBoundingClientRect(); p.dispatchEvent(new PointerEvent('pointermove', { clientX: c.x + c.width * 0.35, clientY: c.y + c.height * 0.5 })); done(true); }, 3000); })`, 5 * time.Second},
		{"sea", "/shots/bl120/look?frame=84", "", 60 * time.Second},
		{"drum", fmt.Sprintf("/shots/bl090/handover?hand=%s&tab=comp&frame=50", hands[1]), "", 8 * time.Second},
		{"paint", "/shots/bl090/stage?el=collider1", paintDrum, 4 * time.Second},
		{"blast", "/shots/bl030/look?frame=36", "", 30 * time.Second},
		{"totals", "/shots/bl030/takes?frame=20", `() => { const e = document.querySelector('#topic-scale'); e.scrollIntoView(); }`, 6 * time.Second},
		{"checks", "/shots/bl010/stage?take=1&frame=62&el=emitter1", `() => { const f = document.querySelector('#f-position form'); f.querySelector('[name=v0]').value = '5'; f.querySelector('[name=v0]').dispatchEvent(new Event('change', { bubbles: true })); setTimeout(() => { document.querySelector('#checks').open = true; }, 1200); }`, 3 * time.Second},
	}
}

// order fills a form and presses its button.
const order = `(sel, v) => { const f = document.querySelector(sel); for (const k in v) f.querySelector('[name=' + k + ']').value = v[k]; f.querySelector('button.btn:not(.btn-quiet)').click(); }`

// handOver makes the flare's flipbook, and pictures of the drum; it returns the
// numbers of the two.
func handOver(p *shoot.Page, url string) (ids [2]string, err error) {
	for n, slug := range []string{"bl100", "bl090"} {
		rendered := `() => [...document.querySelectorAll('[id^=rec-] .state')].some((e) => e.textContent === 'done')`
		if slug == "bl100" {
			if err := p.Go(url + "/shots/bl100/handover"); err != nil {
				return ids, err
			}
			_, err = p.Eval(order, ".recordform", map[string]string{"wide": "192", "tall": "192"})
		} else {
			if err := p.Go(url + "/shots/bl090/look?look=layers"); err != nil {
				return ids, err
			}
			if _, err = p.Eval(order, ".jobform", map[string]string{"from": "44", "to": "55"}); err == nil {
				err = p.Go(url + "/shots/bl090/handover")
			}
		}
		if err != nil {
			return ids, err
		}
		if err := p.Until(10*time.Minute, rendered); err != nil {
			return ids, err
		}
		if err := p.Go(url + "/shots/" + slug + "/handover"); err != nil {
			return ids, err
		}
		if _, err := p.Eval(order, "#handform", map[string]string{}); err != nil {
			return ids, err
		}
		if err := p.Until(5*time.Minute, `() => document.querySelector('[data-hand]')`); err != nil {
			return ids, err
		}
		id, err := p.Eval(`() => document.querySelector('[data-hand]').dataset.hand`)
		if err != nil {
			return ids, err
		}
		ids[n] = id.Value.Str()
	}
	return ids, nil
}

// secondTake runs the fog signal with a slower guide.
const secondTake = `() => htmx.ajax('POST', '/shots/bl010/value', { values: { kind: 'guide', id: 'guide1', key: 'pace', v: '3.2', frame: 1 }, swap: 'none', target: '#live' }).then(() => htmx.ajax('POST', '/shots/bl010/run', { swap: 'none', target: '#live' }))`

// sweep runs the anchor with six pairs of values.
const sweep = `() => htmx.ajax('POST', '/shots/bl080/sweep', { values: { body: JSON.stringify({ voxel: 0.13, from: 1, to: 60, values: [{ el: 'pull1', key: 'gather', part: 0, from: 0.4, to: 1.6, steps: 3 }, { el: 'pull1', key: 'keep', part: 0, from: 1, to: 8, steps: 2 }] }) }, swap: 'none', target: '#live' })`

// paintDrum paints the lower half of the drum; nothing of it is kept.
const paintDrum = `() => new Promise((done) => {
	const e = document.querySelector('#v-share');
	e.value = 'painted';
	e.dispatchEvent(new Event('change', { bubbles: true }));
	setTimeout(() => {
		zarf.view.frame();
		document.querySelector('[data-paint]').click();
		setTimeout(() => {
			const t = zarf.view.tool, p = t.geometry.getAttribute('position');
			for (let i = 0; i < t.weights.length; i++) t.weights[i] = Math.max(0, Math.min(255, 255 * (p.getY(i) * 1.5 + 0.4)));
			t.button({ target: document.querySelector('#painttools [data-all=invert]') });
			setTimeout(() => done(true), 800);
		}, 2000);
	}, 1500);
})`
