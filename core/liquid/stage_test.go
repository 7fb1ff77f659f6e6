package liquid

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// poured is a shot of a spout over a tank with some water in it.
func poured() *shot.Shot {
	s := shot.New("L")
	val.Last.Set(s.Self, 12)
	d := s.Add(shot.Domain)
	if err := d.PutAll(shot.With(val.Fluid.Is("liquid"), val.Size.Is(0.8, 0.8, 0.8), val.Voxel.Is(0.05), val.Position.Is(0, 0.4, 0), val.CachePoints.Is("all"),
		val.SideX0.Is("wall"), val.SideX1.Is("wall"), val.SideZ0.Is("wall"), val.SideZ1.Is("wall"))); err != nil {
		panic(err)
	}
	b := s.Add(shot.Emitter)
	val.Form.Set(b, "box")
	val.Size.Set(b, 2, 0.2, 2)
	val.Position.Set(b, 0, 0.1, 0)
	val.Pours.Set(b, "once")
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "cylinder")
	val.Size.Set(e, 0.2, 0.15, 0.2)
	val.Position.Set(e, 0, 0.65, 0)
	val.Speed.Set(e, -1)
	val.Along.Set(e, "axis")
	return s
}

func mustLiquid(t *testing.T, s *shot.Shot, threads int) *Stage {
	t.Helper()
	l, err := NewStage(s, "", grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func advance(t *testing.T, l *Stage, frames int) {
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
	if err := again.LoadState(bytes.NewReader(state.Bytes()), true); err != nil {
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
	val.Viscosity.Set(other.Of(shot.Domain)[0], 3)
	if err := mustLiquid(t, other, 1).LoadState(bytes.NewReader(state.Bytes()), true); err == nil || !strings.Contains(err.Error(), "other values") {
		t.Errorf("a state of other values: %v", err)
	}
	bad := half
	bad.Solver.P[3].X[1] = 1e9
	state.Reset()
	bad.SaveState(&state)
	if err := mustLiquid(t, s, 1).LoadState(&state, true); err == nil {
		t.Error("a state with a particle outside the box was taken")
	}
}

func TestLiquidFrame(t *testing.T) {
	l := mustLiquid(t, poured(), 2)
	advance(t, l, 3)
	var b bytes.Buffer
	if err := vdb.Write(&b, l.Frame().Grids, vdb.Options{Compression: vdb.Blosc}); err != nil {
		t.Fatal(err)
	}
	f, err := vdb.Decode(b.Bytes(), vdb.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	sdf := f.Grid(frame.Surface)
	if sdf == nil || sdf.Class != "level set" || f.Grid(frame.Density) == nil || f.Grid(frame.Velocity) == nil {
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
	p := l.Frame().Points
	b.Reset()
	if err := ply.EncodePoints(&b, p); err != nil {
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

func TestScenesOfLiquids(t *testing.T) {
	s := poured()
	pulse := s.Of(shot.Emitter)[1]
	val.Begin.Set(pulse, 3)
	val.End.Set(pulse, 4)
	drain := s.Add(shot.Emitter)
	val.Pours.Set(drain, "drain")
	s.Add(shot.Vortex)
	s.Add(shot.Drag)
	l := mustLiquid(t, s, 1)
	dt := 1.0 / 24
	for frame, want := range map[int]int{2: 1, 3: 2, 4: 2, 5: 1} {
		in := l.inputs(float64(frame)*dt, dt)
		if len(in.Emitters) != want || len(in.Drains) != 1 {
			t.Errorf("frame %d: %d emitters and %d drains, want %d and 1", frame, len(in.Emitters), len(in.Drains), want)
		}
		if p := in.Pushes(); len(p) != 1 || p[0].At(geom.V(0.2, 0.2, 0)).Len() == 0 || len(in.Drags) != 1 || in.Drags[0].Rate != 2 {
			t.Errorf("frame %d: vortex or drag don't act", frame)
		}
	}
}
