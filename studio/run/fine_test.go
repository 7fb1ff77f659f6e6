package run

import (
	"context"
	"errors"
	"strings"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// fireShot burns, follows its fluid, and is small enough for a test.
func fireShot() *shot.Shot {
	s := puffShot()
	d := s.Of(shot.Domain)[0]
	val.Burning.Set(d, "oxygen")
	val.Bounds.Set(d, "follow")
	val.FollowMargin.Set(d, 0.1)
	val.Size.Set(d, 1.6, 1.6, 1.2)
	val.Voxel.Set(d, 0.05)
	e := s.Of(shot.Emitter)[0]
	val.Fuel.Set(e, 0.06)
	val.Temperature.Set(e, 900)
	return s
}

func fineShot() *shot.Shot {
	s := fireShot()
	val.Upres.Set(s.Of(shot.Domain)[0], "2")
	return s
}

// Upres is a stage of its own: it leaves the coarse frames as they are, makes
// finer ones, and only it is made again when its own values change.
func TestUpresStandsOnTheCoarseRun(t *testing.T) {
	c := open(t)
	coarse, fine := fireShot(), fineShot()
	mustRun(t, c, coarse, 1, 4, 2)
	before := sums(t, c, coarse)
	mustRun(t, c, fine, 1, 4, 2)
	a, _ := Open(coarse, "", c)
	b, _ := Open(fine, "", c)
	if a.Stage.Dir == b.Stage.Dir {
		t.Fatal("both have one key")
	}
	for f, sum := range sums(t, c, coarse) {
		if before[f] != sum {
			t.Errorf("coarse frame %d was made again", f)
		}
	}
	fa, _ := a.Read(4)
	fb, _ := b.Read(4)
	if x, y := fa.Grid("density").Transform.VoxelSize()[0], fb.Grid("density").Transform.VoxelSize()[0]; x/y < 1.99 || x/y > 2.01 {
		t.Errorf("voxels of %g and %g m", x, y)
	}
	// the same smoke, on voxels of an eighth
	total := func(s *Source) (sum float64) {
		f, _ := s.Read(4)
		d := s.Channel(f, frame.Density)
		_, h, _ := s.Grid()
		for _, v := range d.Data {
			sum += float64(v) * h * h * h
		}
		return sum
	}
	if x, y := total(a), total(b); y < 0.95*x || y > 1.05*x {
		t.Errorf("%g of smoke coarse, %g fine", x, y)
	}
	var notes []string
	val.UpresStrength.Set(fine.Of(shot.Domain)[0], 0.5)
	j := Sim{Shot: fine, From: 1, To: 4, Threads: 2}
	if err := j.Do(context.Background(), c, func(p Progress) { notes = append(notes, p.Notes...) }); err != nil {
		t.Fatal(err)
	}
	if s := strings.Join(notes, " "); strings.Contains(s, "coarse") || !strings.Contains(s, "upres") {
		t.Errorf("changing the whirls made: %q", notes)
	}
}

// Stopped and taken up again, both stages end in the same bits.
func TestFineAndFollowingRunsResume(t *testing.T) {
	whole := open(t)
	mustRun(t, whole, fineShot(), 1, 6, 1)
	want := sums(t, whole, fineShot())
	c := open(t)
	for n := range 12 {
		ctx, stop := context.WithCancel(context.Background())
		made := 0
		j := Sim{Shot: fineShot(), From: 1, To: 6, Threads: 2}
		err := j.Do(ctx, c, func(p Progress) {
			if made++; made == 3 {
				stop()
			}
		})
		stop()
		if err == nil {
			break
		}
		if !errors.Is(err, ErrStopped) {
			t.Fatal(err)
		}
		if n == 11 {
			t.Fatal("it never ends")
		}
	}
	under := func(c *cache.Cache) map[int]string {
		s := fineShot()
		out := map[int]string{}
		for f, x := range c.Stage(stage.CoarseKey(s, s.Of(shot.Domain)[0])).Frames() {
			out[f] = x.SHA256
		}
		return out
	}
	for f, s := range under(c) {
		if under(whole)[f] != s {
			t.Errorf("coarse frame %d differs after resuming", f)
		}
	}
	for f, s := range sums(t, c, fineShot()) {
		if want[f] != s {
			t.Errorf("frame %d differs after resuming", f)
		}
	}
	if len(want) != 6 {
		t.Errorf("%d frames", len(want))
	}
}

func TestUpresNeedsVelocity(t *testing.T) {
	s := fineShot()
	val.CacheVelocity.Set(s.Of(shot.Domain)[0], false)
	j := Sim{Shot: s, From: 1, To: 2}
	if err := j.Do(context.Background(), open(t), quiet); err == nil || !strings.Contains(err.Error(), "Keep velocity") {
		t.Errorf("got %v", err)
	}
}

// A burning take keeps its fuel, flame and totals, its pictures glow, and its
// handover names the channels.
func TestFireIsKeptAndSeen(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 5, 2)
	src, err := Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	var burnt float64
	for f := 1; f <= 5; f++ {
		x, _ := src.Stage.Get(f)
		burnt += StatsOf(x).Of(sim.FuelBurnt)
	}
	if burnt <= 0 {
		t.Error("no fuel was burnt")
	}
	sc, err := src.Scene(5, s, s.Looks[0], grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	v := sc.Volumes[0]
	if v.Glow[0] == nil {
		t.Fatal("the flame doesn't glow")
	}
	if _, top, _ := v.Glow[0].Range(); top <= 0 {
		t.Error("the flame is dark")
	}
}

// A window is as large as what is there, wherever it is.
func TestWindowFollows(t *testing.T) {
	c := open(t)
	s := fireShot()
	mustRun(t, c, s, 1, 3, 2)
	src, _ := Open(s, "", c)
	f, err := src.Read(3)
	if err != nil {
		t.Fatal(err)
	}
	full, _, _ := src.Grid()
	low, n := src.Window(f)
	if n.Len() >= full.Len() {
		t.Errorf("window %v at %v of %v", n, low, full)
	}
	if d := src.Channel(f, frame.Density); d.Dims != n {
		t.Errorf("the channel is %v, its window %v", d.Dims, n)
	}
}
