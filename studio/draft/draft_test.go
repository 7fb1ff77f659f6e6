package draft

import (
	"bufio"
	"bytes"
	"errors"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/demo"
)

// talk runs a draft within the test and gives its commands and packets.
func talk(t *testing.T, s *shot.Shot, voxel float64) *Session {
	t.Helper()
	sess := Local(&Child{Threads: 2})
	t.Cleanup(sess.Close)
	if err := sess.Tell(Command{Do: "begin", Shot: s.Encode(), Value: voxel, Rate: 2e6, Size: 48}); err != nil {
		t.Fatal(err)
	}
	return sess
}

// next asks for a frame and reads packets until one of a kind comes.
func next(t *testing.T, s *Session, kind string) (Head, []byte) {
	t.Helper()
	if kind == "frame" || kind == "end" || kind == "fault" {
		s.Tell(Command{Do: "next"})
	}
	for {
		h, raw, err := s.Packet()
		if err != nil {
			t.Fatalf("waiting for %s: %v", kind, err)
		}
		if h.Kind == kind {
			return h, raw
		}
		if h.Kind == "fault" {
			t.Fatalf("waiting for %s: %s", kind, h.Said)
		}
	}
}

func puff() *shot.Shot {
	s := shot.New("D")
	val.Last.Set(s.Self, 12)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1.2, 0.8)
	val.Voxel.Set(d, 0.02)
	val.Position.Set(d, 0, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Smoke.Set(e, 2)
	return s
}

// top is the densest smoke of what a frame shows.
func (h Head) top() float64 {
	if h.Volume == nil || len(h.Volume.Parts) == 0 {
		return 0
	}
	return h.Volume.Parts[0].Top
}

func TestDraftFollowsChanges(t *testing.T) {
	doc := puff()
	s := talk(t, doc, 0.1)
	s.Tell(Command{Do: "pace", Value: 0})
	if h, _ := next(t, s, "begin"); h.Voxel != 0.1 || h.Frame != 1 {
		t.Errorf("%+v", h)
	}
	a, raw := next(t, s, "frame")
	if a.Frame != 1 || a.Volume == nil || a.top() <= 0 || len(raw) < 8+6*a.Volume.Parts[0].Dims[0]*a.Volume.Parts[0].Dims[1]*a.Volume.Parts[0].Dims[2] {
		t.Fatalf("%+v, %d bytes", a, len(raw))
	}
	next(t, s, "frame")
	// a value of the emitter acts in the next frame, without a new start
	val.Smoke.Set(doc.Element("emitter1"), 40)
	s.Tell(Command{Do: "change", Shot: doc.Encode()})
	b, _ := next(t, s, "frame")
	if b.Change == 0 { // a frame may have been under way
		b, _ = next(t, s, "frame")
	}
	if b.Frame > 4 || b.Change != 1 || b.top() < 30 {
		t.Errorf("after the change: frame %d, change %d, densest %g", b.Frame, b.Change, b.top())
	}
	// walls are what the grid is made from: it starts again
	val.SideY1.Set(doc.Element("domain1"), "wall")
	s.Tell(Command{Do: "change", Shot: doc.Encode()})
	if h, _ := next(t, s, "begin"); h.Frame != 1 || h.Change != 2 {
		t.Errorf("%+v", h)
	}
	for n := 1; n <= 12; n++ {
		if h, _ := next(t, s, "frame"); h.Frame != n {
			t.Fatalf("frame %d, want %d", h.Frame, n)
		}
	}
	next(t, s, "end")
	s.Tell(Command{Do: "restart"})
	if h, _ := next(t, s, "begin"); h.Frame != 1 {
		t.Errorf("%+v", h)
	}
}

