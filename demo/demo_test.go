package demo

import (
	"context"
	"math"
	"runtime"
	"slices"
	"testing"

	"zarf/core/asset"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
)

func TestNamesAreAllShots(t *testing.T) {
	list, err := Shots(asset.NewMemory())
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, s := range list {
		names = append(names, s.Name)
	}
	slices.Sort(names)
	if !slices.Equal(names, Names) {
		t.Errorf("%v, the shots are %v", Names, names)
	}
}

func TestShotsAreSound(t *testing.T) {
	names := map[string]bool{}
	list, err := Shots(asset.NewMemory())
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range list {
		if names[s.Name] {
			t.Errorf("two shots are called %s", s.Name)
		}
		names[s.Name] = true
		again, unknown, err := shot.Decode(s.Encode())
		if err != nil || len(unknown) > 0 || string(again.Encode()) != string(s.Encode()) {
			t.Errorf("%s doesn't survive its own file: %v %v", s.Name, err, unknown)
		}
		if s.Title == "" || s.Note == "" {
			t.Errorf("%s doesn't say what it shows", s.Name)
		}
	}
}

// Without wind steam comes out of the horn’s mouth, and
// none through its back or its walls.
func TestFogSignalLeavesByTheMouth(t *testing.T) {
	s := FogSignal()
	for _, e := range s.Elements {
		if e.Kind == shot.Wind || e.Kind == shot.Turbulence {
			e.Muted = true
		}
		if e.Kind == shot.Domain {
			val.Voxel.Set(e, 0.06)
		}
	}
	g, err := gas.NewStage(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for range 18 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	sol := g.Solver
	out, behind := 0.0, 0.0
	for k := range sol.NZ {
		for j := range sol.NY {
			for i, v := range sol.Smoke.Row(j, k) {
				x := sol.Origin.X + (float64(i)+0.5)*sol.H
				y := sol.Origin.Y + (float64(j)+0.5)*sol.H - 1.2
				z := sol.Origin.Z + (float64(k)+0.5)*sol.H
				switch r := y*y + z*z; {
				case x > 0.5:
					out += float64(v)
				case x < 0.3 && r > 0.5*0.5:
					behind += float64(v)
				}
			}
		}
	}
	if out < 20 || behind > 0.01*out {
		t.Errorf("smoke before the mouth %g, beside and behind the horn %g", out, behind)
	}
}

// Once the signal is silent the air calms down: open sides beside the tower
// must not feed jets of their own.
func TestFogSignalCalmsDown(t *testing.T) {
	s := FogSignal()
	for _, d := range s.Of(shot.Domain) { // a box that cuts through the tower
		set(d, val.Voxel.Is(0.06), val.Bounds.Is("fixed"), val.Position.Is(1.45, 1.5, -0.2), val.Size.Is(5.2, 3.0, 2.6))
	}
	s.Of(shot.Guide)[0].Muted, s.Of(shot.Turbulence)[0].Muted = true, true // what stirs the air on purpose
	g, err := gas.NewStage(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for range 78 {
		frame, st, err := g.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		if limit := 5.5; st.MaxSpeed > limit || (frame > 75 && st.MaxSpeed > 4) {
			t.Fatalf("frame %d: %g m/s from an emitter of 3.2 m/s", frame, st.MaxSpeed)
		}
	}
}

// Each fire lights, and none runs away: the fastest gas is what flames of that
// size have.
func TestFiresBurn(t *testing.T) {
	for _, c := range []struct {
		shot   *shot.Shot
		frames int
		fast   float64
	}{{Brazier(), 16, 12}, {Magazine(), 14, 60}} {
		s := c.shot
		for _, d := range s.Of(shot.Domain) {
			val.Voxel.Set(d, val.Voxel.Of(d)*2)
		}
		g, err := gas.NewStage(s, "", grid.NewCrew(0))
		if err != nil {
			t.Fatal(err)
		}
		burnt, hot := 0.0, 0.0
		for range c.frames {
			_, st, err := g.Advance(nil)
			if err != nil {
				t.Fatal(err)
			}
			burnt, hot = burnt+st.Of(sim.FuelBurnt), max(hot, st.Of(sim.PeakHeat))
			if st.MaxSpeed > c.fast {
				t.Fatalf("%s: %g m/s", s.Name, st.MaxSpeed)
			}
		}
		if burnt <= 0 || hot < 800 || hot > 4200 {
			t.Errorf("%s: %g kg burnt, hottest %g K over the air", s.Name, burnt, hot)
		}
	}
}

// The fog falls: after two and a half seconds some of it is well under the cliff's edge.
func TestFogFalls(t *testing.T) {
	low := share(play(t, CliffFog(), 0.35, 64), func(p geom.Vec3) bool { return p.Y < 4 })
	if low < 0.02 {
		t.Errorf("%.2f %% of the fog lies under 4 m", 100*low)
	}
}

// play runs a shot at a coarser voxel up to a frame.
func play(t *testing.T, s *shot.Shot, voxel float64, to int) *gas.Stage {
	t.Helper()
	for _, d := range s.Of(shot.Domain) {
		val.Voxel.Set(d, voxel)
	}
	g, err := gas.NewStage(s, "", grid.NewCrew(0))
	if err != nil {
		t.Fatal(err)
	}
	for g.Next() <= to {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	return g
}

// share is the part of the smoke where a place satisfies in.
func share(g *gas.Stage, in func(p geom.Vec3) bool) float64 {
	s := g.Solver
	var some, all float64
	for n, v := range s.Smoke.Data {
		if v == 0 {
			continue
		}
		all += float64(v)
		if in(s.Origin.Add(geom.V(float64(n%s.NX)+0.5, float64(n/s.NX%s.NY)+0.5, float64(n/(s.NX*s.NY))+0.5).Mul(s.H))) {
			some += float64(v)
		}
	}
	runtime.KeepAlive(g)
	return some / max(all, 1e-9)
}

func TestSteamIsLedRoundTheTower(t *testing.T) {
	behind := func(p geom.Vec3) bool { return p.X < -0.6 && p.Z < 0.2 }
	led := share(play(t, FogSignal(), 0.15, 60), behind)
	s := FogSignal()
	s.Of(shot.Guide)[0].Muted = true
	if left := share(play(t, s, 0.15, 60), behind); led < 0.03 || led < 2.5*left {
		t.Errorf("%.0f %% of the steam is behind the tower, %.0f %% without the guide", 100*led, 100*left)
	}
}

func TestSmokeGathersIntoTheAnchor(t *testing.T) {
	files := asset.NewMemory()
	s, err := KeepersAnchor(files)
	if err != nil {
		t.Fatal(err)
	}
	s.Attach(asset.New(files))
	form := s.Of(shot.Pull)[0].Shape(s.Eval(1))
	in := func(p geom.Vec3) bool { return form.Distance(p) < 0.05 }
	g := play(t, s, 0.08, 86)
	if got := share(g, in); got < 0.6 {
		t.Errorf("%.0f %% of the smoke is in the anchor", 100*got)
	}
	for name, at := range map[string]geom.Vec3{"ring": geom.V(0.2, 2.98, 0), "stock": geom.V(0.4, 2.5, 0), "shank": geom.V(0, 1.6, 0), "fluke": geom.V(0.82, 1.6, 0)} {
		s := g.Solver
		q := at.Sub(s.Origin).Mul(1 / s.H)
		if form.Distance(at) > 0.06 {
			t.Fatalf("the %s isn't at %v", name, at)
		}
		if v := s.Smoke.At(int(q.X), int(q.Y), int(q.Z)); v < 0.1 {
			t.Errorf("there is no smoke in the %s: %g", name, v)
		}
	}
	runtime.KeepAlive(g)
}

func TestDrumRollsBurning(t *testing.T) {
	files := asset.NewMemory()
	s, err := RunawayDrum(files)
	if err != nil {
		t.Fatal(err)
	}
	s.Attach(asset.New(files))
	drum := s.Element("collider1")
	a, b := drum.Shape(s.Eval(1)), drum.Shape(s.Eval(60))
	// it rolls: the way is the turn times the radius
	way := a.Centre.Dist(b.Centre)
	if want := runway(59.0 / 24); math.Abs(way-want) > 1e-3 {
		t.Errorf("it rolled %g m, want %g", way, want)
	}
	spoke := b.Turn.Apply(a.Turn.Back(geom.V(1, 0, 0)))
	angle := math.Mod(way/drumRadius, 2*math.Pi)
	if want := geom.V(math.Cos(-angle), math.Sin(-angle), 0); spoke.Dist(want) > 2e-2 {
		t.Errorf("it turned a spoke to %v, want %v", spoke, want)
	}
	g := play(t, s, 0.15, 30)
	_, hot, _ := g.Solver.Heat.Range()
	mid := drum.Shape(s.Eval(30)).Centre
	if near := share(g, func(p geom.Vec3) bool { return p.Dist(mid) < 2.4 }); hot < 600 || near < 0.5 {
		t.Errorf("it is %g K warmer at most, and %.0f %% of the smoke is near the drum", hot, 100*near)
	}
	runtime.KeepAlive(g)
}

// The heat of the blast sets the coal store off, about half a second after it, with no key.
func TestHeatSetsTheCoalStoreOff(t *testing.T) {
	s := Magazine()
	d := s.Of(shot.Domain)[0]
	set(d, val.Voxel.Is(0.6)) // quicker, and what is coarse measures less
	c, err := cache.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if err := (&run.Sim{Shot: s, Domain: d.ID, From: 1, To: 24}).Do(context.Background(), c, func(run.Progress) {}); err != nil {
		t.Fatal(err)
	}
	src, err := run.Open(s, d.ID, c)
	if err != nil {
		t.Fatal(err)
	}
	past := func(n int) (sim.Stats, bool) {
		f, there := src.Stage.Get(n)
		return run.StatsOf(f), there
	}
	fired := 0
	for n, v := range stage.Readings(s, d, s.Of(shot.Sensor)[0], past, 25) {
		if v >= 0.5 && fired == 0 {
			fired = n + 1
		}
	}
	if fired < 9 || fired > 18 {
		t.Errorf("it fired at frame %d; the blast is at frame 2 and 24 frames are a second", fired)
	}
}

// The rims of the windlass take their smoke along as they turn, and it ends on the ground.
func TestBrakeSmokeIsDrawnAlongAndSinks(t *testing.T) {
	files := asset.NewMemory()
	s, err := WindlassBrake(files)
	if err != nil {
		t.Fatal(err)
	}
	s.Attach(asset.New(files))
	for frames, want := range map[int]func(turns, high float64) bool{
		34: func(turns, _ float64) bool { return turns < -0.25 }, // clockwise, as seen along z
		84: func(_, high float64) bool { return high < 0.85*axleHigh },
	} {
		g := play(t, s, 0.09, frames)
		var all, turns, high float64
		sol := g.Solver
		for n, d := range sol.Smoke.Data {
			if d == 0 {
				continue
			}
			i, j, k := n%sol.NX, n/sol.NX%sol.NY, n/(sol.NX*sol.NY)
			p := sol.Origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(sol.H))
			u, v, _ := sol.Centre(i, j, k)
			x, y := p.X, p.Y-axleHigh
			if r := math.Hypot(x, y); r > 0.3 && r < 0.6 {
				turns += float64(d) * (x*float64(v) - y*float64(u)) / r
			}
			all, high = all+float64(d), high+float64(d)*p.Y
		}
		runtime.KeepAlive(g)
		if !want(turns/all, high/all) {
			t.Errorf("after %d frames: it turns at %.2f m/s, its middle is %.2f m high", frames, turns/all, high/all)
		}
	}
}
