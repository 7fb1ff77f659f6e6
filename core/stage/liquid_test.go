package stage

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
)

// poured is a shot of a spout over a tank with some water in it.
func poured() *shot.Shot {
	s := shot.New("L")
	s.Self.Values["last"] = shot.Num(12)
	d := s.Add(shot.Domain)
	for k, v := range map[string]shot.Value{"fluid": shot.Text("liquid"), "size": shot.Vec(0.8, 0.8, 0.8), "voxel": shot.Num(0.05), "position": shot.Vec(0, 0.4, 0), "cache_points": shot.Text("all"),
		"side_x0": shot.Text("wall"), "side_x1": shot.Text("wall"), "side_z0": shot.Text("wall"), "side_z1": shot.Text("wall")} {
		d.Values[k] = v
	}
	b := s.Add(shot.Emitter)
	b.Values["form"], b.Values["size"], b.Values["position"], b.Values["pours"] = shot.Text("box"), shot.Vec(2, 0.2, 2), shot.Vec(0, 0.1, 0), shot.Text("once")
	e := s.Add(shot.Emitter)
	e.Values["form"], e.Values["size"], e.Values["position"] = shot.Text("cylinder"), shot.Vec(0.2, 0.15, 0.2), shot.Vec(0, 0.65, 0)
	e.Values["speed"], e.Values["along"] = shot.Num(-1), shot.Text("axis")
	return s
}

