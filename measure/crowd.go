package measure

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/store"
	"zarf/web"
)

// librarySpeed measures the pages of a library of a thousand shots.
func librarySpeed(t *Table) { t.tried(largeLibrary(t)) }

// crowdSpeed measures many at once: a hundred people who look at a run.
func crowdSpeed(t *Table) { t.tried(watched(t)) }

// tried tells what kept a section from measuring.
func (t *Table) tried(err error) {
	if err != nil {
		t.Rows = append(t.Rows, Row{Section: t.section, Case: "failed", Measured: err.Error()})
	}
}

// bare opens a studio on a folder of its own.
func bare() (st *studio.Studio, done func(), err error) {
	dir, err := os.MkdirTemp("", "zarf-bench-")
	if err != nil {
		return nil, nil, err
	}
	if st, err = studio.Open(dir, slog.New(slog.NewTextHandler(io.Discard, nil))); err != nil {
		os.RemoveAll(dir)
		return nil, nil, err
	}
	return st, func() { st.Close(); os.RemoveAll(dir) }, nil
}

// largeLibrary asks for the pages of a library of a thousand shots, each with a take
// of sixty frames.
func largeLibrary(t *Table) error {
	st, done, err := bare()
	if err != nil {
		return err
	}
	defer done()
	const shots, frames = 1000, 60
	for n := range shots {
		d := busyShot(fmt.Sprintf("L%04d", n), 0.1, frames)
		val.Smoke.Set(d.Of(shot.Emitter)[0], 1+float64(n)/1000) // each has frames of its own
		row, err := st.Store.CreateShot(d, "bench")
		if err != nil {
			return err
		}
		dom := d.Of(shot.Domain)[0]
		key := stage.Key(d, dom)
		if _, err := st.Store.CreateTake(store.Take{ShotID: row.ID, Doc: d.Encode(), Domain: dom.ID, Key: key, First: 1, Last: frames}); err != nil {
			return err
		}
		dir := st.Cache.Stage(key).Dir
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return err
		}
		for f := 1; f <= frames; f++ {
			if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("frame.%04d.vdb", f)), []byte("x"), 0o644); err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("frame.%04d.json", f)), fmt.Appendf(nil, `{"frame":%d,"size":1}`, f), 0o644); err != nil {
				return err
			}
		}
	}
	srv := httptest.NewServer(web.New(st, web.Options{Threads: t.crew.Threads()}))
	defer srv.Close()
	k := &asker{address: srv.URL}
	for n := range 80 { // every page twice: read from the disk, and known
		if err := k.ask("GET", fmt.Sprintf("/?page=%d", 1+n%40), nil); err != nil {
			return err
		}
	}
	first, again := slices.Sorted(slices.Values(k.all[:40])), slices.Sorted(slices.Values(k.all[40:]))
	t.most("a page of a library of 1,000 shots with takes of 60 frames, first time, p95", first[37], 60, "ms")
	t.most("the same again, p95", again[37], 60, "ms")
	return nil
}

// busyShot is a shot that a worker is busy with.
func busyShot(name string, voxel float64, last int) *shot.Shot {
	s := shot.New(name)
	val.Last.Set(s.Self, float64(last))
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1.2, 1.8, 1.2)
	val.Position.Set(d, 0, 0.9, 0)
	val.Voxel.Set(d, voxel)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Smoke.Set(e, 2)
	return s
}

// watchers is how many people look at a run.
const watchers = 100

