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

// strip is a metre of cloth that burns, of edges of one over n, pinned at one end.
func strip(n int, fire Fire) *System {
	f := Fabric{Mass: 0.15, Warp: 1e4, Weft: 1e4, Shear: 800, BendWarp: 2e-5, BendWeft: 2e-5, Damping: 0.005, Thickness: 4e-4, Friction: 0.4, Fire: fire}
	m := Rectangle(0.1, 1, max(n/10, 1)+1, n+1)
	s, err := New([]Sheet{{ID: "strip", Mesh: m, Warp: geom.V(0, 1, 0), Fabric: f, Flat: true}}, grid.NewCrew(2))
	if err != nil {
		panic(err)
	}
	return s
}

// Fire goes along cloth at its speed, whatever the mesh and the step.
func TestFireSpreads(t *testing.T) {
	for _, c := range []struct {
		n  int
		dt float64
	}{{20, 1.0 / 96}, {60, 1.0 / 96}, {60, 1.0 / 384}} {
		s := strip(c.n, Fire{At: 400, Lasts: 100, Spread: 0.2})
		torch := func(_ int, p geom.Vec3) bool { return p.Y > -0.02 }
		at := func(y float64) float64 { // s until fire is there
			for k := 1; k < int(20/c.dt); k++ {
				s.warm(c.dt, nil, torch)
				for i, p := range s.X {
					if math.Abs(p.Y-y) < 0.5/float64(c.n) && s.Burnt[i] > 0 {
						return float64(k) * c.dt
					}
				}
			}
			return math.Inf(1)
		}
		first := at(-0.2)
		if v := 0.6 / at(-0.8); math.Abs(v/0.2-1) > 0.1 {
			t.Errorf("%d edges, %g s: fire goes at %.4f m/s, not 0.2; it was at 0.2 m after %g s", c.n, c.dt, v, first)
		}
	}
}

// In hot gas cloth warms as what has its heat and both sides does; what is wet boils dry first.
func TestGasHeats(t *testing.T) {
	const hot, dt = 900.0, 1.0 / 96
	gas := func(geom.Vec3) float64 { return hot }
	reaches := func(wet float64) float64 {
		s := strip(10, Fire{At: 400, Lasts: 1})
		for i := range s.Wet {
			s.Wet[i] = wet
		}
		for k := 1; k < 1e5; k++ {
			if s.warm(dt, gas, nil) > 0 {
				if wet > 0 && s.Wet[0] > 0 {
					t.Errorf("it burns with %g kg/m² of water in it", s.Wet[0])
				}
				return float64(k) * dt
			}
		}
		return math.Inf(1)
	}
	held := 0.15 * fibre
	dry := held / (2 * film) * math.Log(hot/(hot-400))
	if got := reaches(0); math.Abs(got/dry-1) > 0.02 {
		t.Errorf("dry cloth catches fire after %g s, not %g", got, dry)
	}
	// at the boil it takes up 2 film (hot − boils) for each square metre
	boil := 0.05 * latent / (2 * film * (hot - boils))
	if got := reaches(0.05); math.Abs(got/(dry+boil)-1) > 0.03 {
		t.Errorf("wet cloth catches fire after %g s, not %g", got, dry+boil)
	}
	s := strip(10, Fire{At: 400, Lasts: 1})
	s.Heat[3] = 300
	for range 10 * 96 {
		s.warm(dt, nil, nil)
	}
	if want := 300 * math.Exp(-10*2*film/held); math.Abs(s.Heat[3]/want-1) > 0.01 {
		t.Errorf("after 10 s in still air it is %g K over that, not %g", s.Heat[3], want)
	}
}

