package studio

import (
	"context"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/queue"
	"zarf/studio/run"
	"zarf/studio/store"
)

// await asks until something is so.
func await(t *testing.T, what string, d time.Duration, fn func() bool) {
	t.Helper()
	for end := time.Now().Add(d); !fn(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("waited %v for %s", d, what)
		}
	}
}

// newest is the newest job of a shot.
func (s *Studio) newest(t *testing.T, shotID int64) store.Job {
	t.Helper()
	var out store.Job
	for _, kind := range []string{KindSim, KindRender, KindHandover} {
		l, err := s.Store.ShotJobs(shotID, kind)
		if err != nil {
			t.Fatal(err)
		}
		if len(l) > 0 && l[0].ID > out.ID {
			out = l[0]
		}
	}
	return out
}

// ends waits for the end of a shot's newest job.
func (s *Studio) ends(t *testing.T, shotID int64, d time.Duration) (j store.Job) {
	t.Helper()
	await(t, "the end of a job", d, func() bool { j = s.newest(t, shotID); return j.ID != 0 && !j.Active() })
	return j
}

// A shot with a note of megabytes, which every order holds twice, is run and
// rendered like any other, and so is what is asked for behind it.
func TestALargeShotDoesntStopTheQueue(t *testing.T) {
	s := working(t)
	big := small("BIG")
	big.Note = strings.Repeat("smoke and mirrors ", 240_000) // 4.3 MB
	row, next := s.add(t, big), s.add(t, small("NEXT"))
	take, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	if j := s.ends(t, row.ID, 5*time.Minute); j.State != store.Done {
		t.Fatalf("the run ended as %s: %s", j.State, j.Message)
	}
	if err := s.RenderRange(row, take, "", 1, 2); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Run(next, "", 0, 0); err != nil {
		t.Fatal(err)
	}
	if j := s.ends(t, row.ID, 5*time.Minute); j.Kind != KindRender || j.State != store.Done {
		t.Errorf("the range ended as %s: %s", j.State, j.Message)
	}
	if j := s.ends(t, next.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("the shot behind it ended as %s: %s", j.State, j.Message)
	}
}

// A job at which workers die is given up after four deaths without a frame in
// between, and the next one has its turn.
func TestAJobAtWhichWorkersDie(t *testing.T) {
	s := open(t)
	t.Setenv("ZARF_STUDIO_WORKER", s.Dir)
	t.Setenv("ZARF_STUDIO_DIES", "DEATH")
	row, next := s.add(t, small("DEATH")), s.add(t, small("LIFE"))
	if err := s.Start(func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) }); err != nil {
		t.Fatal(err)
	}
	for _, r := range []store.ShotRow{row, next} {
		if _, err := s.Run(r, "", 0, 0); err != nil {
			t.Fatal(err)
		}
	}
	if j := s.ends(t, row.ID, 5*time.Minute); j.State != store.Failed || !strings.Contains(j.Message, "died 4 times") {
		t.Errorf("%s: %s", j.State, j.Message)
	}
	if j := s.ends(t, next.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("the next one ended as %s: %s", j.State, j.Message)
	}
}

// workers are the processes that a log says were started.
type workers chan int

func (w workers) Enabled(context.Context, slog.Level) bool { return true }
func (w workers) WithAttrs([]slog.Attr) slog.Handler       { return w }
func (w workers) WithGroup(string) slog.Handler            { return w }
func (w workers) Handle(_ context.Context, r slog.Record) error {
	if r.Message == "worker started" {
		r.Attrs(func(a slog.Attr) bool { w <- int(a.Value.Int64()); return true })
	}
	return nil
}

// A run whose worker dies more often than that, but makes frames in between, goes
// on to its end.
func TestARunThatOutlivesItsWorkers(t *testing.T) {
	s := open(t)
	t.Setenv("ZARF_STUDIO_WORKER", s.Dir)
	long := small("LONG")
	val.Last.Set(long.Self, 40)
	row := s.add(t, long)
	pids := make(workers, 100)
	s.Log = slog.New(pids)
	if err := s.Start(func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) }); err != nil {
		t.Fatal(err)
	}
	take, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	st := s.Cache.Stage(take.Key)
	const deaths = queue.Tries + 2
	for n := range deaths {
		pid := <-pids
		had := len(st.Frames())
		await(t, "a frame more", time.Minute, func() bool { return len(st.Frames()) > had })
		if j := s.newest(t, row.ID); !j.Active() {
			t.Fatalf("after %d deaths: %s, %s", n, j.State, j.Message)
		}
		if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
			t.Fatal(err)
		}
	}
	if j := s.ends(t, row.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("after %d deaths: %s, %s", deaths, j.State, j.Message)
	}
	if n := len(st.Frames()); n != 40 {
		t.Errorf("%d frames of 40", n)
	}
}

