package cloth

import (
	"math"
	"testing"

	"zarf/core/drop"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// pool is a sheet pinned all round, of edge vertices, with water on it.
type pool struct {
	sys   *System
	carry carry
	drops *drop.Set
	wet   Wetting
}

func newPool(wide float64, n int, soaks float64) *pool {
	m := Rectangle(wide, wide, n, n)
	for i, p := range m.P {
		m.P[i] = geom.V(p.X-wide/2, 0, -p.Y-wide/2)
	}
	f := Fabric{Mass: 0.4, Warp: 2e4, Weft: 2e4, Shear: 2e3, BendWarp: 2e-4, BendWeft: 2e-4, Damping: 0.005, Thickness: 0.002, Friction: 0.4}
	sys, err := New([]Sheet{{ID: "sheet", Mesh: m, Warp: geom.V(0, 0, 1), Fabric: f, Flat: true}}, grid.NewCrew(2))
	if err != nil {
		panic(err)
	}
	for i := range m.P {
		if x, z := i%n, i/n; x == 0 || z == 0 || x == n-1 || z == n-1 {
			sys.Pin(i, m.P[i])
		}
	}
	p := &pool{sys: sys, drops: drop.New(0.02, 1000), wet: Wetting{Soaks: []float64{soaks}}}
	p.carry.s = sys
	return p
}

// step moves all on.
func (p *pool) step(dt float64, gravity geom.Vec3, solids []sim.Solid) drop.Did {
	p.carry.strike(p.drops, dt)
	p.carry.load(p.drops, dt, gravity.Len())
	p.sys.Step(dt, &World{Gravity: gravity})
	p.carry.settle()
	return p.carry.pour(p.drops, dt, &drop.World{Gravity: gravity}, solids, &p.wet)
}

// walls are four upright ones round a sheet.
func walls(wide float64) []sim.Solid {
	var list []sim.Collider
	for _, at := range []geom.Vec3{{X: 1}, {X: -1}, {Z: 1}, {Z: -1}} {
		sh := geom.Shape{Form: geom.Block, Centre: at.Mul(wide/2 + 0.5), Size: geom.V(1, 2, 1), Turn: geom.RotationXYZ(geom.Vec3{})}
		if at.X != 0 {
			sh.Size.Z = 4
		} else {
			sh.Size.X = 4
		}
		list = append(list, sim.Collider{Shape: sh, Before: sh})
	}
	return sim.NewSolids(list)
}

// Water on a sheet: the sheet bears its weight, sags by it and comes to rest; nothing goes through.
func TestSheetBearsWater(t *testing.T) {
	const wide, dt = 0.4, 1.0 / 96
	p := newPool(wide, 21, 0)
	for x := -0.19; x < 0.19; x += 0.02 {
		for z := -0.19; z < 0.19; z += 0.02 {
			for y := 0.02; y < 0.12; y += 0.02 {
				p.drops.Add(geom.V(x, y, z), geom.Vec3{})
			}
		}
	}
	side := walls(wide)
	var up, low float64
	const settle, measured = 90, 50
	for n := range settle + measured {
		p.step(dt, geom.V(0, -9.81, 0), side)
		if n >= settle {
			for _, j := range p.carry.given {
				up -= j.Y / dt / measured
			}
		}
	}
	weight := float64(len(p.drops.P)) * p.drops.Mass() * 9.81
	if e := up/weight - 1; math.Abs(e) > 0.03 {
		t.Errorf("the sheet bears %.3f of the weight", up/weight)
	}
	fast := 0.0
	for i := range p.sys.X {
		low, fast = min(low, p.sys.X[i].Y), max(fast, p.sys.V[i].Len())
	}
	below := 0
	for _, q := range p.drops.P {
		if q.Y < low-0.005 {
			below++
		}
	}
	if below > 0 || low > -0.005 || fast > 0.25 {
		t.Errorf("%d drops are below the sheet, which hangs to %g m and moves at %g m/s", below, low, fast)
	}
	t.Logf("bears %.4f of the weight, hangs to %.3f m, moves at %.3f m/s", up/weight, low, fast)
}

// A lump that falls on a sheet which nothing holds gives it its momentum, and no more.
func TestMomentumOfBoth(t *testing.T) {
	p := newPool(0.4, 21, 0)
	for i := range p.sys.X {
		p.sys.Unpin(i)
	}
	for x := -0.05; x < 0.05; x += 0.02 {
		for z := -0.05; z < 0.05; z += 0.02 {
			p.drops.Add(geom.V(x, 0.06, z), geom.V(0.2, -3, 0))
		}
	}
	all := func() (m geom.Vec3) {
		for i, v := range p.sys.V {
			m = m.Add(v.Mul(p.sys.Mass[i]))
		}
		for i := range p.carry.given { // under way from one to the other
			m = m.Add(p.carry.given[i]).Add(p.carry.owed[i])
		}
		for _, v := range p.drops.V {
			m = m.Add(v.Mul(p.drops.Mass()))
		}
		return m
	}
	was := all()
	for range 30 {
		p.step(1.0/200, geom.Vec3{}, nil)
	}
	if now := all(); now.Sub(was).Len() > 0.01*was.Len() {
		t.Errorf("momentum went from %v to %v", was, now)
	}
	moved := 0.0
	for i, v := range p.sys.V {
		moved += v.Y * p.sys.Mass[i]
	}
	if moved > -0.02 {
		t.Errorf("the sheet has taken %g N s up", moved)
	}
}

// Cloth gets as wet as it can hold, and drops lose what it gains.
func TestSoaks(t *testing.T) {
	const soaks = 0.3
	p := newPool(0.4, 21, soaks)
	for x := -0.18; x < 0.19; x += 0.02 {
		for z := -0.18; z < 0.19; z += 0.02 {
			p.drops.Add(geom.V(x, 0.02, z), geom.Vec3{})
		}
	}
	before := float64(len(p.drops.P)) * p.drops.Mass()
	side := walls(0.4)
	for range 150 {
		p.step(1.0/96, geom.V(0, -9.81, 0), side)
	}
	held := 0.0
	for i, w := range p.sys.Wet {
		if w > soaks+1e-9 {
			t.Fatalf("vertex %d holds %g kg/m²", i, w)
		}
		held += w * p.sys.area[i]
	}
	left := float64(len(p.drops.P)) * p.drops.Mass()
	if lost := before - left; math.Abs(lost-held) > p.drops.Mass() || held < 0.5*soaks*0.16 {
		t.Errorf("drops lost %g kg, cloth holds %g", lost, held)
	}
}
