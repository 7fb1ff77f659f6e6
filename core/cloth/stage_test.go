package cloth

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// sheetShot is a shot with a sheet of half a metre, and what else its values say.
func sheetShot(pairs ...val.Pair) (s *shot.Shot, d, e *shot.Element) {
	s = shot.New("T")
	d = s.Add(shot.Domain)
	val.Fluid.Set(d, Key)
	e = s.Add(shot.Cloth)
	for _, p := range append([]val.Pair{val.Position.Is(0, 1, 0), val.Turn.Is(0, 0, 0), val.Size.Is(0.5, 0.01, 0.5), val.ClothEdge.Is(0.05)}, pairs...) {
		e.Set(p.Name, p.Value)
	}
	return s, d, e
}

func begin(t *testing.T, s *shot.Shot, threads int) *Stage {
	t.Helper()
	m, err := newStage(s, s.Of(shot.Domain)[0], grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func advance(t *testing.T, m *Stage, frames int) (st sim.Stats) {
	t.Helper()
	for range frames {
		var err error
		if _, st, err = m.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	return st
}

// bits is a frame as a file has it.
func bits(t *testing.T, m *Stage) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := m.SaveState(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// torn is a shot whose sheet a ball breaks through.
func torn() *shot.Shot {
	s, _, _ := sheetShot(val.Pins.Is("rim"), val.TearsAt.Is(0.05), val.Warp.Is(3000), val.Weft.Is(3000), val.Thickness.Is(0.004))
	ball := s.Add(shot.Collider)
	val.Form.Set(ball, "sphere")
	val.Size.Set(ball, 0.2, 0.2, 0.2)
	ball.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 1.12, 0)})
	ball.SetKey(val.Position, shot.Key{Frame: 12, Value: shot.Vec(0.03, 0.7, 0)})
	return s
}

// A run that tears has the same bits on any number of threads, and when it goes on from a saved
// state.
func TestSameBitsAndResume(t *testing.T) {
	one, two := begin(t, torn(), 1), begin(t, torn(), 2)
	advance(t, one, 7)
	half := bits(t, one)
	st := advance(t, one, 7)
	advance(t, two, 14)
	if len(one.sys.X) == one.sys.First[1] || st.Of(Parts) == 0 {
		t.Fatal("nothing tore")
	}
	if !bytes.Equal(bits(t, one), bits(t, two)) {
		t.Error("two threads have other bits than one")
	}
	again := begin(t, torn(), 2)
	if err := again.LoadState(bytes.NewReader(half), true); err != nil {
		t.Fatal(err)
	}
	advance(t, again, 7)
	if !bytes.Equal(bits(t, one), bits(t, again)) {
		t.Error("a resumed run has other bits")
	}
	// of another shot, or damaged: refused
	other, _, _ := sheetShot(val.ClothEdge.Is(0.1))
	if err := begin(t, other, 1).LoadState(bytes.NewReader(half), true); err == nil {
		t.Error("a state of other values was taken")
	}
	if err := begin(t, other, 1).LoadState(bytes.NewReader(half), false); err == nil {
		t.Error("a state of another mesh was taken")
	}
	half[len(half)/2] ^= 4
	if err := begin(t, torn(), 1).LoadState(bytes.NewReader(half), true); err == nil {
		t.Error("a damaged state was taken")
	}
}

// rained is a shot whose sheet takes up what falls on it and tears under it.
func rained() *shot.Shot {
	s, d, e := sheetShot(val.Pins.Is("rim"), val.TearsAt.Is(0.15), val.Warp.Is(4000), val.Weft.Is(4000), val.Soaks.Is(0.2))
	val.DropSize.Set(d, 0.03)
	spout := s.Add(shot.Emitter)
	val.Form.Set(spout, "box")
	val.Size.Set(spout, 0.15, 0.1, 0.15)
	p := val.Position.Of(e)
	val.Position.Set(spout, p[0], p[1]+0.2, p[2])
	val.Along.Set(spout, "axis")
	val.Speed.Set(spout, -2)
	val.End.Set(spout, 9)
	return s
}

// So has one with drops under way, lying on cloth that they wet and tear.
func TestSameBitsWithDrops(t *testing.T) {
	one, two := begin(t, rained(), 1), begin(t, rained(), 2)
	advance(t, one, 4)
	half := bits(t, one)
	st := advance(t, one, 3)
	advance(t, two, 7)
	wet := 0.0
	for _, w := range one.sys.Wet {
		wet = max(wet, w)
	}
	if n := st.Of(sim.Drops); n < 100 || wet == 0 || len(one.sys.X) == one.sys.First[1] {
		t.Fatalf("%g drops, %g kg/m² wet, %d vertices of %d", n, wet, len(one.sys.X), one.sys.First[1])
	}
	if !bytes.Equal(bits(t, one), bits(t, two)) {
		t.Error("two threads have other bits than one")
	}
	again := begin(t, rained(), 2)
	if err := again.LoadState(bytes.NewReader(half), true); err != nil {
		t.Fatal(err)
	}
	advance(t, again, 3)
	if !bytes.Equal(bits(t, one), bits(t, again)) {
		t.Error("a resumed run has other bits")
	}
}

// Pins go with the element that they are pinned to, however it moves and turns, and let go when
// they are told to.
func TestPins(t *testing.T) {
	s, _, e := sheetShot(val.Pins.Is("corners"))
	mast := s.Add(shot.Mesh)
	val.Position.Set(mast, 0, 1, 0)
	mast.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(0, 1, 0)})
	mast.SetKey(val.Position, shot.Key{Frame: 7, Value: shot.Vec(0.2, 1.1, 0)})
	mast.SetKey(val.Turn, shot.Key{Frame: 1, Value: shot.Vec(0, 0, 0)})
	mast.SetKey(val.Turn, shot.Key{Frame: 7, Value: shot.Vec(0, 90, 0)})
	val.PinTo.Set(e, mast.ID)
	m := begin(t, s, 2)
	was := append([]geom.Vec3(nil), m.sys.X...)
	advance(t, m, 7)
	if len(m.pieces[0].pins) != 4 {
		t.Fatalf("%d pins at four corners", len(m.pieces[0].pins))
	}
	turn := geom.RotationXYZ(geom.V(0, 90, 0))
	for _, v := range m.pieces[0].pins {
		want := turn.Apply(was[v].Sub(geom.V(0, 1, 0))).Add(geom.V(0.2, 1.1, 0))
		if d := m.sys.X[v].Sub(want).Len(); d > 1e-6 {
			t.Errorf("pin %d is %g m from where the mast has it", v, d)
		}
	}
	e.SetKey(val.PinHold, shot.Key{Frame: 7, Value: shot.Num(1)})
	e.SetKey(val.PinHold, shot.Key{Frame: 9, Value: shot.Num(0)})
	advance(t, m, 8)
	low := math.Inf(1)
	for _, v := range m.pieces[0].pins {
		low = min(low, 1.1-m.sys.X[v].Y)
	}
	if low < 0.05 {
		t.Errorf("let go, the pins have fallen %g m in a quarter of a second", low)
	}
}

