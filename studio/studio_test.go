package studio

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zarf/core/asset"
	"zarf/core/check"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/handover"
	"zarf/studio/queue"
	"zarf/studio/store"

	_ "zarf/core/solvers"
)

// TestMain is the worker too: a studio starts this program again as one.
func TestMain(m *testing.M) {
	queue.AckWait = 1500 * time.Millisecond // of workers and queues alike: deaths are noticed sooner
	dir := os.Getenv("ZARF_STUDIO_WORKER")
	if dir == "" {
		os.Exit(m.Run())
	}
	ctx, cancel := context.WithCancel(context.Background())
	go func() { io.Copy(io.Discard, os.Stdin); cancel() }()
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		os.Exit(1)
	}
	files, err := assets.Open(filepath.Join(dir, "assets"))
	if err != nil {
		os.Exit(1)
	}
	w, err := queue.Connect(os.Getenv(QueueEnv))
	if err != nil {
		os.Exit(1)
	}
	do := (&Work{Cache: c, Files: asset.New(files), Threads: 2}).Do
	w.Run(ctx, func(ctx context.Context, o queue.Order, step func(any)) (string, string) {
		if shot := os.Getenv("ZARF_STUDIO_DIES"); shot != "" && strings.Contains(string(o.Spec), `"name": "`+shot+`"`) || shot != "" && strings.Contains(string(o.Spec), `"name":"`+shot+`"`) {
			os.Exit(1)
		}
		return do(ctx, o, step)
	})
	w.Close()
}

func quiet() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

// open is a studio at rest.
func open(t *testing.T) *Studio {
	t.Helper()
	s, err := Open(t.TempDir(), quiet())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// working is a studio with a worker.
func working(t *testing.T) *Studio {
	t.Helper()
	s := open(t)
	t.Setenv("ZARF_STUDIO_WORKER", s.Dir)
	if err := s.Start(func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) }); err != nil {
		t.Fatal(err)
	}
	return s
}

func small(name string) *shot.Shot {
	s := shot.New(name)
	val.Last.Set(s.Self, 5)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1.2, 0.8)
	val.Voxel.Set(d, 0.1)
	val.Position.Set(d, 0, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.3, 0)
	val.Size.Set(e, 0.3, 0.3, 0.3)
	return s
}

func (s *Studio) add(t *testing.T, d *shot.Shot) store.ShotRow {
	t.Helper()
	row, err := s.Store.CreateShot(d, "test")
	if err != nil {
		t.Fatal(err)
	}
	return row
}

// idle waits until nothing runs or waits.
func (s *Studio) idle(t *testing.T) {
	t.Helper()
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		l, err := s.Store.ActiveJobs()
		if err != nil {
			t.Fatal(err)
		}
		if len(l) == 0 {
			return
		}
		if time.Now().After(end) {
			t.Fatalf("%d jobs are still there: %+v", len(l), l[0])
		}
	}
}

// set changes one value of the shot's emitter.
func (s *Studio) set(t *testing.T, row store.ShotRow, key val.NumKey, v float64) {
	t.Helper()
	if _, err := s.Store.Edit(row.ID, "set", "", func(d *shot.Shot) error {
		return d.Of(shot.Emitter)[0].Put(key.Name(), shot.Num(v))
	}); err != nil {
		t.Fatal(err)
	}
}

