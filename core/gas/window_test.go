package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/sim"
)

// puffing lets smoke out low in a tall box for half a second.
func puffing(p Physics) Scene {
	return func(t, dt float64) Inputs {
		in := Inputs{Physics: p}
		if t < 0.5 {
			in.Emitters = []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(1.2, 0.3, 1.2), 0.2)}, Smoke: 1, Temperature: 150}}
		}
		return in
	}
}

func plumes(t *testing.T, follow *Follow, n int, scene Scene) (*Solver, FrameStats) {
	t.Helper()
	b := Box{Dims: grid.Dims{NX: 48, NY: 72, NZ: 48}, H: 2.4 / 48, Open: pressure.Sides{true, true, false, true, true, true}, Follow: follow}
	s := mustNew(t, b, 2)
	var st FrameStats
	for f := range n {
		var err error
		if st, err = s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil); err != nil {
			t.Fatalf("frame %d: %v", f, err)
		}
	}
	return s, st
}

// A plume on tiles is the dense one but for what the margin cuts off: total
// smoke within 1 %, its height within two voxels, and density within 6 % of
// the densest in the mean over the smoke.
func TestTilesAgreeWithDense(t *testing.T) {
	p := calm
	p.Gravity, p.Scheme = 9.81, MacCormack
	scene := puffing(p)
	dense, ds := plumes(t, nil, 30, scene)
	tiled, ts := plumes(t, &Follow{Threshold: 1e-4, Margin: 0.4}, 30, scene)
	if r := ts.SmokeTotal / ds.SmokeTotal; math.Abs(r-1) > 0.01 {
		t.Errorf("tiles hold %g of the smoke", r)
	}
	if d := math.Abs(ts.Top-ds.Top) / dense.H; d > 2 {
		t.Errorf("tops at %g and %g m", ts.Top, ds.Top)
	}
	diff, sum := 0.0, 0.0
	for k := range dense.NZ {
		for j := range dense.NY {
			for i := range dense.NX {
				a, b := float64(dense.Smoke.At(i, j, k)), 0.0
				x, y, z := i-tiled.Low[0], j-tiled.Low[1], k-tiled.Low[2]
				if x >= 0 && y >= 0 && z >= 0 && x < tiled.NX && y < tiled.NY && z < tiled.NZ {
					b = float64(tiled.Smoke.At(x, y, z))
				}
				diff += math.Abs(a - b)
				sum += a
			}
		}
	}
	t.Logf("tiles %d; smoke differs by %.2f %%; lost %g", ts.Tiles, 100*diff/sum, ts.Lost)
	if diff/sum > 0.06 {
		t.Errorf("smoke differs by %.1f %%", 100*diff/sum)
	}
	if ts.Voxels >= dense.Len()*3/4 {
		t.Errorf("%d of %d voxels are in use", ts.Voxels, dense.Len())
	}
	if d := tiled.Divergence(); d > 0.2 {
		t.Errorf("divergence of %g /s is left", d)
	}
}

// Smoke that drifts along through tiles that come and go is neither lost nor
// made, and tiles behind it are given up.
func TestTilesFollowADriftingPuff(t *testing.T) {
	b := Box{Dims: grid.Dims{NX: 256, NY: 32, NZ: 32}, H: 0.05, Open: pressure.Sides{true, true, true, true, true, true}, Follow: &Follow{Threshold: 1e-4, Margin: 0.3}}
	s := mustNew(t, b, 2)
	p := calm
	p.Gravity, p.Scheme = 0, MacCormack
	wind := []sim.Wind{{Velocity: geom.V(4, 0, 0), Grip: 50}}
	scene := func(t, dt float64) Inputs {
		in := Inputs{Physics: p, Scene: sim.Scene{Winds: wind}}
		if t < 0.1 {
			in.Emitters = []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(1.5, 0.8, 0.8), 0.3)}, Smoke: 1}}
		}
		return in
	}
	var total, middle float64
	for f := range 44 {
		st, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil)
		if err != nil {
			t.Fatal(err)
		}
		if f == 8 {
			total = st.SmokeTotal
		}
		if f > 8 && math.Abs(st.SmokeTotal/total-1) > 0.03 {
			t.Fatalf("frame %d: %g of smoke, %g before", f, st.SmokeTotal, total)
		}
		if f == 43 && (st.Tiles > 8*4*4 || st.Lost > 1e-3*total) {
			t.Errorf("%d tiles in use, lost %g", st.Tiles, st.Lost)
		}
	}
	sum := 0.0
	for k := range s.NZ {
		for j := range s.NY {
			for i := range s.NX {
				d := float64(s.Smoke.At(i, j, k))
				sum += d
				middle += d * (float64(i+s.Low[0]) + 0.5) * s.H
			}
		}
	}
	// 44 frames at 4 m/s, taken up within a few frames
	if at := middle / sum; at < 7.6 || at > 9.2 {
		t.Errorf("the puff is at %g m", at)
	}
}