func mustLiquid(t *testing.T, s *shot.Shot, threads int) *Liquid {
	t.Helper()
	l, err := New(s, "", grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	return l.(*Liquid)
}

func advance(t *testing.T, l *Liquid, frames int) {
	t.Helper()
	for range frames {
		if _, _, err := l.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
}

func TestLiquidResumesBitForBit(t *testing.T) {
	s := poured()
	whole := mustLiquid(t, s, 2)
	advance(t, whole, 8)
	half := mustLiquid(t, s, 1)
	advance(t, half, 4)
	var state bytes.Buffer
	if err := half.SaveState(&state); err != nil {
		t.Fatal(err)
	}
	again := mustLiquid(t, s, 2)
	if err := again.LoadState(bytes.NewReader(state.Bytes())); err != nil {
		t.Fatal(err)
	}
	if again.Next() != 5 {
		t.Fatalf("goes on with frame %d", again.Next())
	}
	advance(t, again, 4)
	a, b := whole.Solver.P, again.Solver.P
	if len(a) != len(b) || len(a) < 1000 {
		t.Fatalf("%d particles, resumed %d", len(a), len(b))
	}
	for n := range a {
		if a[n] != b[n] {
			t.Fatalf("particle %d: %v, resumed %v", n, a[n], b[n])
		}
	}
	// a state of other values, and ones that were tampered with
	other := s.Clone()
	other.Of(shot.Domain)[0].Values["viscosity"] = shot.Num(3)
	if err := mustLiquid(t, other, 1).LoadState(bytes.NewReader(state.Bytes())); err == nil || !strings.Contains(err.Error(), "other values") {
		t.Errorf("a state of other values: %v", err)
	}
	bad := half
	bad.Solver.P[3].X[1] = 1e9
	state.Reset()
	bad.SaveState(&state)
	if err := mustLiquid(t, s, 1).LoadState(&state); err == nil {
		t.Error("a state with a particle outside the box was taken")
	}
}

func TestLiquidFrame(t *testing.T) {
	l := mustLiquid(t, poured(), 2)
	advance(t, l, 3)
	var b bytes.Buffer
	if err := vdb.Write(&b, l.Grids(), vdb.Options{Compression: vdb.Blosc}); err != nil {
		t.Fatal(err)
	}
	f, err := vdb.Decode(b.Bytes(), vdb.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	sdf := f.Grid(Surface)
	if sdf == nil || sdf.Class != "level set" || f.Grid(Density) == nil || f.Grid(Velocity) == nil {
		t.Fatalf("the frame lacks a channel: %v", f.Grids)
	}
	// the surface stands where the water does, and encloses its volume
	n := [3]int{32, 32, 32}
	v := make([]float32, 32*32*32)
	if err := sdf.Dense([3]int{}, n, [][]float32{v}); err != nil {
		t.Fatal(err)
	}
	wet := 0.0
	for _, x := range v {
		if x < 0 {
			wet++
		}
	}
	wet *= 0.025 * 0.025 * 0.025
	if vol := l.Solver.Volume(); math.Abs(wet/vol-1) > 0.12 {
		t.Errorf("the surface encloses %.4f m³ of %.4f", wet, vol)
	}
	y := 0
	for y < 32 && v[(3*32+y)*32+3] < 0 {
		y++
	}
	if h := float64(y) * 0.025; math.Abs(h-0.2) > 0.05 {
		t.Errorf("in the corner the water stands %.3f m high, want 0.2", h)
	}
	p := l.Points()
	b.Reset()
	if err := p.Encode(&b); err != nil {
		t.Fatal(err)
	}
	back, err := ply.DecodePoints(b.Bytes())
	if err != nil || len(back.P) != len(l.Solver.P) || back.P[7] != p.P[7] || back.V[7] != p.V[7] {
		t.Fatalf("points don't come back: %v", err)
	}
	if q := back.P[0]; math.Abs(float64(q[0])) > 0.4 || q[1] < 0 || q[1] > 0.8 {
		t.Errorf("a particle at %v m", q)
	}
}

func TestKeysOfOtherFluidsDontMatter(t *testing.T) {
	s := poured()
	d := s.Of(shot.Domain)[0]
	key := Key(s, d)
	e := s.Of(shot.Emitter)[1]
	e.Values["smoke"], e.Values["fuel"], e.Values["temperature"] = shot.Num(7), shot.Num(1), shot.Num(900)
	d.Values["vorticity"], d.Values["upres"] = shot.Num(3), shot.Text("2")
	if Key(s, d) != key {
		t.Error("what only gas has makes a liquid stale")
	}
	e.Values["speed"] = shot.Num(-2)
	if Key(s, d) == key {
		t.Error("another speed leaves a liquid current")
	}
	g := sample()
	key = Key(g, g.Of(shot.Domain)[0])
	g.Of(shot.Emitter)[0].Values["pours"] = shot.Text("once")
	g.Of(shot.Domain)[0].Values["viscosity"] = shot.Num(5)
	if Key(g, g.Of(shot.Domain)[0]) != key {
		t.Error("what only liquids have makes a gas stale")
	}
}

// A gas is fed by a liquid's surface, and by nothing but it.
func TestSurfaceFeedsGas(t *testing.T) {
	l := mustLiquid(t, poured(), 2)
	advance(t, l, 2)
	f := &vdb.File{Grids: l.Grids()}
	src, err := sourceOf(f, Surface)
	if err != nil {
		t.Fatal(err)
	}
	at := func(y float64) float32 {
		q := geom.V(-0.3, y, 0.3).Sub(src.Origin).Mul(1 / src.H)
		return src.Share.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5))
	}
	if at(0.2) < 0.5 || at(0.08) > 0.05 || at(0.5) > 0.05 {
		t.Errorf("share at the surface %g, under it %g, over it %g", at(0.2), at(0.08), at(0.5))
	}
	if src.Motion[0] == nil {
		t.Error("the liquid's velocity doesn't come along")
	}
	g := mustGas(t, sample())
	g.Advance(nil)
	if _, err := sourceOf(&vdb.File{Grids: g.Grids()}, Surface); err == nil {
		t.Error("a gas has no surface")
	}
}

func TestScenesOfLiquids(t *testing.T) {
	s := poured()
	pulse := s.Of(shot.Emitter)[1]
	pulse.Values["begin"], pulse.Values["end"] = shot.Num(3), shot.Num(4)
	drain := s.Add(shot.Emitter)
	drain.Values["pours"] = shot.Text("drain")
	s.Add(shot.Vortex)
	s.Add(shot.Drag)
	l := mustLiquid(t, s, 1)
	dt := 1.0 / 24
	for frame, want := range map[int]int{2: 1, 3: 2, 4: 2, 5: 1} {
		in := l.Scene(float64(frame)*dt, dt)
		if len(in.Emitters) != want || len(in.Drains) != 1 {
			t.Errorf("frame %d: %d emitters and %d drains, want %d and 1", frame, len(in.Emitters), len(in.Drains), want)
		}
		if in.Push == nil || in.Slow == nil || in.Push(geom.V(0.2, 0.2, 0)).Len() == 0 || in.Slow(geom.Vec3{}) != 2 {
			t.Errorf("frame %d: vortex or drag don't act", frame)
		}
	}
}

// A draft of a liquid shows its surface, and takes other values on the way.
func TestDraftOfALiquid(t *testing.T) {
	s := poured()
	d, err := NewDraft(s, "", 0.08, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, _, err := d.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	wet := func() (n int) {
		for _, v := range d.Shown().Surface.Data {
			if v < 0 {
				n++
			}
		}
		return n
	}
	before := wet()
	s.Of(shot.Emitter)[1].Values["speed"] = shot.Num(-3)
	if again, err := d.Change(s); again || err != nil {
		t.Fatalf("another speed: restarts %v, %v", again, err)
	}
	for range 3 {
		d.Advance(nil)
	}
	if now := wet(); before == 0 || now <= before {
		t.Errorf("%d cells under the surface, then %d", before, now)
	}
	s.Of(shot.Domain)[0].Values["fluid"] = shot.Text("gas")
	if again, _ := d.Change(s); !again {
		t.Error("another fluid must begin anew")
	}
}
