package run

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// killed is the run that TestKilledAtAnyMoment kills.
func killed() *shot.Shot {
	s := shot.New("K")
	val.Last.Set(s.Self, 30)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1, 1.6, 1)
	val.Voxel.Set(d, 0.04)
	val.Position.Set(d, 0, 0.8, 0)
	val.Bounds.Set(d, "follow")
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.3, 0)
	val.Smoke.Set(e, 2)
	val.Breakup.Set(e, 0.3)
	t := s.Add(shot.Turbulence)
	val.Strength.Set(t, 3)
	return s
}

// TestKilledHelper is the process that is killed.
func TestKilledHelper(t *testing.T) {
	dir := os.Getenv("ZARF_TEST_KILLED")
	if dir == "" {
		t.Skip("started by TestKilledAtAnyMoment only")
	}
	c, err := cache.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	sim := Sim{Shot: killed(), From: 1, To: 30, Threads: 2}
	if err := sim.Do(context.Background(), c, func(Progress) {}); err != nil {
		t.Fatal(err)
	}
}

// A run is killed with SIGKILL at twenty random moments and started again each
// time. Every frame that is listed is whole, nothing half written is read, and
// at the end all bytes are those of a run that nobody disturbed.
func TestKilledAtAnyMoment(t *testing.T) {
	s := killed()
	whole, err := cache.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	sim := Sim{Shot: s, From: 1, To: 30, Threads: 2}
	begin := time.Now()
	if err := sim.Do(context.Background(), whole, func(Progress) {}); err != nil {
		t.Fatal(err)
	}
	span := time.Since(begin)
	key := stage.Key(s, s.Of(shot.Domain)[0])
	dir := t.TempDir()
	c, err := cache.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(7, 11))
	seen, kills, ends := 0, 0, 0
	for kills < 20 {
		cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledHelper$")
		cmd.Env = append(os.Environ(), "ZARF_TEST_KILLED="+dir)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		// a part of the run each time, so that it takes many starts
		time.Sleep(time.Duration(15e6 + r.Float64()*float64(span)/5))
		cmd.Process.Kill()
		if cmd.Wait() == nil {
			ends++ // it was done before: begin again
			os.RemoveAll(filepath.Join(dir, key))
			seen = 0
			if ends > 40 {
				t.Fatal("it always ends before it is killed")
			}
			continue
		}
		kills++
		st := c.Stage(key)
		frames := st.Frames()
		for n := range frames {
			if _, err := st.Read(n); err != nil {
				t.Fatalf("after kill %d: frame %d: %v", kills, n, err)
			}
		}
		if len(frames) < seen {
			t.Fatalf("after kill %d: %d frames, there were %d", kills, len(frames), seen)
		}
		seen = len(frames)
	}
	var notes []string
	if err := sim.Do(context.Background(), c, func(p Progress) {
		notes = append(notes, p.Notes...)
	}); err != nil {
		t.Fatal(err)
	}
	for n := 1; n <= 30; n++ {
		a, ok1 := whole.Stage(key).Get(n)
		b, ok2 := c.Stage(key).Get(n)
		if !ok1 || !ok2 || a.SHA256 != b.SHA256 {
			t.Errorf("frame %d differs from that of an undisturbed run", n)
		}
	}
	left, _ := filepath.Glob(filepath.Join(dir, key, ".part-*"))
	if len(left) > 0 {
		t.Errorf("half written files stay: %v", left)
	}
	t.Log(fmt.Sprintf("20 kills of a run of %.1f s, %d frames before the last start", span.Seconds(), seen), notes)
}

// A clock that is set back, and files whose times make no sense, change
// nothing: states come from content.
func TestClockSetBack(t *testing.T) {
	c, err := cache.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s := killed()
	sim := Sim{Shot: s, From: 1, To: 4, Threads: 1}
	if err := sim.Do(context.Background(), c, func(Progress) {}); err != nil {
		t.Fatal(err)
	}
	st := c.Stage(stage.Key(s, s.Of(shot.Domain)[0]))
	old := time.Date(1990, 1, 1, 0, 0, 0, 0, time.UTC)
	later := time.Now().Add(1000 * time.Hour)
	list, _ := os.ReadDir(st.Dir)
	for i, f := range list {
		at := old
		if i%2 == 1 {
			at = later
		}
		os.Chtimes(filepath.Join(st.Dir, f.Name()), at, at)
	}
	if n := len(st.Frames()); n != 4 {
		t.Errorf("%d frames", n)
	}
	sim.To = 6
	reused := 0
	if err := sim.Do(context.Background(), c, func(p Progress) {
		if p.Reused {
			reused++
		}
	}); err != nil {
		t.Fatal(err)
	}
	if n := len(st.Frames()); n != 6 {
		t.Errorf("%d frames after going on", n)
	}
}