// A change is shown after the step that it first acts in, not at the frame's end, and
// acts in what follows.
func TestAChangeIsShownBetweenSteps(t *testing.T) {
	doc := puff()
	val.Speed.Set(doc.Element("emitter1"), 60) // four steps a frame
	c := &Child{Threads: 1, changes: 1, doc: doc, size: 32, speed: 1e6, voxel: 0.1}
	var out bytes.Buffer
	c.out, c.wake = bufio.NewWriter(&out), make(chan struct{}, 1)
	c.acting = 1
	if err := c.begin(doc); err != nil {
		t.Fatal(err)
	}
	out.Reset()
	between := c.between(1)
	calls := 0
	n, st, err := c.draft.Advance(func() bool {
		if calls++; calls == 3 { // somebody changes a value during the second step
			to := doc.Clone()
			val.Smoke.Set(to.Element("emitter1"), 40)
			c.mu.Lock()
			c.doc, c.changes = to, 2
			c.mu.Unlock()
		}
		leave := between()
		switch {
		case calls < 4 && out.Len() != 0:
			t.Error("something is shown before a step was made with the change")
		case calls == 4 && out.Len() == 0:
			t.Error("nothing is shown after the first step with the change")
		case calls == 4:
			s := &Session{out: newReader(bytes.NewReader(out.Bytes()))}
			if h, _, err := s.Packet(); err != nil || h.Kind != "frame" || h.Change != 2 || h.Frame != 1 || h.top() < 1 {
				t.Errorf("%+v %v", h, err)
			}
			out.Reset()
		}
		return leave
	})
	if err != nil || n != 1 || st.Substeps != 4 {
		t.Fatalf("frame %d in %d steps: %v", n, st.Substeps, err)
	}
	if out.Len() != 0 {
		t.Error("it is shown more than once")
	}
	// what starts the draft again leaves the frame at once
	to := c.doc.Clone()
	val.SideY1.Set(to.Element("domain1"), "wall")
	c.doc, c.changes = to, 3
	if _, _, err := c.draft.Advance(c.between(1)); !errors.Is(err, sim.ErrStopped) {
		t.Errorf("a change of the grid: %v", err)
	}
}

// Voxels of another size go on with the same flow: by hand, and by themselves where
// frames take too long or not long enough.
func TestVoxelsChangeUnderTheFlow(t *testing.T) {
	doc := puff()
	val.Last.Set(doc.Self, 60)
	s := talk(t, doc, 0.1)
	s.Tell(Command{Do: "pace", Value: 0})
	var before Head
	for range 8 {
		before, _ = next(t, s, "frame")
	}
	s.Tell(Command{Do: "voxel", Value: 0.06})
	if h, _ := next(t, s, "told"); h.Voxel != 0.06 || !strings.Contains(h.Said, "goes on with voxels of 0.06 m") {
		t.Errorf("%+v", h)
	}
	after, _ := next(t, s, "frame")
	if after.Frame <= before.Frame || after.Voxel != 0.06 || after.top() < 0.5*before.top() {
		t.Errorf("frame %d at %g m, densest %g, before %d, %g", after.Frame, after.Voxel, after.top(), before.Frame, before.top())
	}

	c := &Child{Threads: 1, doc: doc, size: 32, speed: 1e4}
	c.out, c.wake = bufio.NewWriter(new(bytes.Buffer)), make(chan struct{}, 1)
	if err := c.begin(doc); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		if _, _, err := c.draft.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	coarse := c.draft.H
	for n, slow := range []float64{1.0 / 200, 1.0 / 4} { // quick, then slow
		c.made, c.slow = 100, slow
		was := c.draft.H
		if err := c.tune(doc); err != nil {
			t.Fatal(err)
		}
		if finer := c.draft.H < was; finer != (n == 0) || c.draft.H == was || c.draft.Next() != 4 {
			t.Errorf("%g s a frame: %g m became %g m, frame %d next", slow, was, c.draft.H, c.draft.Next())
		}
	}
	c.made, c.slow = 100, 1.0/aim
	if was := c.draft.H; c.tune(doc) != nil || c.draft.H != was {
		t.Errorf("%g m became %g m although its speed is right; it began with %g m", was, c.draft.H, coarse)
	}
}

// Sizes that no draft can have end at the nearest one that it can: never finer than the
// domain's own voxels, never so coarse that nothing can be seen; under 0 it chooses.
func TestOddVoxelSizesKeepTheFlow(t *testing.T) {
	doc := puff()
	val.Last.Set(doc.Self, 60)
	c := &Child{Threads: 1, doc: doc, size: 24, speed: 1e5, voxel: 0.1}
	c.out, c.wake = bufio.NewWriter(new(bytes.Buffer)), make(chan struct{}, 1)
	if err := c.begin(doc); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, _, err := c.draft.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	for _, h := range []float64{1e-9, 0.02, -1, 0.13, 1000, 0.1} {
		c.voxel = h
		if err := c.resize(doc); err != nil {
			t.Fatalf("%g m: %v", h, err)
		}
		if got := c.draft.H; got < 0.02 || h < 1 && got > 0.4 || c.free != (h <= 0) {
			t.Errorf("%g m asked for: %g m, its own choice %v", h, got, c.free)
		}
		if n, _, err := c.draft.Advance(nil); err != nil || n < 3 {
			t.Errorf("after %g m: frame %d, %v", h, n, err)
		}
	}
}