// A sheet that hangs before the first frame is at rest on it, below where it was modelled.
func TestHangsBefore(t *testing.T) {
	s, d, _ := sheetShot(val.Pins.Is("corners"))
	val.Hang.Set(d, 4)
	m := begin(t, s, 2)
	if st := advance(t, m, 1); st.MaxSpeed > 0.05 || st.Low[1] > 0.99 {
		t.Errorf("on the first frame it moves at %g m/s and hangs down to %g m", st.MaxSpeed, st.Low[1])
	}
}

// Frames hold the mesh, all of it, with what other domains read.
func TestFrame(t *testing.T) {
	s, d, _ := sheetShot(val.Pins.Is("edge"))
	val.Voxel.Set(d, 0.05)
	m := begin(t, s, 2)
	advance(t, m, 3)
	f := m.Frame()
	if len(f.Points.P) != 121 || len(f.Points.Tri) != 200 || len(f.Points.Alive().P) != 0 {
		t.Errorf("%d vertices, %d faces, %d particles", len(f.Points.P), len(f.Points.Tri), len(f.Points.Alive().P))
	}
	c := f.Points.Cloth(nil)
	if c == nil || len(c.P) != 121 || c.Of(frame.Strain) == nil || f.Points.Cloth(func(n int) bool { return n == 1 }) != nil {
		t.Error("the first sheet isn't there, or a second is")
	}
	in := f.Grid(frame.Density).Inspect()
	if in.Active < 80 || in.Active > 400 { // a hundred voxels across, a few more aslant
		t.Errorf("a sheet of 10 × 10 voxels is in %d", in.Active)
	}
	if f.Grid(frame.Velocity) == nil {
		t.Error("it has no velocity")
	}
}

// Wind blows cloth, and that of a fluid's frame does too; without drag neither.
func TestWind(t *testing.T) {
	blown := func(drag float64) float64 {
		s, d, _ := sheetShot(val.Pins.Is("edge"), val.Turn.Is(90, 0, 0), val.SheetDrag.Is(drag), val.ClothMass.Is(0.1))
		val.SideZ0.Set(d, "outflow")
		w := s.Add(shot.Wind)
		val.Velocity.Set(w, 0, 0, 5)
		m := begin(t, s, 2)
		advance(t, m, 10)
		far := 0.0
		for _, p := range m.sys.X {
			far = max(far, p.Z)
		}
		return far
	}
	if with, without := blown(1.2), blown(0); with < 0.1 || without > 0.01 {
		t.Errorf("wind carries it %g m, and %g without drag", with, without)
	}
}

