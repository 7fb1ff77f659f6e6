package run

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"zarf/core/format/exr"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// puffShot is small enough for a test: 16 x 24 x 16 voxels, 6 frames.
func puffShot() *shot.Shot {
	s := shot.New("puff")
	val.Last.Set(s.Self, 6)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1.2, 0.8)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, 0, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Speed.Set(e, 0.5)
	val.Breakup.Set(e, 0.4)
	val.Gust.Set(s.Add(shot.Wind), 0.5)
	s.Add(shot.Turbulence)
	c := s.Add(shot.Collider)
	val.Size.Set(c, 0.2, 0.2, 0.2)
	c.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(-0.2, 0.7, 0)})
	c.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(0.2, 0.8, 0)})
	return s
}

func open(t *testing.T) *cache.Cache {
	t.Helper()
	c, err := cache.Open(filepath.Join(t.TempDir(), "cache"))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func quiet(Progress) {}

func mustRun(t *testing.T, c *cache.Cache, s *shot.Shot, from, to, threads int) {
	t.Helper()
	j := Sim{Shot: s, From: from, To: to, Threads: threads}
	if err := j.Do(context.Background(), c, quiet); err != nil {
		t.Fatal(err)
	}
}

// sums are the checksums of all frames.
func sums(t *testing.T, c *cache.Cache, s *shot.Shot) map[int]string {
	t.Helper()
	src, err := Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	out := map[int]string{}
	for f, x := range src.Stage.Frames() {
		out[f] = x.SHA256
	}
	return out
}

func same(t *testing.T, what string, a, b map[int]string) {
	t.Helper()
	if len(a) == 0 || len(a) != len(b) {
		t.Fatalf("%s: %d frames against %d", what, len(a), len(b))
	}
	for f := range a {
		if a[f] != b[f] {
			t.Errorf("%s: frame %d differs", what, f)
		}
	}
}

func TestSameBitsOnThreadsAndAfterResume(t *testing.T) {
	s := puffShot()
	one := open(t)
	mustRun(t, one, s, 1, 6, 1)
	want := sums(t, one, s)

	two := open(t)
	mustRun(t, two, s, 1, 6, 2)
	same(t, "two threads", want, sums(t, two, s))

	parts := open(t)
	mustRun(t, parts, s, 1, 3, 2)
	var resumed bool
	j := Sim{Shot: s, From: 1, To: 6, Threads: 1}
	if err := j.Do(context.Background(), parts, func(p Progress) {
		resumed = resumed || strings.Contains(strings.Join(p.Notes, ""), "resumed after frame 3")
	}); err != nil {
		t.Fatal(err)
	}
	if !resumed {
		t.Error("the second half began anew instead of resuming")
	}
	same(t, "resumed", want, sums(t, parts, s))
}

func TestStopKeepsFramesAndResumes(t *testing.T) {
	s := puffShot()
	whole := open(t)
	mustRun(t, whole, s, 1, 6, 2)
	c := open(t)
	ctx, cancel := context.WithCancel(context.Background())
	j := Sim{Shot: s, From: 1, To: 6, Threads: 2}
	err := j.Do(ctx, c, func(p Progress) {
		if p.Frame == 2 {
			cancel()
		}
	})
	if !errors.Is(err, ErrStopped) {
		t.Fatalf("stopped with %v", err)
	}
	if n := len(sums(t, c, s)); n < 2 || n >= 6 {
		t.Fatalf("%d frames after a stop at frame 2", n)
	}
	mustRun(t, c, s, 1, 6, 2)
	same(t, "stopped and resumed", sums(t, whole, s), sums(t, c, s))
}

func TestDamagedAndMissingFramesAreMadeAnew(t *testing.T) {
	s := puffShot()
	c := open(t)
	mustRun(t, c, s, 1, 6, 2)
	want := sums(t, c, s)
	src, _ := Open(s, "", c)
	b, err := os.ReadFile(src.Stage.Path(3))
	if err != nil {
		t.Fatal(err)
	}
	b[len(b)/2] ^= 1
	if err := os.WriteFile(src.Stage.Path(3), b, 0o644); err != nil {
		t.Fatal(err)
	}
	var bad *cache.Damaged
	if _, err := src.Read(3); !errors.As(err, &bad) || bad.Frame != 3 {
		t.Errorf("a flipped bit gave %v", err)
	}
	os.Remove(src.Stage.Path(5))
	var miss *cache.Missing
	if _, err := src.Read(5); !errors.As(err, &miss) {
		t.Errorf("a missing frame gave %v", err)
	}
	touched := map[int]bool{}
	j := Sim{Shot: s, From: 1, To: 6, Threads: 2}
	if err := j.Do(context.Background(), c, func(p Progress) { touched[p.Frame] = !p.Reused }); err != nil {
		t.Fatal(err)
	}
	same(t, "mended", want, sums(t, c, s))
	if !touched[3] || !touched[5] || touched[2] || touched[4] {
		t.Errorf("written anew: %v", touched)
	}
}

func TestTwoRunsIntoTheSameFrames(t *testing.T) {
	s := puffShot()
	c := open(t)
	src, _ := Open(s, "", c)
	release, err := src.Stage.Lock()
	if err != nil {
		t.Fatal(err)
	}
	j := Sim{Shot: s, From: 1, To: 2}
	if err := j.Do(context.Background(), c, quiet); !errors.Is(err, cache.Locked) {
		t.Errorf("got %v", err)
	}
	release()
	mustRun(t, c, s, 1, 2, 1)
}

// A worker that dies by SIGKILL leaves whole frames only, and the next run
// gives the same bits.
func TestKilledInTheMiddle(t *testing.T) {
	if os.Getenv("ZARF_VICTIM") != "" {
		c, _ := cache.Open(os.Getenv("ZARF_VICTIM"))
		j := Sim{Shot: puffShot(), From: 1, To: 6, Threads: 2}
		j.Do(context.Background(), c, func(p Progress) { os.Stdout.WriteString("frame\n") })
		return
	}
	s := puffShot()
	whole := open(t)
	mustRun(t, whole, s, 1, 6, 2)
	c := open(t)
	cmd := exec.Command(os.Args[0], "-test.run=^TestKilledInTheMiddle$")
	cmd.Env = append(os.Environ(), "ZARF_VICTIM="+c.Root)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	buf := make([]byte, 6*3)
	out.Read(buf) // some frames in
	cmd.Process.Signal(syscall.SIGKILL)
	cmd.Wait()
	src, _ := Open(s, "", c)
	for f := range src.Stage.Frames() {
		if _, err := src.Read(f); err != nil {
			t.Errorf("frame %d after a kill: %v", f, err)
		}
	}
	mustRun(t, c, s, 1, 6, 2)
	same(t, "after a kill", sums(t, whole, s), sums(t, c, s))
	if parts, _ := filepath.Glob(filepath.Join(src.Stage.Dir, ".part-*")); len(parts) > 0 {
		t.Errorf("left behind: %v", parts)
	}
}

func TestDiskFull(t *testing.T) {
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=160k"); err != nil {
		t.Skip("a small file system can't be mounted here: ", err)
	}
	defer syscall.Unmount(dir, 0)
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		t.Fatal(err)
	}
	s := puffShot()
	j := Sim{Shot: s, From: 1, To: 6}
	err = j.Do(context.Background(), c, quiet)
	if err == nil || !strings.Contains(err.Error(), "disk is full") {
		t.Fatalf("got %v", err)
	}
	src, _ := Open(s, "", c)
	for f := range src.Stage.Frames() {
		if _, err := src.Read(f); err != nil {
			t.Errorf("frame %d: %v", f, err)
		}
	}
}