func TestDraftPausesAndSteps(t *testing.T) {
	s := talk(t, puff(), 0.1)
	s.Tell(Command{Do: "pause"})
	next(t, s, "begin")
	for range 3 {
		s.Tell(Command{Do: "next"})
	}
	s.Tell(Command{Do: "step"})
	if h, _, err := s.Packet(); err != nil || h.Kind != "frame" || h.Frame != 1 {
		t.Fatalf("%+v %v", h, err)
	}
	got := make(chan Head, 1)
	go func() {
		h, _, _ := s.Packet()
		got <- h
	}()
	select {
	case h := <-got:
		t.Fatalf("paused, it made %+v", h)
	case <-time.After(150 * time.Millisecond):
	}
	s.Tell(Command{Do: "go"})
	if h := <-got; h.Frame != 2 {
		t.Errorf("%+v", h)
	}
}

func TestDraftTellsWhyItCant(t *testing.T) {
	doc := shot.New("E")
	s := talk(t, doc, 0)
	h, _, err := s.Packet()
	if err != nil || h.Kind != "fault" || !strings.Contains(h.Said, "no domain") {
		t.Fatalf("%+v %v", h, err)
	}
	s.Tell(Command{Do: "change", Shot: puff().Encode()})
	if h, _ := next(t, s, "begin"); h.Voxel != 0.02 {
		t.Errorf("%+v", h)
	}
}

func TestKilledProcessIsTold(t *testing.T) {
	s, err := Start(exec.Command("sleep", "60"))
	if err != nil {
		t.Skip(err)
	}
	defer s.Close()
	syscall.Kill(s.PID(), syscall.SIGKILL)
	if _, _, err := s.Packet(); err == nil || !strings.Contains(err.Error(), "killed") {
		t.Errorf("%v", err)
	}
}

func TestAutomaticVoxelIsQuickEnough(t *testing.T) {
	s := talk(t, demo.Brazier(), 0)
	s.Tell(Command{Do: "pace", Value: 0})
	begin := time.Now()
	var last Head
	for range 30 {
		last, _ = next(t, s, "frame")
	}
	if last.Voxels < 2000 {
		t.Errorf("it chose %.0f voxels", last.Voxels)
	}
	t.Logf("30 frames of the brazier in %.2f s; %.0f frames a second at %.3g m, %.0f voxels", time.Since(begin).Seconds(), last.Rate, last.Voxel, last.Voxels)
}

func TestDraftOfANamedDomain(t *testing.T) {
	doc := puff()
	d := doc.Add(shot.Domain)
	val.Size.Set(d, 2, 2, 2)
	val.Voxel.Set(d, 0.25)
	val.Position.Set(d, 0, 1, 0)
	s := Local(&Child{Threads: 1})
	t.Cleanup(s.Close)
	s.Tell(Command{Do: "begin", Shot: doc.Encode(), Value: 0.25, Rate: 2e6, Size: 24, Domain: d.ID})
	if h, _, err := s.Packet(); err != nil || h.Kind != "begin" || h.Voxels != 512 {
		t.Errorf("%+v %v", h, err)
	}
	s2 := Local(&Child{Threads: 1})
	t.Cleanup(s2.Close)
	s2.Tell(Command{Do: "begin", Shot: doc.Encode(), Rate: 2e6, Size: 24, Domain: "none"})
	if h, _, err := s2.Packet(); err != nil || h.Kind != "fault" || !strings.Contains(h.Said, `no domain "none"`) {
		t.Errorf("%+v %v", h, err)
	}
}

// A frame of a draft tells what its sensors read, as it goes.
func TestFramesTellWhatSensorsRead(t *testing.T) {
	doc := puff()
	x := doc.Add(shot.Sensor)
	val.SensorChannel.Set(x, "density")
	val.SensorOver.Set(x, 0.01)
	at := val.Position.Of(doc.Element("emitter1"))
	val.Position.Set(x, at[0], at[1], at[2])
	val.Size.Set(x, 0.2, 0.2, 0.2)
	c := &Child{Threads: 1, changes: 1, doc: doc, size: 32, speed: 1e6, voxel: 0.1, acting: 1}
	var out bytes.Buffer
	c.out, c.wake = bufio.NewWriter(&out), make(chan struct{}, 1)
	if err := c.begin(doc); err != nil {
		t.Fatal(err)
	}
	out.Reset()
	for range 2 {
		if err := c.frame(doc); err != nil {
			t.Fatal(err)
		}
	}
	s := &Session{out: newReader(bytes.NewReader(out.Bytes()))}
	h, _, err := s.Packet()
	if err != nil || len(h.Sensors) != 1 || h.Sensors[0].ID != x.ID || h.Sensors[0].Read < 0.5 {
		t.Errorf("%+v %v", h, err)
	}
}