// Frames that another process still holds are waited for.
func TestAHeldLockMeansTryAgain(t *testing.T) {
	s := working(t)
	row := s.add(t, small("HELD"))
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	take := s.plan(t, doc)
	release, err := s.Cache.Stage(take).Lock()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Run(row, "", 0, 0); err != nil {
		t.Fatal(err)
	}
	await(t, "the word that it waits", 30*time.Second, func() bool { return strings.Contains(s.newest(t, row.ID).Log, "waiting for it to let go") })
	if j := s.newest(t, row.ID); !j.Active() {
		t.Fatalf("it ended as %s: %s", j.State, j.Message)
	}
	release()
	if j := s.ends(t, row.ID, 30*time.Second); j.State != store.Done {
		t.Errorf("%s: %s", j.State, j.Message)
	}
}

// A queue that loses what it holds is filled again from the database.
func TestLostOrdersAreGivenOutAgain(t *testing.T) {
	s := open(t)
	t.Setenv("ZARF_STUDIO_WORKER", s.Dir)
	row := s.add(t, small("LOST"))
	if err := s.Start(nil); err != nil { // nobody works yet
		t.Fatal(err)
	}
	if _, err := s.Run(row, "", 0, 0); err != nil {
		t.Fatal(err)
	}
	if n, err := s.queue.Held(); err != nil || n != 1 {
		t.Fatalf("the queue holds %d: %v", n, err)
	}
	if err := s.queue.Forget(); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	gone := make(chan bool)
	go func() {
		s.supervise(ctx, func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) })
		close(gone)
	}()
	defer func() { cancel(); <-gone }()
	if j := s.ends(t, row.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("%s: %s", j.State, j.Message)
	}
}

// smallDisk is a folder on a disk of its own, of so many bytes.
func smallDisk(t *testing.T, size string) string {
	t.Helper()
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size="+size); err != nil {
		t.Skipf("no disk of its own can be had here: %v", err)
	}
	t.Cleanup(func() { syscall.Unmount(dir, syscall.MNT_DETACH) })
	return dir
}

// fill takes all room on a folder's disk, and gives it back.
func fill(t *testing.T, dir string) (empty func()) {
	t.Helper()
	name := filepath.Join(dir, "ballast")
	f, err := os.Create(name)
	if err != nil {
		t.Fatal(err)
	}
	for size := 1 << 20; size > 0; size /= 2 {
		b := make([]byte, size)
		for {
			if _, err := f.Write(b); err != nil {
				break
			}
		}
	}
	f.Close()
	return func() { os.Remove(name) }
}

// On a full disk a run waits, says so, can be stopped, and goes on by itself when
// there is room; the shots behind it have their turn.
func TestAFullDiskIsWaitedOut(t *testing.T) {
	dir := smallDisk(t, "160m")
	s, err := Open(dir, quiet())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	t.Setenv("ZARF_STUDIO_WORKER", s.Dir)
	if err := s.Start(func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) }); err != nil {
		t.Fatal(err)
	}
	long := small("FULL")
	val.Last.Set(long.Self, 120)
	row, other, next := s.add(t, long), s.add(t, small("STOPPED")), s.add(t, small("NEXT"))
	notices, done := s.Listen()
	defer done()
	waits := func() {
		t.Helper()
		for end := time.After(time.Minute); ; {
			select {
			case n := <-notices:
				if n.Step != nil && n.Step.Waits {
					return
				}
			case <-end:
				t.Fatal("nobody said that the disk is full")
			}
		}
	}
	take, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	st := s.Cache.Stage(take.Key)
	await(t, "some frames", time.Minute, func() bool { return len(st.Frames()) > 3 })
	empty := fill(t, dir)
	waits()
	time.Sleep(2 * time.Second)
	j := s.newest(t, row.ID)
	if !j.Active() || !s.WaitsForRoom(j.ID) {
		t.Fatalf("on a full disk: %s, %s, told %t", j.State, j.Message, s.WaitsForRoom(j.ID))
	}
	empty()
	if j := s.ends(t, row.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("with room again: %s, %s", j.State, j.Message)
	}
	if s.WaitsForRoom(j.ID) {
		t.Error("it is said to wait for room after its end")
	}
	if n := len(st.Frames()); n != 120 {
		t.Errorf("%d frames of 120", n)
	}
	// a run that meets the full disk is stopped while it waits, and the next runs
	empty = fill(t, dir)
	defer empty()
	if _, err := s.Run(other, "", 0, 0); err == nil {
		waits()
		if err := s.Stop(s.newest(t, other.ID).ID); err != nil {
			t.Error(err)
		}
		time.Sleep(time.Second)
	}
	empty()
	if j := s.newest(t, other.ID); j.ID != 0 {
		if j := s.ends(t, other.ID, 5*time.Minute); j.State != store.Stopped {
			t.Errorf("stopped on a full disk: %s, %s", j.State, j.Message)
		}
	}
	if _, err := s.Run(next, "", 0, 0); err != nil {
		t.Fatal(err)
	}
	if j := s.ends(t, next.ID, 5*time.Minute); j.State != store.Done {
		t.Errorf("the next one: %s, %s", j.State, j.Message)
	}
	if free, err := run.Free(dir); err != nil || free < 1<<20 {
		t.Errorf("%d bytes free: %v", free, err)
	}
}

// plan is the key under which a shot's first domain will be kept.
func (s *Studio) plan(t *testing.T, doc *shot.Shot) string {
	t.Helper()
	c := s.Chain(doc, Listing{})
	if len(c) == 0 {
		t.Fatal("no domain")
	}
	return c[0].Key
}
