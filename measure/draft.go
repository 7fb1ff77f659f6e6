package measure

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"time"

	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/demo"
	"zarf/studio"
	"zarf/studio/draft"
	work "zarf/studio/run"
	"zarf/studio/store"
	"zarf/web"
)

// blaze is a fire in a box of n³ voxels.
func blaze(n int) *shot.Shot {
	s := shot.New("Blaze")
	val.Last.Set(s.Self, 500)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 2, 2, 2)
	val.Position.Set(d, 0, 1, 0)
	val.Voxel.Set(d, 2/float64(n))
	val.Burning.Set(d, "fuel")
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Size.Set(e, 0.5, 0.2, 0.5)
	val.Fuel.Set(e, 0.06)
	val.Temperature.Set(e, 900)
	val.Smoke.Set(e, 0.1)
	return s
}

// draftSpeed measures a live draft without the page: its steps a second, and
// the time from a changed value to the picture that shows it.
func draftSpeed(t *Table) {
	smoke := blaze(64)
	val.Burning.Set(smoke.Of(shot.Domain)[0], "no")
	val.Temperature.Set(smoke.Of(shot.Emitter)[0], 200)
	r, err := recipe.Find("pour")
	if err != nil {
		t.Rows = append(t.Rows, Row{Section: t.section, Case: "pour", Measured: err.Error()})
		return
	}
	pour := r.Shot("Pour", r.Size)
	val.Last.Set(pour.Self, 500)
	bowl := pour.Of(shot.Domain)[0]
	val.Voxel.Set(bowl, val.Voxel.Of(bowl)/2)
	thin := pour.Clone()
	for _, e := range thin.Of(shot.Collider) {
		if val.Form.Of(e) == "tube" {
			val.Wall.Set(e, 0.36*stage.CoarseVoxel(bowl, 40000))
		}
	}
	for _, c := range []struct {
		name        string
		shot        *shot.Shot
		voxel       float64
		goal, every float64 // steps, and frames, a second
	}{{"smoke of 64³", smoke, 2.0 / 64, 24, 0}, {"fire of 64³", blaze(64), 2.0 / 64, 16, 0}, {"the brazier at its own choice of voxels", demo.Brazier(), 0, 0, 12}, {"a pour into a bowl", pour, stage.CoarseVoxel(bowl, 40000), 0, 24}, {"a pour into a bowl with a wall of 0.36 voxels", thin, stage.CoarseVoxel(bowl, 40000), 0, 24}} {
		if err := draftOf(t, c.name, c.shot, c.voxel, c.goal, c.every); err != nil {
			t.Rows = append(t.Rows, Row{Section: t.section, Case: c.name, Measured: err.Error()})
		}
	}
}

func draftOf(t *Table, name string, s *shot.Shot, voxel, goal, every float64) error {
	begin := time.Now()
	d := draft.Local(&draft.Child{Threads: t.crew.Threads()})
	defer d.Close()
	d.Tell(draft.Command{Do: "begin", Shot: s.Encode(), Value: voxel, Rate: 1.2e6, Size: 64})
	d.Tell(draft.Command{Do: "pace"})
	d.Tell(draft.Command{Do: "next"})
	frames, steps, spent, voxels := 0, 0, 0.0, 0.0
	next := func() (h draft.Head, err error) {
		for {
			if h, _, err = d.Packet(); err != nil {
				return h, err
			}
			switch h.Kind {
			case "frame":
				return h, nil
			case "fault":
				return h, fmt.Errorf("%s", h.Said)
			}
		}
	}
	for frames < 40 {
		h, err := next()
		if err != nil {
			return err
		}
		if frames++; frames == 1 {
			t.most(name+": from the press to the first picture", time.Since(begin).Seconds(), 1, "s")
		}
		if frames > 16 {
			steps, spent, voxels = steps+h.Steps, spent+h.Seconds, h.Voxels
		}
		d.Tell(draft.Command{Do: "next"})
	}
	t.least(fmt.Sprintf("%s, %.0f thousand voxels: steps a second, light and packing included", name, voxels/1000), float64(steps)/spent, goal, "1/s")
	t.least(name+": frames a second", 24/spent, every, "1/s")
	worst := 0.0
	for n := 1; n <= 6; n++ {
		val.Smoke.Set(s.Of(shot.Emitter)[0], float64(n))
		begin := time.Now()
		d.Tell(draft.Command{Do: "change", Shot: s.Encode()})
		for {
			h, err := next()
			if err != nil {
				return err
			}
			d.Tell(draft.Command{Do: "next"})
			if h.Change >= n {
				break
			}
		}
		worst = max(worst, time.Since(begin).Seconds()*1000)
	}
	t.most(name+": from a change to the picture that shows it, worst of 6", worst, 150, "ms")
	return nil
}

// scrubSpeed measures a frame's way from the disk to what the page is sent.
func scrubSpeed(t *Table) {
	for _, c := range []struct {
		n, size int
		goal    float64
	}{{64, 64, 8}, {128, 64, 15}} {
		ms, err := scrub(t, c.n, c.size)
		if err != nil {
			t.Rows = append(t.Rows, Row{Section: t.section, Case: "failed", Measured: err.Error()})
			continue
		}
		t.most(fmt.Sprintf("smoke of %d³ from the cache to the page, %d voxels along", c.n, c.size), ms, c.goal, "ms")
	}
}

func scrub(t *Table, n, size int) (ms float64, err error) {
	dir, err := os.MkdirTemp("", "zarf-bench-")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	st, err := studio.Open(dir, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		return 0, err
	}
	defer st.Close()
	s := shot.New("Scrub")
	val.Last.Set(s.Self, 8)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 2, 2, 2)
	val.Position.Set(d, 0, 1, 0)
	val.Voxel.Set(d, 2/float64(n))
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.9, 0)
	val.Size.Set(e, 1.1, 1.5, 1.1)
	val.Smoke.Set(e, 2)
	row, err := st.Store.CreateShot(s, "bench")
	if err != nil {
		return 0, err
	}
	if _, err := st.Store.CreateTake(store.Take{ShotID: row.ID, Doc: s.Encode(), Domain: d.ID, Key: stage.Key(s, d), First: 1, Last: 8}); err != nil {
		return 0, err
	}
	sim := work.Sim{Shot: s, From: 1, To: 8, Threads: t.crew.Threads()}
	if err := sim.Do(context.Background(), st.Cache, func(work.Progress) {}); err != nil {
		return 0, err
	}
	srv := httptest.NewServer(web.New(st, web.Options{Threads: t.crew.Threads()}))
	defer srv.Close()
	ms = 1e9
	for f := 1; f <= 8; f++ { // each frame once: the server remembers what it made
		begin := time.Now()
		resp, err := http.Get(fmt.Sprintf("%s/shots/%s/volume/1/%d?size=%d", srv.URL, row.Slug, f, size))
		if err != nil {
			return 0, err
		}
		got, _ := io.Copy(io.Discard, resp.Body)
		resp.Body.Close()
		if resp.StatusCode != http.StatusOK || got < 1000 {
			return 0, fmt.Errorf("frame %d: %s, %d bytes", f, resp.Status, got)
		}
		ms = min(ms, time.Since(begin).Seconds()*1000)
	}
	return ms, nil
}