func (s *Studio) now(t *testing.T, row store.ShotRow) (*shot.Shot, Listing) {
	t.Helper()
	d, err := s.Store.Doc(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	l, err := s.List(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	return d, l
}

func TestAFolderIsTakenOnce(t *testing.T) {
	s := open(t)
	if _, err := Open(s.Dir, quiet()); err == nil || !strings.Contains(err.Error(), "another Zarf") {
		t.Errorf("a second program: %v", err)
	}
	s.Close()
	again, err := Open(s.Dir, quiet())
	if err != nil {
		t.Fatalf("after the first one ended: %v", err)
	}
	again.Close()
	if _, err := Open("/proc/nowhere/at/all", quiet()); err == nil || !strings.Contains(err.Error(), "--data") {
		t.Errorf("a folder that can't be made: %v", err)
	}
}

// A take's state follows from content: current, stale after a change that a
// simulation reads, current again when it is taken back, partial and made whole.
func TestATakeFromRunToDiscard(t *testing.T) {
	s := working(t)
	row := s.add(t, small("TK"))
	take, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	var busy *Busy
	if _, err := s.Run(row, "", 0, 0); err != nil && !errors.As(err, &busy) {
		t.Errorf("a second run of the same: %v", err)
	}
	s.idle(t)
	state := func() CacheState {
		d, _ := s.now(t, row)
		st, _ := s.State(d, take)
		return st
	}
	if got := state(); got != Current {
		t.Fatalf("after the run: %s", got)
	}
	s.set(t, row, val.Smoke, 3)
	if got := state(); got != Stale {
		t.Errorf("after a change: %s", got)
	}
	d, l := s.now(t, row)
	if c := s.Chain(d, l); len(c) != 1 || c[0].State != Stale || c[0].Made != 0 || c[0].Take != 1 {
		t.Errorf("the chain: %+v", c)
	}
	if _, err := s.Store.Undo(row.ID, -1); err != nil {
		t.Fatal(err)
	}
	if got := state(); got != Current {
		t.Errorf("after undo: %s", got)
	}
	st := s.Cache.Stage(take.Key)
	b, err := os.ReadFile(st.Path(3))
	if err != nil {
		t.Fatal(err)
	}
	b[len(b)/2] ^= 1
	os.WriteFile(st.Path(3), b, 0o644)
	damaged, err := s.Verify(take)
	if err != nil || len(damaged) != 1 || damaged[0] != 3 {
		t.Errorf("verify found %v, %v", damaged, err)
	}
	if got := state(); got != Partial {
		t.Errorf("without frame 3: %s", got)
	}
	if err := s.Resume(take, take.First, take.Last); err != nil {
		t.Fatal(err)
	}
	s.idle(t)
	if damaged, err := s.Verify(take); err != nil || len(damaged) != 0 || state() != Current {
		t.Errorf("after it was resumed: %v %v %s", damaged, err, state())
	}
	d, l = s.now(t, row)
	guess, measured := s.Guess(d, d.Of(shot.Domain)[0], l)
	if !measured || guess.Seconds <= 0 || math.IsNaN(guess.Seconds) {
		t.Errorf("after a run the cost is %+v, measured %t", guess, measured)
	}
	if used := float64(st.Bytes()); math.Abs(guess.Disk/used-1) > 0.01 {
		t.Errorf("after a run of %.0f bytes the like would take %.0f", used, guess.Disk)
	}
	if err := s.Discard(take); err != nil {
		t.Fatal(err)
	}
	if _, l := s.now(t, row); len(l.Takes) != 0 {
		t.Errorf("%d takes are left", len(l.Takes))
	}
	if _, err := os.Stat(st.Dir); !os.IsNotExist(err) {
		t.Error("its frames are left")
	}
}

// What can't run is refused with its reasons, before anything is queued.
func TestARunThatIsRefused(t *testing.T) {
	s := working(t)
	empty := shot.New("EM")
	row := s.add(t, empty)
	var refused *Refused
	if _, err := s.Run(row, "", 0, 0); err == nil {
		t.Error("a shot without a domain ran")
	}
	huge := small("HU")
	val.Voxel.Set(huge.Of(shot.Domain)[0], 0.0005)
	row = s.add(t, huge)
	if _, err := s.Run(row, "", 0, 0); !errors.As(err, &refused) || !strings.Contains(err.Error(), "memory") {
		t.Errorf("a domain of billions of voxels: %v", err)
	}
	row = s.add(t, small("RG"))
	if _, err := s.Run(row, "", 4, 2); err == nil || !strings.Contains(err.Error(), "frames 4–2") {
		t.Errorf("a range that ends before it begins: %v", err)
	}
	if l, _ := s.Store.ActiveJobs(); len(l) != 0 {
		t.Errorf("%d jobs were queued", len(l))
	}
}

// A page doesn't wait for findings that take long: it is told when they are there.
func TestFindingsThatTakeLong(t *testing.T) {
	s := open(t)
	row := s.add(t, small("LG"))
	notices, done := s.Listen()
	defer done()
	d, sum, err := s.Store.DocSum(row.ID)
	if err != nil {
		t.Fatal(err)
	}
	list := s.checks(row.ID, d, sum, 0)
	if len(list) == 1 && list[0].ID == "checking" {
		select {
		case n := <-notices:
			if n.Kind != "checks" || n.Shot != row.ID {
				t.Errorf("%+v", n)
			}
		case <-time.After(10 * time.Second):
			t.Fatal("nobody was told")
		}
	}
	for _, f := range s.Checks(row.ID, d, sum) {
		if f.ID == "checking" {
			t.Error("they are still running")
		}
	}
}

// Findings are kept by what the document holds, and made anew when it changes
// or when files come.
func TestFindingsAreKept(t *testing.T) {
	s := open(t)
	row := s.add(t, small("FD"))
	read := func() []check.Finding {
		d, sum, err := s.Store.DocSum(row.ID)
		if err != nil {
			t.Fatal(err)
		}
		got := s.Checks(row.ID, d, sum)
		want := check.Shot(d, check.Machine{Memory: Memory()})
		if len(got) != len(want) {
			t.Errorf("%d findings are kept, %d made anew", len(got), len(want))
		}
		return got
	}
	read()
	kept := s.found.Len()
	if read(); s.found.Len() > kept+1 { // the memory may have changed by a step meanwhile
		t.Errorf("%d findings are kept after two looks", s.found.Len())
	}
	s.set(t, row, val.Smoke, 0)
	if _, err := s.Store.Edit(row.ID, "mute", "", func(d *shot.Shot) error { d.Of(shot.Emitter)[0].Muted = true; return nil }); err != nil {
		t.Fatal(err)
	}
	kept = s.found.Len()
	after := read()
	if s.found.Len() == kept {
		t.Error("a changed shot was not looked at")
	}
	if len(after) == 0 {
		t.Error("a shot whose only emitter is muted has no finding")
	}
	after[0].What = "spoilt"
	if read()[0].What == "spoilt" {
		t.Error("the kept list is not the studio's own")
	}
	kept = s.found.Len()
	time.Sleep(10 * time.Millisecond)
	if _, err := s.Files.PutWeights([]byte("weights")); err != nil {
		t.Fatal(err)
	}
	if read(); s.found.Len() == kept {
		t.Error("after a file came the old findings were given")
	}
}

// Pictures, a handover of the frames, one of the pictures; and what hangs on a
// take that is to go.
func TestWhatComesOutOfATake(t *testing.T) {
	s := working(t)
	row := s.add(t, small("OUT"))
	if _, err := s.Store.Edit(row.ID, "look", "", func(d *shot.Shot) error {
		l := d.Looks[0]
		val.Width.Set(l, 48)
		val.Height.Set(l, 32)
		return l.Put(val.Samples.Name(), shot.Num(1))
	}); err != nil {
		t.Fatal(err)
	}
	take, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	s.idle(t)
	if err := s.RenderRange(row, take, "look", 2, 3); err != nil {
		t.Fatal(err)
	}
	s.idle(t)
	job := func(kind string) store.Job {
		l, err := s.Store.ShotJobs(row.ID, kind)
		if err != nil || len(l) == 0 {
			t.Fatalf("%s: %d jobs, %v", kind, len(l), err)
		}
		if l[0].State != store.Done {
			t.Fatalf("%s: %s %s", kind, l[0].State, l[0].Message)
		}
		return l[0]
	}
	render := job(KindRender)
	if l, _ := filepath.Glob(filepath.Join(render.Dir, "*.png")); len(l) != 2 {
		t.Errorf("%d pictures in %s", len(l), render.Dir)
	}
	if size, how, err := s.HandoverSize(row, take, 1, 5, 0); err != nil || size <= 0 || how == "" {
		t.Errorf("a handover of %d bytes, %q, %v", size, how, err)
	}
	if err := s.HandOver(row, take, "boards", 1, 5, 0); err != nil {
		t.Fatal(err)
	}
	s.idle(t)
	m, err := handover.Read(job(KindHandover).Dir)
	if err != nil || len(m.Files) != 5 {
		t.Errorf("%+v %v", m, err)
	}
	if err := s.HandOver(row, take, "boards", 7, 9, 0); err == nil {
		s.idle(t)
		if l, _ := s.Store.ShotJobs(row.ID, KindHandover); l[0].State != store.Failed || !strings.Contains(l[0].Message, "not in the cache") {
			t.Errorf("frames that aren't there: %s %s", l[0].State, l[0].Message)
		}
	}
	hangs, err := s.Hangs(take)
	if err != nil || len(hangs) != 2 {
		t.Errorf("what hangs on the take: %v %v", hangs, err)
	}
	_, l := s.now(t, row)
	if list, err := s.Clearable(row.ID, l); err != nil || len(list) != 0 {
		t.Errorf("the only take, from which things were made, could be cleared: %v %v", list, err)
	}
	if err := s.RenderRange(row, take, "no look", 1, 2); err == nil {
		t.Error("a look that isn't there was rendered")
	}
}

// A sweep makes a take for every combination, costs what it says, and refuses
// what it can't vary.
func TestASweep(t *testing.T) {
	s := working(t)
	row := s.add(t, small("SW"))
	sw := Sweep{Voxel: 0.1, From: 1, To: 2, Values: []SweepValue{{Element: "emitter1", Key: val.Smoke.Name(), From: 1, To: 3, Steps: 3}, {Element: "domain1", Key: val.Lift.Name(), From: 0, To: 1, Steps: 2}}}
	cost, err := s.SweepCost(row, sw)
	if err != nil || cost.Takes != 6 || cost.Frames != 2 {
		t.Errorf("%+v %v", cost, err)
	}
	takes, err := s.RunSweep(row, sw)
	if err != nil || len(takes) != 6 {
		t.Fatalf("%d takes, %v", len(takes), err)
	}
	s.idle(t)
	seen := map[[2]float64]bool{}
	for _, tk := range takes {
		d, err := tk.Shot()
		if err != nil {
			t.Fatal(err)
		}
		seen[[2]float64{val.Smoke.Of(d.Element("emitter1")), val.Lift.Of(d.Element("domain1"))}] = true
		if got := len(s.Cache.Stage(tk.Key).Frames()); got != 2 {
			t.Errorf("take %d has %d frames", tk.Number, got)
		}
	}
	for _, want := range [][2]float64{{1, 0}, {1, 1}, {2, 0}, {2, 1}, {3, 0}, {3, 1}} {
		if !seen[want] {
			t.Errorf("no take with %v; there are %v", want, seen)
		}
	}
	if err := s.Adopt(row.ID, takes[5]); err != nil {
		t.Fatal(err)
	}
	if d, _ := s.now(t, row); val.Smoke.Of(d.Element("emitter1")) != 3 {
		t.Error("the take's values were not adopted")
	}
	for why, bad := range map[string]Sweep{
		"no element":    {Voxel: 0.1, From: 1, To: 2, Values: []SweepValue{{Element: "ghost", Key: "smoke", From: 1, To: 2, Steps: 2}}},
		"has no number": {Voxel: 0.1, From: 1, To: 2, Values: []SweepValue{{Element: "emitter1", Key: "form", From: 1, To: 2, Steps: 2}}},
	} {
		if _, err := s.SweepCost(row, bad); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("want %q, got %v", why, err)
		}
	}
}

// One's own recipes and looks survive the program, and names are given once.
func TestOnesOwnLibrary(t *testing.T) {
	s := open(t)
	doc := small("LB")
	r, err := recipe.FromShot(doc, doc.Of(shot.Emitter)[0], "Kettle steam", "a thin plume")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SaveRecipe(r, []byte("picture")); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveRecipe(r, nil); err == nil || !strings.Contains(err.Error(), "Kettle steam") {
		t.Errorf("the same name again: %v", err)
	}
	var own string
	for _, x := range s.Recipes() {
		if x.Name == "Kettle steam" {
			own = x.Key
		}
	}
	if !strings.HasPrefix(own, Own) {
		t.Fatalf("its key is %q", own)
	}
	back, err := s.Recipe(own)
	if err != nil || back.About != "a thin plume" {
		t.Errorf("%+v %v", back, err)
	}
	if b, err := s.RecipePicture(own); err != nil || string(b) != "picture" {
		t.Errorf("%q %v", b, err)
	}
	for _, bad := range []string{"../../etc/passwd", Own + "../x", "", "nothing"} {
		if _, err := s.RecipePicture(bad); err == nil {
			t.Errorf("a picture of %q", bad)
		}
		if err := s.DropRecipe(bad); err == nil {
			t.Errorf("%q was dropped", bad)
		}
	}
	if err := s.DropRecipe(own); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Recipe(own); err == nil {
		t.Error("a dropped recipe is there")
	}
	l := doc.Looks[0]
	l.Name = "Dusk"
	if err := s.SaveLook(l, false); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveLook(l, false); err == nil {
		t.Error("a look of the same name was kept over the first")
	}
	if err := s.SaveLook(l, true); err != nil {
		t.Errorf("over it, as asked: %v", err)
	}
	if names, err := s.LookNames(); err != nil || len(names) != 1 || names[0] != "Dusk" {
		t.Errorf("%v %v", names, err)
	}
	if got, err := s.LibraryLook("Dusk"); err != nil || got.Name != "Dusk" {
		t.Errorf("%v %v", got, err)
	}
	if err := s.DropLook("Dusk"); err != nil {
		t.Fatal(err)
	}
	if names, _ := s.LookNames(); len(names) != 0 {
		t.Errorf("%v", names)
	}
}

// Of three orders the last is put first: it runs next, and one that waits can
// be stopped before it begins.
func TestTheOrderOfTheQueue(t *testing.T) {
	s := open(t) // nobody works, so all that is ordered waits
	if err := s.Start(nil); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"Q1", "Q2", "Q3", "Q4"} {
		if _, err := s.Run(s.add(t, small(name)), "", 0, 0); err != nil {
			t.Fatal(err)
		}
	}
	names := func() (out string) {
		l, err := s.Store.ActiveJobs()
		if err != nil {
			t.Fatal(err)
		}
		for _, j := range l {
			row, _ := s.Store.ShotByID(j.ShotID)
			out += row.Name + " "
		}
		return out
	}
	if got := names(); got != "Q1 Q2 Q3 Q4 " {
		t.Fatalf("in the order of asking: %s", got)
	}
	l, _ := s.Store.ActiveJobs()
	if err := s.Prefer(l[3].ID, true); err != nil {
		t.Fatal(err)
	}
	if err := s.Prefer(l[1].ID, false); err != nil {
		t.Fatal(err)
	}
	if got := names(); !strings.HasSuffix(got, "Q2 ") || strings.Index(got, "Q4") > strings.Index(got, "Q3") {
		t.Errorf("Q4 first, Q2 last: %s", got)
	}
	if err := s.Stop(l[2].ID); err != nil {
		t.Fatal(err)
	}
	if got := names(); strings.Contains(got, "Q3") {
		t.Errorf("after Q3 was stopped: %s", got)
	}
	if j, err := s.Store.Job(l[2].ID); err != nil || j.State != store.Stopped {
		t.Errorf("Q3 is %s, %v", j.State, err)
	}
}
