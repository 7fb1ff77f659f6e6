package measure

import (
	"fmt"
	"math"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/recipe"
	"zarf/core/ripple"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// rippleAccuracy holds ripples against linear theory between walls, and against the volume of the
// run that they are added to.
func rippleAccuracy(t *Table) {
	for _, waves := range []int{24, 40, 64} {
		off, err := rippled(waves, t.crew)
		if err != nil {
			t.Rows = append(t.Rows, Row{Section: t.section, Case: "ripples", Measured: err.Error()})
			return
		}
		t.most(fmt.Sprintf("ripples %.1f voxels long: frequency against ω² = (g k + σ/ρ k³) tanh k h", 128/float64(waves)), 100*off, 2, "%")
	}
	off, high, err := rippledSplash(t.crew)
	if err != nil {
		t.Rows = append(t.Rows, Row{Section: t.section, Case: "a splash", Measured: err.Error()})
		return
	}
	t.most(fmt.Sprintf("volume of a splash with ripples up to %.2f voxels against the run's, worst of 48 frames", high), 100*off, 0.1, "%")
}

// rippled is the error of the frequency of a standing wave so many halves of which fit a tank of
// 64 voxels, over seven periods.
func rippled(waves int, crew grid.Crew) (float64, error) {
	const h, nx, ny, nz, deep = 0.01, 64, 16, 8, 8
	f := &frame.Frame{}
	phi := make([]float32, 8*nx*ny*nz)
	for n := range phi {
		y := (float64(n/(2*nx)%(2*ny)) + 0.5) / 2
		phi[n] = float32(min(max((y-deep)*h, -1.5*h), 1.5*h))
	}
	g := frame.FromDense(frame.Surface, [3]int{}, [3]int{2 * nx, 2 * ny, 2 * nz}, [][]float32{phi}, 1.5*h, 1e-3*h, crew.For)
	g.Transform = frame.Uniform(h/2, [3]float64{h / 4, h / 4, h / 4})
	v := make([]float32, nx*ny*nz)
	u := frame.FromDense(frame.Velocity, [3]int{}, [3]int{nx, ny, nz}, [][]float32{v, v, v}, 0, 0, crew.For)
	u.Transform = frame.Uniform(h, [3]float64{h / 2, h / 2, h / 2})
	f.Grids = []*frame.Grid{g, u}
	s, err := ripple.New(ripple.Settings{Factor: 2, NX: 2 * nx, NY: 2 * ny, NZ: 2 * nz, H: h / 2, Voxel: h}, crew)
	if err != nil {
		return 0, err
	}
	w := ripple.Water{Gravity: 9.81, Tension: 7.2e-5, Depth: deep * h}
	if err := s.Advance(f, w, 0, 1); err != nil {
		return 0, err
	}
	k := math.Pi * float64(waves) / (nx * h)
	shape := func(x, _ float64) float64 { return math.Cos(k * x) }
	s.Raise(func(x, z float64) float64 { return 1e-3 * h * shape(x, z) })
	begin := s.Overlap(shape)
	const frames = 60
	dt := 0.7 / w.Omega(k)
	var re, im float64
	for n := range frames {
		if err := s.Advance(f, w, 0, dt); err != nil {
			return 0, err
		}
		sin, cos := math.Sincos(0.7 * float64(n+1))
		a := s.Overlap(shape) / begin
		re, im = re+a*cos, im+a*sin
	}
	// a frequency that is off by a share turns the phase by half of what it makes in the end
	return math.Abs(math.Atan2(-im, re)) / (0.7 * frames / 2), nil
}

// rippledSplash is the largest share by which ripples change the volume of the recipe "splash",
// and how high they get, in voxels.
func rippledSplash(crew grid.Crew) (off, high float64, err error) {
	r, err := recipe.Find("splash")
	if err != nil {
		return 0, 0, err
	}
	s := r.Shot("splash", r.Size)
	d := s.Of(shot.Domain)[0]
	val.Ripples.Set(d, "2")
	run, err := stage.New(s, "", crew)
	if err != nil {
		return 0, 0, err
	}
	fine, err := stage.RefinementOf(d).New(s, d, crew)
	if err != nil {
		return 0, 0, err
	}
	for range 48 {
		if _, _, err = run.Advance(nil); err != nil {
			return 0, 0, err
		}
		f := run.Frame()
		if err = fine.Advance(f); err != nil {
			return 0, 0, err
		}
		off = max(off, math.Abs(wet(fine.Frame())/wet(f)-1))
		high = max(high, fine.(*ripple.Stage).Solver.Highest()/val.Voxel.Of(d))
	}
	return off, high, nil
}

// wet is the volume that a frame's surface closes in, m³: of each column what is wet, in
// straight lines between places.
func wet(f *frame.Frame) (sum float64) {
	g := f.Grid(frame.Surface)
	low, n := f.Extent(grid.Dims{NX: 1 << 20, NY: 1 << 20, NZ: 1 << 20}, frame.Surface)
	v := make([]float32, n.Len())
	if g.Dense(low, [3]int{n.NX, n.NY, n.NZ}, [][]float32{v}) != nil {
		return 0
	}
	for m, b := range v {
		if m/n.NX%n.NY == 0 {
			if b <= 0 {
				sum += 0.5
			}
			continue
		}
		switch a := v[m-n.NX]; {
		case a <= 0 && b <= 0:
			sum++
		case a <= 0 || b <= 0:
			sum += float64(max(-a, -b) / max(a-b, b-a))
		}
	}
	h := g.Transform.VoxelSize()[0]
	return sum * h * h * h
}