// What no cloth can be made of is told with its name.
func TestRefusedShots(t *testing.T) {
	for want, change := range map[string]func(d, e *shot.Element){
		"no cloth": func(d, e *shot.Element) { e.Muted = true },
		"imported file": func(d, e *shot.Element) {
			val.Form.Set(e, "mesh")
			val.Mesh.Set(e, "0123456789abcdef0123456789abcdef/x.ply")
		},
		"no file yet": func(d, e *shot.Element) { val.Form.Set(e, "mesh") },
		"mesh size":   func(d, e *shot.Element) { val.Size.Set(e, 1000, 0.01, 1000); val.ClothEdge.Set(e, 0.001) },
	} {
		s, d, e := sheetShot()
		change(d, e)
		if _, err := newStage(s, d, grid.NewCrew(1)); err == nil || !bytes.Contains([]byte(err.Error()), []byte(want)) {
			t.Errorf("%v says nothing of %q", err, want)
		}
	}
	var _ stage.Runner = (*Stage)(nil)
}

// A draft has fewer vertices and larger drops than its shot, and the shot keeps its own.
func TestCoarsens(t *testing.T) {
	s, d, e := sheetShot(val.ClothEdge.Is(0.004))
	val.DropSize.Set(d, 0.01)
	c, err := stage.Coarse(s, d.ID, stage.CoarseVoxel(d, 40_000))
	if err != nil {
		t.Fatal(err)
	}
	fine, coarse := vertices(s, e), vertices(c, c.Element(e.ID))
	if fine < 15_000 || coarse > 2_500 || coarse < 1_000 {
		t.Errorf("a draft of %.0f vertices has %.0f", fine, coarse)
	}
	if was, is := val.DropSize.Of(d), val.DropSize.Of(c.Element(d.ID)); was != 0.01 || is < 0.02 || is > 0.03 {
		t.Errorf("drops of %g m are %g in a draft", was, is)
	}
	if small, _, thin := sheetShot(); true {
		c, err := stage.Coarse(small, "", 0.1)
		if err != nil || val.ClothEdge.Of(c.Element(thin.ID)) != val.ClothEdge.Of(thin) {
			t.Errorf("a sheet of few vertices was made coarser: %v", err)
		}
	}
}

// What a run is thought to take counts its drops, and the parts that they break steps into.
func TestGuessCountsDrops(t *testing.T) {
	took := func(speed float64) float64 {
		s, d, _ := sheetShot()
		if speed > 0 {
			spout := s.Add(shot.Emitter)
			for _, p := range []val.Pair{val.Form.Is("box"), val.Position.Is(0, 1.2, 0), val.Size.Is(0.2, 0.2, 0.2), val.Along.Is("axis"), val.Speed.Is(-speed)} {
				spout.Set(p.Name, p.Value)
			}
		}
		e := stage.Estimate{Frames: 48}
		guess(s, d, 2e7, &e)
		return e.Seconds
	}
	if dry, slow, fast := took(0), took(0.5), took(20); !(dry > 0 && slow > 2*dry && fast > 3*slow) {
		t.Errorf("dry %g s, under slow drops %g s, under fast ones %g s", dry, slow, fast)
	}
}

// While a draft runs its pins can be pulled and its fabric's drag changed: what hangs from them comes
// along. Where it is cut otherwise it begins anew.
func TestDraftFollowsItsPins(t *testing.T) {
	s, d, e := sheetShot()
	draft, err := stage.NewDraft(s, d.ID, 0.1, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	middle := func() (x float64) {
		p := draft.Shown().Points
		for _, q := range p.P {
			x += float64(q[0]) / float64(len(p.P))
		}
		return x
	}
	run := func(frames int) {
		for range frames {
			if _, _, err := draft.Advance(nil); err != nil {
				t.Fatal(err)
			}
		}
	}
	run(3)
	was := middle()
	next := s.Clone()
	val.Position.Set(next.Element(e.ID), 0.2, 1, 0)
	if again, err := draft.Change(next); again || err != nil {
		t.Fatalf("pulled by its pins a draft begins anew: %v, %v", again, err)
	}
	run(12)
	if by := middle() - was; by < 0.1 || by > 0.3 {
		t.Errorf("its pins were pulled by 0.2 m, and it came along by %.3f", by)
	}
	other := next.Clone()
	val.ClothEdge.Set(other.Element(e.ID), 0.08)
	if again, err := draft.Change(other); !again || err != nil {
		t.Errorf("cut otherwise, it goes on: %v, %v", again, err)
	}
	more := next.Clone()
	more.Add(shot.Cloth)
	if again, _ := draft.Change(more); !again {
		t.Error("with more cloth it goes on")
	}
}