// watched runs a shot with nobody looking and with a hundred pages open on it, in
// turns, and holds the times against each other.
func watched(t *Table) error {
	self, err := os.Executable()
	if err != nil || !strings.Contains(filepath.Base(self), "zarf") {
		return fmt.Errorf("only the program itself can start a worker")
	}
	st, done, err := bare()
	if err != nil {
		return err
	}
	defer done()
	if err := st.Start(func(context.Context) *exec.Cmd { return exec.Command(self, "worker", "--data", st.Dir) }); err != nil {
		return err
	}
	srv := httptest.NewServer(web.New(st, web.Options{Threads: t.crew.Threads()}))
	defer srv.Close()
	defer srv.CloseClientConnections()
	var alone, seen, pressed float64
	var waits []float64
	const rounds = 2
	for n := range rounds {
		for mode := range 3 { // nobody, pages as they are, pages that ask all the time
			took, w, err := lookedAt(st, srv.URL, n*3+mode, mode)
			if err != nil {
				return err
			}
			switch mode {
			case 0:
				alone += took
			case 1:
				seen += took
				waits = append(waits, w...)
			default:
				pressed += took
				waits = append(waits, w...)
			}
		}
	}
	slices.Sort(waits)
	t.most(fmt.Sprintf("a run of %.0f s with %d pages open on it, against none", alone/rounds, watchers), seen/alone, 1.05, "×")
	t.most("the same where each asks for its panels every 1.5 s", pressed/alone, 1.05, "×")
	if len(waits) > 0 {
		t.most(fmt.Sprintf("panels meanwhile, %d asked, p95", len(waits)), waits[len(waits)*95/100], 100, "ms")
	}
	return nil
}

// lookedAt makes a run and gives how long it took, s, and how long panels did, ms.
func lookedAt(st *studio.Studio, address string, n, mode int) (took float64, waits []float64, err error) {
	s := busyShot(fmt.Sprintf("W%d", n), 0.0165, 26)
	val.Smoke.Set(s.Of(shot.Emitter)[0], 2+float64(n)/100) // other frames than before
	row, err := st.Store.CreateShot(s, "bench")
	if err != nil {
		return 0, nil, err
	}
	ctx, end := context.WithCancel(context.Background())
	var mu sync.Mutex
	var all sync.WaitGroup
	if mode > 0 {
		every := 5 * time.Second
		if mode == 2 {
			every = 1500 * time.Millisecond
		}
		for i := range watchers {
			all.Go(func() {
				w := pageAt(ctx, address, row, time.Duration(i)*every/watchers, every)
				mu.Lock()
				waits = append(waits, w...)
				mu.Unlock()
			})
		}
		time.Sleep(500 * time.Millisecond)
	}
	begin := time.Now()
	take, err := st.Run(row, "", 0, 0)
	for err == nil {
		time.Sleep(20 * time.Millisecond)
		var j store.Job
		if j, err = st.Store.TakeJob(take.ID); err == nil && !j.Active() {
			if j.State != store.Done {
				err = fmt.Errorf("the run ended as %s: %s", j.State, j.Message)
			}
			break
		}
	}
	took = time.Since(begin).Seconds()
	end()
	all.Wait()
	return took, waits, err
}

// pageAt does what a page does while a run goes on: it follows the notices, and asks
// for its panels and its scene every so often. It gives how long panels took, ms.
func pageAt(ctx context.Context, address string, row store.ShotRow, offset, every time.Duration) (waits []float64) {
	get := func(path string) (*http.Response, error) {
		r, err := http.NewRequestWithContext(ctx, "GET", address+path, nil)
		if err != nil {
			return nil, err
		}
		return http.DefaultClient.Do(r)
	}
	resp, err := get("/events")
	if err != nil {
		return nil
	}
	defer resp.Body.Close()
	told := time.Now().Add(offset - every)
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		text, ok := strings.CutPrefix(lines.Text(), "data: ")
		var n studio.Notice
		if !ok || json.Unmarshal([]byte(text), &n) != nil || n.Shot != row.ID || time.Since(told) < every {
			continue
		}
		told = time.Now()
		for _, path := range []string{"/parts/takes?take=1", "/scene.json?frame=1"} {
			begin := time.Now()
			r, err := get("/shots/" + row.Slug + path)
			if err != nil {
				return waits
			}
			io.Copy(io.Discard, r.Body)
			r.Body.Close()
			waits = append(waits, time.Since(begin).Seconds()*1000)
		}
	}
	return waits
}
