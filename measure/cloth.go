package measure

import (
	"fmt"
	"math"
	"os"
	"time"

	"zarf/core/cloth"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// canvas weighs 400 g/m².
var canvas = cloth.Fabric{Mass: 0.4, Warp: 2e4, Weft: 2e4, Shear: 5e3, BendWarp: 1e-3, BendWeft: 1e-3, Damping: 2e-3, Thickness: 1e-3, Friction: 0.4, Drag: 1.2}

// earth is nothing but its gravity.
var earth = cloth.World{Gravity: geom.V(0, -9.81, 0)}

// clothAccuracy holds cloth against Hooke, Peirce, the catenary, a pendulum and a thin shell, and
// counts how often it goes through itself.
func clothAccuracy(t *Table) {
	var least, most float64
	for _, n := range []int{10, 40, 160} {
		for _, sub := range []int{1, 4, 16} {
			got := hung(n, sub, t.crew)
			t.most(fmt.Sprintf("stretch under its own weight against Hooke, %d vertices an edge, %d steps a frame", n, sub), 100*math.Abs(got-1), 2, "%")
			if least == 0 || got < least {
				least = got
			}
			most = max(most, got)
		}
	}
	t.most("the same: largest difference between any two", 100*(most/least-1), 3, "%")
	for _, n := range []int{11, 21, 41} {
		t.most(fmt.Sprintf("bending rigidity by Peirce's overhang, %d vertices along it", n), 100*math.Abs(overhang(n, t.crew)-1), 5, "%")
	}
	t.most("sag of a hanging strip against the catenary", 100*math.Abs(catenary(61, t.crew)-1), 1, "%")
	t.least("energy of a swinging sheet that is left after 10 s", 100*swing(t.crew), 85, "%")
	t.most("growth of a balloon under pressure against p R²/2k", 100*math.Abs(balloon(t.crew)-1), 2, "%")
	t.most("edges through faces, 500 frames of a sheet wrung over a pole", float64(wrung(500, t.crew)), 0.5, "edges")
}

// clothOf is a system of one sheet; what is wrong with it is a fault of the measure.
func clothOf(s cloth.Sheet, crew grid.Crew) *cloth.System {
	out, err := cloth.New([]cloth.Sheet{s}, crew)
	if err != nil {
		panic(err)
	}
	return out
}

// hung is how far a square metre stretches at its lower edge, by ρ g L²/2k.
func hung(n, substeps int, crew grid.Crew) float64 {
	const k = 2000.0
	f := canvas
	f.Warp, f.Weft, f.Shear, f.Damping = k, k, k/4, 0.05
	s := clothOf(cloth.Sheet{ID: "hung", Mesh: cloth.Rectangle(1, 1, n, n), Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}, crew)
	for i := range n {
		s.Pin(i, s.X[i])
	}
	w := earth
	w.Calm = 10
	for range 24 * substeps {
		s.Step(1.0/24/float64(substeps), &w)
	}
	low := 0.0
	for i := range n {
		low -= s.X[len(s.X)-1-i].Y / float64(n)
	}
	return (low - 1) / (f.Mass * 9.81 / (2 * k))
}

// overhang is the rigidity that Peirce's (1930) formula reads from a strip over an edge, G = w c³
// with c = l (cos ½θ / 8 tan θ)^⅓, by its own.
func overhang(n int, crew grid.Crew) float64 {
	const l = 0.1
	f := canvas
	f.BendWarp, f.BendWeft, f.Damping, f.Drag = 1.6e-3, 1.6e-3, 0.02, 0
	wide := n / 5
	step := l / float64(n-1)
	m := cloth.Rectangle(l+step, step*float64(wide-1), n+1, wide)
	held := make([]bool, len(m.P))
	for i, p := range m.P {
		m.P[i] = geom.V(p.X-step, 0, p.Y)
		held[i] = p.X < 1.5*step
	}
	s := clothOf(cloth.Sheet{ID: "strip", Mesh: m, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true, Pinned: held}, crew)
	for i, h := range held {
		if h {
			s.Pin(i, s.X[i])
		}
	}
	w := earth
	w.Calm = 8
	for range 72 * 4 {
		s.Step(1.0/96, &w)
	}
	var tip geom.Vec3
	for j := range wide {
		tip = tip.Add(s.X[j*(n+1)+n].Mul(1 / float64(wide)))
	}
	th := math.Atan2(-tip.Y, tip.X)
	c := l * math.Cbrt(math.Cos(th/2)/(8*math.Tan(th)))
	return f.Mass * 9.81 * c * c * c / f.BendWarp
}

// catenary is the sag of a strip longer than the way between its ends, by that of a chain.
func catenary(n int, crew grid.Crew) float64 {
	const long, apart = 1.25, 1.0
	f := canvas
	f.BendWarp, f.BendWeft, f.Warp, f.Damping, f.Drag = 1e-6, 1e-6, 1e5, 0.02, 0
	flat := cloth.Rectangle(long, long/float64(n-1), n, 2)
	s := clothOf(cloth.Sheet{ID: "strip", Mesh: flat, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}, crew)
	half := 1.0 // begun as an arc of that length
	for range 100 {
		half = long / apart * math.Sin(half)
	}
	r := long / (2 * half)
	var x []geom.Vec3
	for _, p := range flat.P {
		a := (p.X/long*2 - 1) * half
		x = append(x, geom.V(apart/2+r*math.Sin(a), -r*(math.Cos(a)-math.Cos(half)), p.Y))
	}
	s.Place(x)
	for _, i := range []int{0, n - 1, n, 2*n - 1} {
		s.Pin(i, s.X[i])
	}
	w := earth
	w.Calm = 3
	for range 480 {
		s.Step(1.0/96, &w)
	}
	lo, hi := 0.05, 10.0 // long = 2a sinh(apart/2a)
	for range 100 {
		if a := (lo + hi) / 2; 2*a*math.Sinh(apart/(2*a)) > long {
			lo = a
		} else {
			hi = a
		}
	}
	return -s.X[n/2].Y / (lo * (math.Cosh(apart/(2*lo)) - 1))
}

// swing is the share of its energy that a sheet let go at half a radian has after ten seconds.
func swing(crew grid.Crew) float64 {
	const angle = 0.5
	f := canvas
	f.Drag, f.Damping = 0, 0
	m := cloth.Rectangle(0.3, 1, 4, 11)
	for i, p := range m.P {
		m.P[i] = geom.V(p.X, math.Cos(angle)*p.Y, -math.Sin(angle)*p.Y)
	}
	s := clothOf(cloth.Sheet{ID: "sheet", Mesh: m, Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}, crew)
	for i := range 4 {
		s.Pin(i, s.X[i])
	}
	var rest float64
	for i, x := range s.X {
		rest += s.Mass[i] * 9.81 * x.Y / math.Cos(angle)
	}
	energy := func() (e float64) {
		for i, v := range s.V {
			e += s.Mass[i] * (v.Dot(v)/2 + 9.81*s.X[i].Y)
		}
		return e - rest
	}
	begin := energy()
	w := earth
	for range 960 {
		s.Step(1.0/96, &w)
	}
	return energy() / begin
}

// balloon is how far a ball grows under pressure, by what a thin shell does.
func balloon(crew grid.Crew) float64 {
	const r, p, k = 0.2, 100.0, 2000.0
	f := canvas
	f.Warp, f.Weft, f.Shear, f.Pressure, f.Damping, f.BendWarp, f.BendWeft = k, k, k/2, p, 0.01, 0, 0
	s := clothOf(cloth.Sheet{ID: "ball", Mesh: geom.BallMesh(r, 48), Warp: geom.V(0, 1, 0), Fabric: f}, crew)
	size := func() (sum float64) {
		for _, x := range s.X {
			sum += x.Len() / float64(len(s.X))
		}
		return sum
	}
	before := size()
	w := cloth.World{Calm: 5}
	for range 192 {
		s.Step(1.0/96, &w)
	}
	return (size() - before) / (p * r * r / (2 * k))
}

// wrung counts edges that go through faces, at the end of each of so many frames in which a sheet is
// wrung over a pole by two corners.
func wrung(frames int, crew grid.Crew) (many int) {
	const n, steps = 17, 4
	f := canvas
	f.Warp, f.Weft, f.Shear, f.BendWarp, f.BendWeft, f.Thickness = 2000, 2000, 500, 1e-5, 1e-5, 2e-3
	s := clothOf(cloth.Sheet{ID: "sheet", Mesh: cloth.Rectangle(0.5, 0.5, n, n), Warp: geom.V(1, 0, 0), Fabric: f, Flat: true}, crew)
	mid := geom.V(0.25, -0.25, 0)
	w := earth
	pole := geom.Shape{Form: geom.Cylinder, Centre: geom.V(0.25, -0.45, 0), Size: geom.V(0.06, 1, 0.06), Turn: geom.RotationXYZ(geom.V(90, 0, 0))}
	w.Solids = sim.NewSolids([]sim.Collider{{Shape: pole, Before: pole}})
	for k := range frames {
		for sub := range steps {
			u := (float64(k) + float64(sub+1)/steps) / float64(frames)
			sin, cos := math.Sincos(2 * math.Pi * math.Sin(math.Pi*u))
			r := 0.25 * (0.75 + 0.25*math.Cos(6*math.Pi*u))
			s.Pin(0, mid.Add(geom.V(-r*cos, 0.25, -r*sin)))
			s.Pin(n-1, mid.Add(geom.V(r*cos, 0.25, r*sin)))
			s.Step(1.0/24/steps, &w)
		}
		many += s.Crossings()
	}
	return many
}

// clothSpeed is how fast a sheet of 100 by 100 vertices, hung by two corners, falls and swings.
func clothSpeed(t *Table) {
	const n, steps, frames = 100, 2, 24
	s := clothOf(cloth.Sheet{ID: "sheet", Mesh: cloth.Rectangle(1, 1, n, n), Warp: geom.V(1, 0, 0), Fabric: canvas, Flat: true}, t.crew)
	var x []geom.Vec3
	for _, p := range s.X {
		x = append(x, geom.V(p.X, 0, p.Y))
	}
	s.Place(x)
	s.Pin(0, s.X[0])
	s.Pin(n-1, s.X[n-1])
	w := earth
	w.Air = func(geom.Vec3) (geom.Vec3, float64) { return geom.Vec3{}, 1.2 }
	rounds := 0
	begin := time.Now()
	for range frames * steps {
		rounds += s.Step(1.0/24/steps, &w).Rounds
	}
	took := time.Since(begin).Seconds()
	t.least(fmt.Sprintf("cloth of 100 × 100 that falls and swings, %d steps a frame, %d rounds a step: frames", steps, rounds/(frames*steps)), frames/took, 60, "/s")
	if os.Getenv("NORAIN") == "" {
		rained(t)
	}
}

// pond is a shot of a sheet of wide metres, pinned all round, under a box of water: high metres of it
// that leave it downwards at a speed.
func pond(wide, edge, drop, high, fast float64) (*shot.Shot, *shot.Element) {
	s := shot.New("pond")
	set := func(k shot.Kind, pairs ...val.Pair) *shot.Element {
		e := s.Add(k)
		for _, p := range pairs {
			e.Set(p.Name, p.Value)
		}
		return e
	}
	d := set(shot.Domain, val.Fluid.Is(cloth.Key), val.Position.Is(0, 0, 0), val.Size.Is(wide, 2*wide, wide), val.Voxel.Is(wide/10), val.ClothSteps.Is(2), val.DropSize.Is(drop), val.MostDrops.Is(5e6), val.DropTension.Is(0))
	for _, side := range []val.TextKey{val.SideX0, val.SideX1, val.SideZ0, val.SideZ1} {
		side.Set(d, "wall")
	}
	set(shot.Cloth, val.Position.Is(0, 0, 0), val.Size.Is(wide, 0.01, wide), val.ClothEdge.Is(edge), val.Pins.Is("rim"), val.Soaks.Is(0))
	set(shot.Emitter, val.Form.Is("box"), val.Position.Is(0, high/2+drop, 0), val.Size.Is(0.98*wide, high, 0.98*wide), val.Along.Is("axis"), val.Speed.Is(-fast), val.End.Is(1))
	return s, d
}

// rained times cloth of 10,000 vertices under 50,000 drops.
func rained(t *Table) {
	s, d := pond(1, 0.0101, 0.0135, 0.125, 0)
	m, err := stage.New(s, d.ID, t.crew)
	if err != nil {
		panic(err)
	}
	drops, frames := 0.0, 0
	begin := time.Now()
	for ; frames < 4 || time.Since(begin) < 8*time.Second && frames < 24; frames++ {
		_, st, err := m.Advance(nil)
		if err != nil {
			panic(err)
		}
		drops = st.Of(sim.Drops)
	}
	t.least(fmt.Sprintf("cloth of 10,000 vertices with %.0f drops, coupled, 2 steps a frame: frames", drops), float64(frames)/time.Since(begin).Seconds(), 12, "/s")
}

// rainAccuracy is how much denser than at rest water on a sheet is, %, and how many of the drops that
// strike another at 20 m/s get through it.
func rainAccuracy(t *Table) {
	s, d := pond(0.5, 0.03, 0.02, 0.1, 0)
	m, err := stage.New(s, d.ID, t.crew)
	if err != nil {
		panic(err)
	}
	var st sim.Stats
	for range 40 {
		if _, st, err = m.Advance(nil); err != nil {
			panic(err)
		}
	}
	t.most("water at rest on a sheet: drops denser than at rest, the mean", st.Of(cloth.Dense), 1, "%")
	s, d = pond(1.2, 0.03, 0.006, 0.032, 20)
	val.MostDrops.Set(d, 200_000)
	for _, e := range s.Of(shot.Cloth) { // so strong that 30 kg/m² stretch it by a sixth, and no bag over the edge of the domain
		val.Warp.Set(e, 5e5)
		val.Weft.Set(e, 5e5)
	}
	if m, err = stage.New(s, d.ID, t.crew); err != nil {
		panic(err)
	}
	if _, st, err = m.Advance(nil); err != nil {
		panic(err)
	}
	p := m.Frame().Points
	rain := p.Alive()
	t.most(fmt.Sprintf("of %d drops that struck a sheet at 20 m/s, through it", len(rain.P)), float64(under(p.Cloth(nil).Mesh(0), rain.P)), 0.5, "drops")
}

// under counts the places over which a sheet lies: those above which an odd number of its faces are.
func under(m *geom.Mesh, at [][3]float32) (many int) {
	const cell = 0.03
	bins := map[[2]int][]int{}
	bin := func(x, z float64) [2]int { return [2]int{int(math.Floor(x / cell)), int(math.Floor(z / cell))} }
	for k, f := range m.Tri {
		a, b, c := m.P[f[0]], m.P[f[1]], m.P[f[2]]
		lo, hi := a.Min(b).Min(c), a.Max(b).Max(c)
		from, to := bin(lo.X, lo.Z), bin(hi.X, hi.Z)
		for x := from[0]; x <= to[0]; x++ {
			for z := from[1]; z <= to[1]; z++ {
				bins[[2]int{x, z}] = append(bins[[2]int{x, z}], k)
			}
		}
	}
	for _, q := range at {
		x, y, z := float64(q[0]), float64(q[1]), float64(q[2])
		odd := false
		for _, k := range bins[bin(x, z)] {
			a, b, c := m.P[m.Tri[k][0]], m.P[m.Tri[k][1]], m.P[m.Tri[k][2]]
			turn := func(p, q geom.Vec3) float64 { return (q.X-p.X)*(z-p.Z) - (q.Z-p.Z)*(x-p.X) }
			u, v, w := turn(b, c), turn(c, a), turn(a, b)
			if all := u + v + w; (u >= 0) == (v >= 0) && (v >= 0) == (w >= 0) && all != 0 && (u*a.Y+v*b.Y+w*c.Y)/all > y {
				odd = !odd
			}
		}
		if odd {
			many++
		}
	}
	return many
}