func TestKeyFollowsOnlyWhatMatters(t *testing.T) {
	s := puffShot()
	d := s.Of(shot.Domain)[0]
	key := stage.Key(s, d)
	free := map[string]func(s *shot.Shot){
		"a look":         func(s *shot.Shot) { val.Phase.Set(s.Looks[0], 0.9) },
		"a name":         func(s *shot.Shot) { s.Element("emitter1").Name = "other" },
		"a colour":       func(s *shot.Shot) { val.Colour.Set(s.Element("collider1"), 1, 0, 0) },
		"the camera":     func(s *shot.Shot) { val.Lens.Set(s.Element("camera"), 80) },
		"the last frame": func(s *shot.Shot) { val.Last.Set(s.Self, 90) },
		"the handover":   func(s *shot.Shot) { val.Digits.Set(s.Handover, 7) },
	}
	for what, change := range free {
		c := s.Clone()
		change(c)
		if stage.Key(c, c.Element(d.ID)) != key {
			t.Errorf("%s makes the cache stale", what)
		}
	}
	bound := map[string]func(s *shot.Shot){
		"smoke":    func(s *shot.Shot) { val.Smoke.Set(s.Element("emitter1"), 0.5) },
		"a key":    func(s *shot.Shot) { s.Element("emitter1").SetKey(val.Smoke, shot.Key{Frame: 2}) },
		"a mute":   func(s *shot.Shot) { s.Element("collider1").Muted = true },
		"gravity":  func(s *shot.Shot) { val.Gravity.Set(s.Self, 1) },
		"a wall":   func(s *shot.Shot) { val.SideY1.Set(s.Element(d.ID), "wall") },
		"pre-roll": func(s *shot.Shot) { val.Preroll.Set(s.Self, 3) },
	}
	for what, change := range bound {
		c := s.Clone()
		change(c)
		if stage.Key(c, c.Element(d.ID)) == key {
			t.Errorf("%s leaves the cache current", what)
		}
	}
}