// What burns becomes ash, which is gone: the pinned end stays until fire is there, a resumed run has
// the same bits, and in the end one face is left.
func TestBurnsAway(t *testing.T) {
	s := shot.New("fire")
	d := s.Add(shot.Domain)
	for _, p := range []val.Pair{val.Fluid.Is(Key), val.Size.Is(2, 2, 2), val.Voxel.Is(0.1)} {
		d.Set(p.Name, p.Value)
	}
	torch := s.Add(shot.Sensor)
	for _, p := range []val.Pair{val.Position.Is(0, 0, 0.25), val.Size.Is(0.6, 0.1, 0.1)} {
		torch.Set(p.Name, p.Value)
	}
	e := s.Add(shot.Cloth)
	for _, p := range []val.Pair{val.Position.Is(0, 0, 0), val.Size.Is(0.4, 0.01, 0.5), val.ClothEdge.Is(0.05), val.Pins.Is("edge"), val.BurnsAt.Is(680), val.BurnsFor.Is(0.3), val.FireSpread.Is(0.5), val.LitWithin.Is(torch.ID)} {
		e.Set(p.Name, p.Value)
	}
	m := begin(t, s, 2)
	advance(t, m, 1)
	all := len(m.sys.faces)
	for k := 0; len(m.sys.faces) == all && k < 48; k++ {
		advance(t, m, 1)
	}
	part := len(m.sys.faces)
	if part == all {
		t.Fatal("nothing of it has burnt after two seconds")
	}
	burnt := m.points().Of(frame.Burnt)
	if burnt == nil || m.Frame().Grid(frame.Temperature).Inspect().Active == 0 {
		t.Error("its frame has nothing that burns")
	}
	half := bits(t, m)
	again := begin(t, s, 1)
	if err := again.LoadState(bytes.NewReader(half), true); err != nil {
		t.Fatal(err)
	}
	advance(t, m, 6)
	advance(t, again, 6)
	if !bytes.Equal(bits(t, m), bits(t, again)) {
		t.Error("a resumed run has other bits")
	}
	advance(t, m, 48)
	if n, shown := len(m.sys.faces), len(m.points().Tri); n != 1 || shown != 0 {
		t.Errorf("%d of %d faces are left, and %d shown", n, all, shown)
	}
}

// Sensors read how wet and how stretched cloth is within their form: no drop or vertex elsewhere
// counts, and vertices aren't counted as drops.
func TestSensed(t *testing.T) {
	s, d, _ := sheetShot(val.Pins.Is("rim"), val.Soaks.Is(0.2), val.Warp.Is(2000), val.Weft.Is(2000))
	val.DropSize.Set(d, 0.03)
	spout := s.Add(shot.Emitter)
	for _, p := range []val.Pair{val.Form.Is("box"), val.Position.Is(0.12, 1.1, 0), val.Size.Is(0.15, 0.1, 0.3), val.Along.Is("axis"), val.Speed.Is(-2), val.End.Is(4)} {
		spout.Set(p.Name, p.Value)
	}
	sensor := func(x float64, channel, measure string) *shot.Element {
		o := s.Add(shot.Sensor)
		for _, p := range []val.Pair{val.Position.Is(x, 1, 0), val.Size.Is(0.25, 1, 0.5), val.SensorChannel.Is(channel), val.SensorMeasure.Is(measure), val.SensorOver.Is(0.01), val.SensorHigh.Is(1)} {
			o.Set(p.Name, p.Value)
		}
		return o
	}
	wet, dry, drawn, share, drops := sensor(0.125, "wet", "mean"), sensor(-0.3, "wet", "most"), sensor(0, "stretch", "most"), sensor(0, "stretch", "share"), sensor(0, "particles", "share")
	m, err := stage.New(s, d.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	var st sim.Stats
	for range 3 {
		if _, st, err = stage.Advance(m, nil); err != nil {
			t.Fatal(err)
		}
	}
	read := func(o *shot.Element) float64 { return st.Of(stage.Measured(o)) }
	if w := read(wet); !(w > 0.01 && w < 1) || read(dry) > 1e-6 {
		t.Errorf("cloth under the spout is wet by %g, beside it by %g", w, read(dry))
	}
	if x := read(drawn); !(x > 0.002 && x < 1) || !(read(share) >= 0 && read(share) <= 1) {
		t.Errorf("it is stretched by %g, over a hundredth on %g of it", x, read(share))
	}
	if n := read(drops); n < 1 || n > st.Of(sim.Drops) {
		t.Errorf("%g drops are counted of %g", n, st.Of(sim.Drops))
	}
}
