package ripple

import (
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/surface"
)

// tank is a frame of a tank of nx by nz voxels with a surface at a height and a velocity at
// places, in voxels; its surface has two cells a voxel.
func tank(nx, nz int, h float64, y func(x, z float64) float64, v func(x, y, z float64) [3]float64) *frame.Frame {
	const ny = 16
	f := &frame.Frame{}
	add := func(g *frame.Grid, h float64) {
		g.Transform = frame.Uniform(h, [3]float64{h / 2, h / 2, h / 2})
		f.Grids = append(f.Grids, g)
	}
	n := [3]int{2 * nx, 2 * ny, 2 * nz}
	phi := make([]float32, n[0]*n[1]*n[2])
	c := h / 2
	for k := range n[2] {
		for j := range n[1] {
			for i := range n[0] {
				d := (float64(j)+0.5)*c - y((float64(i)+0.5)*c, (float64(k)+0.5)*c)
				phi[(k*n[1]+j)*n[0]+i] = float32(min(max(d, -3*c), 3*c))
			}
		}
	}
	add(frame.FromDense(frame.Surface, [3]int{}, n, [][]float32{phi}, float32(3*c), float32(3e-3*c), nil), c)
	d := grid.Dims{NX: nx, NY: ny, NZ: nz}
	parts := [][]float32{make([]float32, d.Len()), make([]float32, d.Len()), make([]float32, d.Len())}
	for k := range nz {
		for j := range ny {
			for i := range nx {
				u := v((float64(i)+0.5)*h, (float64(j)+0.5)*h, (float64(k)+0.5)*h)
				for a := range 3 {
					parts[a][d.Index(i, j, k)] = float32(u[a])
				}
			}
		}
	}
	// a grid of vectors that are all zero has no leaves
	add(frame.FromDense(frame.Velocity, [3]int{}, [3]int{nx, ny, nz}, parts, 0, 0, nil), h)
	return f
}

func still(float64, float64, float64) [3]float64 { return [3]float64{} }

func flat(y float64) func(x, z float64) float64 { return func(float64, float64) float64 { return y } }

var water = Water{Gravity: 9.81, Tension: 7.2e-5, Viscosity: 1e-6}

func newSolver(t *testing.T, nx, nz, factor, threads int, h float64) *Solver {
	t.Helper()
	s, err := New(Settings{Factor: factor, NX: 2 * nx, NY: 32, NZ: 2 * nz, H: h / 2, Voxel: h, Seed: 1}, grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Standing waves between walls swing as ω² = (g k + σ/ρ k³) tanh kd has it, and last, whatever
// the voxels and the frames.
func TestDispersion(t *testing.T) {
	for _, c := range []struct {
		h     float64 // voxel, m
		waves int     // half waves along the tank
		deep  float64 // voxels
	}{{0.02, 20, 8}, {0.02, 60, 8}, {0.005, 30, 8}, {0.2, 24, 8}, {0.02, 17, 1.6}} {
		s := newSolver(t, 64, 8, 3, 2, c.h)
		f := tank(64, 8, c.h, flat(c.deep*c.h), still)
		k := math.Pi * float64(c.waves) / (64 * c.h)
		w := water
		w.Viscosity = 0
		if err := s.Advance(f, w, 0, 1); err != nil {
			t.Fatal(err)
		}
		shape := func(x, _ float64) float64 { return math.Cos(k * x) }
		s.Raise(func(x, z float64) float64 { return 1e-4 * c.h * shape(x, z) })
		read := func() float64 { return s.Overlap(shape) }
		begin := read()
		w.Depth = c.deep * c.h
		om := w.Omega(k)
		dt := 0.7 / om // a frame, so that a step of it would be seen to be wrong
		var re, im float64
		const frames = 60
		var last float64
		for n := range frames {
			if err := s.Advance(f, w, 0, dt); err != nil {
				t.Fatal(err)
			}
			last = read() / begin
			re, im = re+last*math.Cos(om*dt*float64(n+1)), im+last*math.Sin(om*dt*float64(n+1))
		}
		// a frequency that is off by a share q turns the phase by q ω t; on the mean by half of it
		off := math.Abs(math.Atan2(-im, re)) / (om * dt * frames / 2)
		size := 2 * math.Hypot(re, im) / frames
		t.Logf("voxel %g m, wave of %.1f voxels, kd %.2f: frequency off by %.3f %%, %.3f of the height left", c.h, 128/float64(c.waves), k*w.Depth, 100*off, size)
		// longer waves are the run's own, and are given back to it
		if short := c.waves >= 24; off > 0.005 || size > 1.02 || short && size < 0.75 || !short && size > 0.5 {
			t.Errorf("voxel %g m, %d half waves: frequency off by %.2f %%, %.3f of the height left", c.h, c.waves, 100*off, size)
		}
	}
}

// Still liquid stays as it is to the bit, and ripples on it keep its volume.
func TestVolume(t *testing.T) {
	const h = 0.02
	mesh := func(f *fine) *geom.Mesh {
		return surface.Nets(surface.Closed(f.v, f.n, f.h, geom.V(float64(f.low[0]), float64(f.low[1]), float64(f.low[2])).Mul(f.h), float32(f.band), 1), 0, grid.NewCrew(2).For)
	}
	s := newSolver(t, 24, 24, 2, 2, h)
	pool := tank(24, 24, h, flat(8.3*h), still)
	for range 3 {
		if err := s.Advance(pool, water, 1, 1.0/24); err != nil {
			t.Fatal(err)
		}
	}
	before := mesh(s.surface())
	for _, v := range s.pool.height {
		if v != 0 {
			t.Fatalf("still liquid has ripples of %g m", v)
		}
	}
	splash := tank(24, 24, h, func(x, z float64) float64 {
		return h * (8.3 + 0.6*math.Exp(-((x-0.24)*(x-0.24)+(z-0.2)*(z-0.2))/(4*h*h)))
	}, func(x, _, z float64) [3]float64 {
		q := ((x-0.24)*(x-0.24) + (z-0.2)*(z-0.2)) / (2 * h * h)
		return [3]float64{0, -1.5 * (1 - q) * math.Exp(-q), 0}
	})
	if err := s.Advance(splash, water, 1, 1.0/24); err != nil {
		t.Fatal(err)
	}
	for n := range 6 {
		if err := s.Advance(pool, water, 1, 1.0/24); err != nil {
			t.Fatal(err)
		}
		var most float64
		for _, v := range s.pool.height {
			most = max(most, math.Abs(float64(v)))
		}
		after := mesh(s.surface())
		off := after.Volume()/before.Volume() - 1
		high := (after.Bounds().Max.Y - before.Bounds().Max.Y) / h
		t.Logf("frame %d: ripples of %.2f voxels, up to %.2f seen, volume off by %.4f %%", n, most/h, high, 100*off)
		if most < 0.01*h || high < 0.01 || math.Abs(off) > 1e-3 {
			t.Errorf("frame %d: ripples of %g voxels, volume off by %.3f %%", n, most/h, 100*off)
		}
	}
}
