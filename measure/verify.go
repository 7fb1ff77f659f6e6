package measure

import (
	"fmt"
	"math"

	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pressure"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Verify measures accuracy; section "" runs all.
func Verify(only string, threads int) (*Table, error) {
	return run([]section{{"accuracy: gas", gasAccuracy}, {"accuracy: rise", rises}, {"accuracy: likeness", likeness}, {"accuracy: fire", fireAccuracy}, {"detail", detail}, {"accuracy: liquid", liquidAccuracy}, {"accuracy: sea", seaAccuracy}, {"accuracy: ripples", rippleAccuracy}, {"accuracy: thin walls", thinAccuracy}, {"accuracy: cloth", clothAccuracy}, {"accuracy: drops", rainAccuracy}, {"accuracy: particles", moteAccuracy}, {"accuracy: render", renderAccuracy}}, only, threads)
}

func gasAccuracy(t *Table) {
	burning(t)
	for _, tol := range []float64{1e-3, 1e-6} {
		d := cube(64)
		s, _ := pressure.New(d, t.crew)
		x, y, z := faces(d, ballSolid)
		s.Setup(openTop, nil, x, y, z)
		lift(s, d, t.crew)
		st := s.Solve(tol, 100)
		// under 2e-5 the solver keeps the solution in float64 and works the
		// residual out in float64 itself; the pressure that it hands out is rounded
		r := st.Residual
		if tol > 2e-5 {
			r = s.TrueResidual()
		}
		t.most(fmt.Sprintf("residual in float64, 2-norm, of the projection asked for %g", tol), r, tol, "")
	}
	calm := calm
	calm.Tolerance = 1e-6
	s, _ := gas.New(gas.Box{Dims: cube(32), H: 1.0 / 32}, t.crew)
	for k := range 32 {
		for j := 16; j < 24; j++ {
			for i := range 32 {
				s.Heat.Set(i, j, k, 60)
			}
		}
	}
	for range 24 {
		step(s, func(float64, float64) gas.Inputs { return gas.Inputs{Physics: calm} })
	}
	worst := 0.0
	for _, f := range []*grid.Field{s.U, s.V, s.W} {
		lo, hi, _ := f.Range()
		worst = max(worst, float64(hi), -float64(lo))
	}
	t.most("heated layer held flat: speed after 24 frames", worst, 1e-5, "m/s")
	for _, c := range []struct {
		scheme gas.Scheme
		least  float64
	}{{gas.SemiLagrangian, 0}, {gas.MacCormack, 0.9}, {gas.Reflection, 0.98}} {
		t.least("Taylor–Green vortex 64², one turn, energy kept, "+string(c.scheme), taylorGreen(64, c.scheme, t.crew), c.least, "")
	}
	sl, mc, cubic, best := disk(gas.SemiLagrangian, 0, t.crew), disk(gas.MacCormack, 0, t.crew), disk(gas.Reflection, 0, t.crew), disk(gas.MacCormack, 16, t.crew)
	// by the scheme as it was published no less is left: 0.5 can't be had with its limiter
	published := publishedDisk(diskSteps)
	t.most(fmt.Sprintf("slotted disk, one turn: MacCormack's error against semi-Lagrangian's (the published scheme, plainly: %.3f)", published), mc/sl, max(0.5, 1.02*published), "×")
	t.most("slotted disk, one turn: reflection with cubic splines against semi-Lagrangian", cubic/sl, 0, "×")
	t.most("slotted disk, one turn: carried by 16 points a voxel against semi-Lagrangian", best/sl, 0.3, "×")
}

// taylorGreen is the share of kinetic energy left after the middle of a
// vortex has turned once: u = sin x cos y, v = −cos x sin y in a box of walls.
func taylorGreen(n int, scheme gas.Scheme, crew grid.Crew) float64 {
	h := math.Pi / float64(n)
	s, _ := gas.New(gas.Box{Dims: grid.Dims{NX: n, NY: n, NZ: 1}, H: h}, crew)
	for j := range n {
		for i := range n + 1 {
			s.U.Set(i, j, 0, float32(math.Sin(float64(i)*h)*math.Cos((float64(j)+0.5)*h)))
		}
	}
	for j := range n + 1 {
		for i := range n {
			s.V.Set(i, j, 0, float32(-math.Cos((float64(i)+0.5)*h)*math.Sin(float64(j)*h)))
		}
	}
	energy := func() float64 {
		e := 0.0
		for j := range n {
			for i := range n {
				u, v, _ := s.Centre(i, j, 0)
				e += float64(u*u + v*v)
			}
		}
		return e
	}
	before := energy()
	p := gas.Physics{AirTemperature: 293, AirDensity: 1.2, Scheme: scheme, Tolerance: 1e-5, MaxIterations: 100}
	scene := func(float64, float64) gas.Inputs { return gas.Inputs{Physics: p} }
	// near the middle the fluid turns once in 2π seconds
	const frames = 151 // 2π seconds
	for range frames {
		step(s, scene)
	}
	return energy() / before
}

// disk is the error of a slotted disk after one turn: mean |difference|.
func disk(scheme gas.Scheme, points float64, crew grid.Crew) float64 {
	const n = diskCells
	s, _ := gas.New(gas.Box{Dims: grid.Dims{NX: n, NY: n, NZ: 1}, H: 1, Open: pressure.Sides{true, true, true, true}, PerVoxel: points}, crew)
	w := 2 * math.Pi / 628
	turn := func() {
		for j := range n {
			for i := range n + 1 {
				s.U.Set(i, j, 0, float32(-w*(float64(j)+0.5-50)))
			}
		}
		for j := range n + 1 {
			for i := range n {
				s.V.Set(i, j, 0, float32(w*(float64(i)+0.5-50)))
			}
		}
	}
	want := slottedDisk()
	for c, v := range want {
		s.Smoke.Data[c] = float32(v)
	}
	for range diskSteps {
		turn()
		if err := s.Advect(628.0/diskSteps, scheme); err != nil {
			panic(err)
		}
	}
	var got square
	for c, v := range s.Smoke.Data {
		got[c] = float64(v)
	}
	return got.off(want)
}

func renderAccuracy(t *Table) {
	// a slab of density 1, seen along z
	n := 32
	f := grid.NewField(cube(n))
	for i := range f.Data {
		f.Data[i] = 1
	}
	for _, method := range []string{"march", "path"} {
		v, _ := render.NewVolume(f, 1.0/float64(n), geom.V(-0.5, -0.5, -0.5), t.crew)
		l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is(method), val.Colour.Is(0, 0, 0), val.Extinction.Is(2), val.SunStrength.Is(0), val.SkyStrength.Is(0)), 1)
		l.Ground, l.Background, l.Step = false, "grey", 0.5
		sc := &render.Scene{Volumes: []*render.Volume{v}, Look: l, Camera: render.NewCamera(geom.V(0, 0, 100), geom.Vec3{}, 20000)}
		p, err := render.New(sc, 8, 8, t.crew)
		if err != nil {
			panic(err)
		}
		samples := 64
		if method == "path" {
			samples = 8000
		}
		for range samples {
			p.Pass(nil)
		}
		sum := 0.0
		for y := range 8 {
			for x := range 8 {
				c, _ := p.At(x, y)
				sum += c[1] / 0.18 / 64
			}
		}
		// half a voxel of fading border on either side belongs to the slab
		want := math.Exp(-2 * (1 + 1/float64(n)))
		limit := 0.001
		if method == "path" {
			limit = 0.01
		}
		t.most("Beer–Lambert slab, "+method+": relative error", math.Abs(sum/want-1), limit, "")
	}
	for _, g := range []float64{-0.8, 0, 0.3, 0.9} {
		s, m := 0.0, 200000
		for i := range m {
			c := -1 + 2*(float64(i)+0.5)/float64(m)
			s += look.HenyeyGreenstein(g, c) * 2 * math.Pi * 2 / float64(m)
		}
		t.most(fmt.Sprintf("Henyey–Greenstein g = %g: |integral − 1|", g), math.Abs(s-1), 1e-4, "")
	}
	t.most("white furnace, paths: relative error", furnace(t.crew), 0.01, "")
}

// furnace puts smoke that absorbs nothing under the same light from all round:
// it must not be seen.
func furnace(crew grid.Crew) float64 {
	n := 24
	f := puff(n)
	v, _ := render.NewVolume(f, 1/float64(n), geom.V(-0.5, -0.5, -0.5), crew)
	l := look.At(shot.NewElement(shot.Look, "", "", val.Method.Is("path"), val.Colour.Is(1, 1, 1), val.Extinction.Is(8), val.Bounces.Is(64), val.SunStrength.Is(0)), 1)
	l.Ground, l.Background = false, "sky"
	l.Even = true
	sc := &render.Scene{Volumes: []*render.Volume{v}, Look: l, Camera: render.NewCamera(geom.V(0, 0, 2), geom.Vec3{}, 80)}
	p, err := render.New(sc, 24, 24, crew)
	if err != nil {
		panic(err)
	}
	for range 400 {
		p.Pass(nil)
	}
	got, want := 0.0, 0.0
	for y := range 24 {
		for x := range 24 {
			c, _ := p.At(x, y)
			got += c[1]
			want += l.Sky[1]
		}
	}
	return math.Abs(got/want - 1)
}