func TestTilesStopAtTheLimitAndSayWhere(t *testing.T) {
	p := calm
	p.Gravity, p.Scheme = 9.81, MacCormack
	_, st := plumes(t, &Follow{Threshold: 1e-3, Margin: 0.2}, 60, func(t, dt float64) Inputs {
		return Inputs{Physics: p, Emitters: []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(1.2, 0.5, 1.2), 0.3), Speed: 1}, Smoke: 1, Temperature: 400}}}
	})
	if !st.AtLimit[3] || st.AtLimit[0] {
		t.Errorf("at the limit: %v", st.AtLimit)
	}
	if st.Cut[3] <= 0 {
		t.Errorf("cut at the top: %v", st.Cut)
	}
}

// Saved and laid out anew, a solver on tiles goes on bit for bit.
func TestTilingIsTakenUpAgain(t *testing.T) {
	p := calm
	p.Gravity, p.Scheme = 9.81, MacCormack
	scene := puffing(p)
	f := &Follow{Threshold: 1e-3, Margin: 0.2}
	a, _ := plumes(t, f, 12, scene)
	b := mustNew(t, a.Limit, 1)
	low, n, on := a.Tiling()
	if err := b.SetTiling(low, n, append([]bool(nil), on...)); err != nil {
		t.Fatal(err)
	}
	va, vb := a.velocity(), b.velocity()
	for c := range va {
		copy(vb[c].Data, va[c].Data)
	}
	for c, f := range a.channels() {
		copy(b.channels()[c].Data, f.Data)
	}
	copy(b.Pressure.Data, a.Pressure.Data)
	b.Time, b.LastDt = a.Time, a.LastDt
	for range 6 {
		for _, s := range []*Solver{a, b} {
			if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 8}, scene, nil); err != nil {
				t.Fatal(err)
			}
		}
	}
	if digest(a) != digest(b) {
		t.Error("the two went apart")
	}
	if err := b.SetTiling([3]int{-1, 0, 0}, n, on); err == nil {
		t.Error("tiles outside the limit were taken")
	}
}

// Memory goes with the tiles in use, not with the box.
func TestTilesTakeLittleMemory(t *testing.T) {
	b := Box{Dims: grid.Dims{NX: 512, NY: 512, NZ: 512}, H: 0.05, Open: pressure.Sides{true, true, false, true, true, true}, Follow: &Follow{Threshold: 1e-3, Margin: 0.2}}
	s := mustNew(t, b, 2)
	p := calm
	p.Gravity, p.Scheme = 9.81, MacCormack
	e := []Emitter{{Emitter: sim.Emitter{Shape: ball(geom.V(12.8, 1, 12.8), 0.6)}, Smoke: 1, Temperature: 100}}
	for range 3 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 2}, fixed(Inputs{Physics: p, Emitters: e}), nil); err != nil {
			t.Fatal(err)
		}
	}
	per := float64(s.Resident()) / float64(s.cells)
	t.Logf("%d cells in use, %.0f bytes a cell, box %v", s.cells, per, s.Dims)
	if per == 0 || per > 3*BytesPerCell {
		t.Errorf("%.0f bytes a cell in use", per)
	}
}