func TestPrerollIsNotKept(t *testing.T) {
	s := puffShot()
	val.Preroll.Set(s.Self, 4)
	val.Last.Set(s.Self, 2)
	c := open(t)
	mustRun(t, c, s, 1, 2, 2)
	got := sums(t, c, s)
	if len(got) != 2 || got[1] == "" {
		t.Errorf("%v", got)
	}
	plain := puffShot()
	val.Last.Set(plain.Self, 2)
	mustRun(t, c, plain, 1, 2, 2)
	a, _ := Open(s, "", c)
	b, _ := Open(plain, "", c)
	fa, _ := a.Stage.Get(1)
	fb, _ := b.Stage.Get(1)
	if StatsOf(fa).Of(sim.SmokeTotal) <= StatsOf(fb).Of(sim.SmokeTotal) {
		t.Errorf("after pre-roll frame 1 holds %g of smoke, without %g", StatsOf(fa).Of(sim.SmokeTotal), StatsOf(fb).Of(sim.SmokeTotal))
	}
}

func TestRenderRangeNamesWhatIsMissing(t *testing.T) {
	s := puffShot()
	c := open(t)
	mustRun(t, c, s, 1, 3, 2)
	dir := t.TempDir()
	r := Render{Take: s, Now: s, From: 2, To: 5, Width: 48, Height: 27, Samples: 2, Dir: dir, Name: "p"}
	err := r.Do(context.Background(), c, quiet)
	if err == nil || !strings.Contains(err.Error(), "4–5") {
		t.Errorf("got %v", err)
	}
	b, err := os.ReadFile(filepath.Join(dir, "p.0003.png"))
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil || img.Bounds().Dx() != 48 {
		t.Errorf("%v %v", img.Bounds(), err)
	}
}

func TestRunIsRefusedWithoutADomain(t *testing.T) {
	s := shot.New("empty")
	j := Sim{Shot: s, From: 1, To: 2}
	if err := j.Do(context.Background(), open(t), quiet); err == nil || !strings.Contains(err.Error(), "no domain") {
		t.Errorf("got %v", err)
	}
}

func TestRanges(t *testing.T) {
	if got := Ranges([]int{1, 2, 3, 7, 9, 10}); got != "1–3, 7, 9–10" {
		t.Error(got)
	}
}

func TestProgressIsJSON(t *testing.T) {
	if b, err := json.Marshal(Progress{Frame: 3}); err != nil || !strings.Contains(string(b), `"frame":3`) {
		t.Error(string(b), err)
	}
}

// The motion layer tells how the fluid goes, without a shutter too, and in a
// picture of the march.
func TestMotionLayerOfFluidWithoutShutter(t *testing.T) {
	s := puffShot()
	val.Shutter.Set(s.Of(shot.Camera)[0], 0)
	val.Speed.Set(s.Of(shot.Emitter)[0], 2)
	c := open(t)
	mustRun(t, c, s, 1, 5, 2)
	ForTiles(s.Looks[0])
	for _, e := range s.Of(shot.Collider) {
		val.Rendered.Set(e, false)
	}
	dir := t.TempDir()
	r := Render{Take: s, Now: s, Look: s.Looks[0].ID, From: 5, To: 5, Width: 64, Height: 64, Samples: 1, Tiles: true, Dir: dir, Name: "m"}
	if err := r.Do(context.Background(), c, quiet); err != nil {
		t.Fatal(err)
	}
	b, err := os.ReadFile(filepath.Join(dir, "m.0005.exr"))
	if err != nil {
		t.Fatal(err)
	}
	m, err := exr.Decode(b, exr.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	up, heat, n := 0.0, 0.0, 0.0
	for i, a := range m.Channel("A") {
		if a > 0.05 {
			n++
			up -= float64(m.Channel("motion.Y")[i])
			heat = max(heat, float64(m.Channel("heat.Y")[i]))
		}
	}
	if n < 4 || up/n < 0.05 {
		t.Errorf("%g pixels rise by %.3f pixels a frame", n, up/n)
	}
	if heat <= 0 || m.Channel("sides.top") != nil {
		t.Errorf("heat is %g, and sides weren't asked for", heat)
	}
}
