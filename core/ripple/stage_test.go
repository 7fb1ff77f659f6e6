package ripple

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/grid"
	_ "zarf/core/liquid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// dropped is a pool that a ball of water falls into.
func dropped() *shot.Shot {
	s := shot.New("A")
	val.Last.Set(s.Self, 10)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 0.8, 0.6, 0.6)
	val.Voxel.Set(d, 0.025)
	val.Position.Set(d, 0, 0.3, 0)
	val.Ripples.Set(d, "2")
	for _, side := range shot.Sides {
		side.Name.Set(d, "wall")
	}
	for n, size := range [][3]float64{{2, 0.4, 2}, {0.15, 0.15, 0.15}} {
		e := s.Add(shot.Emitter)
		val.Form.Set(e, []string{"box", "sphere"}[n])
		val.Size.Set(e, size[0], size[1], size[2])
		val.Position.Set(e, 0.05*float64(n), 0.45*float64(n), 0)
		val.Pours.Set(e, "once")
	}
	return s
}

// frames are a run's.
func frames(t *testing.T, s *shot.Shot, n int) (out []*frame.Frame) {
	t.Helper()
	g, err := stage.New(s, "", grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	for range n {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
		out = append(out, g.Frame())
	}
	return out
}

func begin(t *testing.T, s *shot.Shot, threads int) stage.Refiner {
	t.Helper()
	d := s.Of(shot.Domain)[0]
	r, err := stage.RefinementOf(d).New(s, d, grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// print is a frame's surface as a number.
func print(f *frame.Frame) uint64 {
	h := fnv.New64a()
	for _, l := range f.Grid(frame.Surface).Leaves {
		fmt.Fprint(h, l.Origin, l.Active, l.Values)
	}
	return h.Sum64()
}

// A splash gets ripples; its volume stays; threads, and where a run was cut, change no bit; what
// else the run's frames hold goes through.
func TestSplash(t *testing.T) {
	s := dropped()
	run := frames(t, s, 10)
	volume := func(f *frame.Frame) (sum float64) {
		l, err := readLevel(f, [3]int{1 << 20, 1 << 20, 1 << 20})
		if err != nil {
			t.Fatal(err)
		}
		for n, v := range l.v { // of columns how much is wet, in straight lines between places
			j := n / l.n[0] % l.n[1]
			if j == 0 {
				sum += min(max(0.5-float64(v), 0), 0.5)
				continue
			}
			switch u := l.v[n-l.n[0]]; {
			case u <= 0 && v <= 0:
				sum++
			case u <= 0 || v <= 0:
				sum += float64(max(-u, -v) / max(u-v, v-u))
			}
		}
		return sum * l.h * l.h * l.h
	}
	one, two := begin(t, s, 1), begin(t, s, 2)
	var state bytes.Buffer
	var last *frame.Frame
	for n, f := range run {
		for _, r := range []stage.Refiner{one, two} {
			if err := r.Advance(f); err != nil {
				t.Fatal(err)
			}
		}
		last = two.Frame()
		if print(last) != print(one.Frame()) {
			t.Errorf("frame %d: one thread and two differ", n+1)
		}
		if off := volume(last)/volume(f) - 1; math.Abs(off) > 1e-3 {
			t.Errorf("frame %d: volume off by %.3f %%", n+1, 100*off)
		} else {
			t.Logf("frame %d: volume off by %.4f %%", n+1, 100*off)
		}
		if last.Grid(frame.Surface).Background != f.Grid(frame.Surface).Background {
			t.Error("distances don't reach as far as the run's, within which liquid touches glass")
		}
		if len(last.Grids) != len(f.Grids) || last.Grid(frame.Velocity) != f.Grid(frame.Velocity) {
			t.Errorf("frame %d lacks some of the run's grids", n+1)
		}
		if n == 5 {
			if err := two.SaveState(&state); err != nil {
				t.Fatal(err)
			}
		}
	}
	high := two.(*Stage).Solver.Highest()
	if h := val.Voxel.Of(s.Of(shot.Domain)[0]); high < 0.02*h || high > 2*h {
		t.Errorf("ripples of %.3f voxels", high/h)
	}
	cut := begin(t, s, 2)
	if err := cut.LoadState(bytes.NewReader(state.Bytes())); err != nil || cut.Next() != 7 {
		t.Fatalf("%v, next %d", err, cut.Next())
	}
	if err := cut.Resume(run[5]); err != nil {
		t.Fatal(err)
	}
	for _, f := range run[6:] {
		if err := cut.Advance(f); err != nil {
			t.Fatal(err)
		}
	}
	if print(cut.Frame()) != print(last) {
		t.Error("a resumed run has other bits")
	}
	if err := begin(t, s, 1).LoadState(bytes.NewReader(state.Bytes()[:state.Len()/2])); err == nil {
		t.Error("half a state was taken")
	}
	val.RippleSeed.Set(s.Of(shot.Domain)[0], 9)
	if err := begin(t, s, 1).LoadState(bytes.NewReader(state.Bytes())); err == nil {
		t.Error("a state of other ripples was taken")
	}
}

// Its own values make ripples stale and leave the run current; switched off they count for
// nothing; each changes what comes out.
func TestKeys(t *testing.T) {
	s := dropped()
	d := s.Of(shot.Domain)[0]
	run := frames(t, s, 9)
	result := func(s *shot.Shot) uint64 {
		r := begin(t, s, 2)
		for _, f := range run {
			if err := r.Advance(f); err != nil {
				t.Fatal(err)
			}
		}
		return print(r.Frame())
	}
	coarse, was, of := stage.CoarseKey(s, d), stage.Key(s, d), result(s)
	for what, change := range map[string]func(d *shot.Element){
		"cells":    func(d *shot.Element) { val.Ripples.Set(d, "3") },
		"strength": func(d *shot.Element) { val.RippleStrength.Set(d, 2) },
		"time":     func(d *shot.Element) { val.RippleLasts.Set(d, 0.1) },
		"seed":     func(d *shot.Element) { val.RippleSeed.Set(d, 7) },
	} {
		o := s.Clone()
		d := o.Of(shot.Domain)[0]
		change(d)
		if stage.CoarseKey(o, d) != coarse || stage.Key(o, d) == was {
			t.Errorf("%s: the run's key changed, or the ripples' didn't", what)
		}
		if result(o) == of {
			t.Errorf("another %s changes nothing", what)
		}
	}
	e := stage.Guess(s, d, 1e6)
	val.Ripples.Set(d, "1")
	if stage.Key(s, d) != coarse {
		t.Error("without ripples the key isn't the run's")
	}
	if o := stage.Guess(s, d, 1e6); e.Seconds <= o.Seconds || e.Disk <= o.Disk || e.Voxels != o.Voxels {
		t.Errorf("with ripples %+v, without %+v", e, o)
	}
}

// What ripples need and don't get is said.
func TestRefused(t *testing.T) {
	for what, change := range map[string]func(d *shot.Element){
		"no velocity": func(d *shot.Element) { val.CacheVelocity.Set(d, false) },
		"flat":        func(d *shot.Element) { val.Flat.Set(d, true) },
	} {
		s := dropped()
		d := s.Of(shot.Domain)[0]
		change(d)
		if _, err := stage.RefinementOf(d).New(s, d, grid.NewCrew(1)); err == nil {
			t.Errorf("%s: taken", what)
		}
	}
	if _, err := New(Settings{Factor: 9, NX: 4, NY: 4, NZ: 4, H: 1, Voxel: 1}, grid.NewCrew(1)); err == nil {
		t.Error("a ninth of a cell was taken")
	}
	if _, err := New(Settings{Factor: 2, NX: 1 << 20, NY: 4, NZ: 4, H: 1, Voxel: 1}, grid.NewCrew(1)); err == nil {
		t.Error("two million cells were taken")
	}
}
