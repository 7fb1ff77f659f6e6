package measure

import (
	"fmt"
	"math"
	"time"

	"gonum.org/v1/gonum/dsp/fourier"

	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/demo"
)

// spectrum is how the variance of a field spreads over wavenumbers: bin b holds what lies
// from b to b+1 waves an edge of a box of n cells, by the distance from the middle of
// wavenumber space. The field is mirrored at its floor; at its other sides it falls to 0 on
// its own, as smoke does.
func spectrum(f *grid.Field, crew grid.Crew) (bins []float64, n int) {
	n = 1
	for n < max(f.NX, 2*f.NY, f.NZ) {
		n *= 2
	}
	v := make([]complex64, n*n*n)
	for k := range f.NZ {
		for j := range f.NY {
			for i, x := range f.Row(j, k) {
				v[(k*n+j)*n+i] = complex(x, 0)
				v[(k*n+n-1-j)*n+i] = complex(x, 0)
			}
		}
	}
	return shells(v, n, crew), n
}

// shells is how much of the variance of n³ values lies in each shell of wavenumbers, a wave
// an edge thick. It changes the values.
func shells(v []complex64, n int, crew grid.Crew) (bins []float64) {
	for axis := range 3 {
		step := [3]int{1, n, n * n}[axis]
		crew.For(n*n, n, func(lo, hi int) {
			fft, row := fourier.NewCmplxFFT(n), make([]complex128, n)
			for l := lo; l < hi; l++ {
				var o int
				switch axis {
				case 0:
					o = l * n
				case 1:
					o = l/n*n*n + l%n
				case 2:
					o = l
				}
				for i := range row {
					row[i] = complex128(v[o+i*step])
				}
				fft.Coefficients(row, row)
				for i := range row {
					v[o+i*step] = complex64(row[i])
				}
			}
		})
	}
	bins = make([]float64, n)
	wave := func(i int) float64 {
		if i > n/2 {
			i -= n
		}
		return float64(i)
	}
	for k := range n {
		for j := range n {
			for i := range n {
				c := v[(k*n+j)*n+i]
				b := int(math.Sqrt(wave(i)*wave(i) + wave(j)*wave(j) + wave(k)*wave(k)))
				bins[b] += float64(real(c)*real(c) + imag(c)*imag(c))
			}
		}
	}
	bins[0] = 0
	return bins
}

// fineShare is what part of a field's variance lies in waves shorter than so many cells.
func fineShare(f *grid.Field, cells float64, crew grid.Crew) float64 {
	bins, n := spectrum(f, crew)
	var all, fine float64
	for b, v := range bins {
		all += v
		if float64(b)+0.5 > float64(n)/cells {
			fine += v
		}
	}
	return fine / all
}

// detail compares BL030's blast as it is with the same carried by voxels of 0.26 m, as the shot
// once was: how much of its smoke's variance after a second and a half lies in waves shorter
// than 1.52 m, and what frames take until there. And what each way to have more of it gives to
// a plume.
func detail(t *Table) {
	byVoxels := demo.Magazine()
	d := byVoxels.Of(shot.Domain)[0]
	val.Voxel.Set(d, 0.26)
	val.Soot.Set(d, 9) // points thin out as gas expands, voxels don't
	d.Reset(val.SmokeBy, val.SubGrid, val.SmokePoints, val.SmokeFine)
	share, spent, err := blastDetail(byVoxels, t.crew)
	if err != nil {
		t.tried(err)
		return
	}
	t.most(fmt.Sprintf("BL030 by voxels of 0.26 m, frame %d: share of waves under %g m", blastLast, blastWave), share, 0, "")
	t.most("its run", spent, 0, "s")
	now, took, err := blastDetail(demo.Magazine(), t.crew)
	if err != nil {
		t.tried(err)
		return
	}
	t.least("BL030 as it is, by points: the same, against that", now/share, 2, "×")
	t.most("its run, against that", took/spent, 1, "×")
	decays(t)
	plumes(t)
}

// decays lets turbulence die down that half a second of stirring left in a closed box, and tells
// how steeply its energy falls with the wavenumber a second later: with k^(−5/3) between what
// was stirred and where it turns into heat (Kolmogorov 1941).
func decays(t *Table) {
	for _, c := range []struct {
		scheme gas.Scheme
		goal   float64
	}{{gas.MacCormack, 0.15}, {gas.SemiLagrangian, 0}, {gas.Reflection, 0}} {
		slope, took := decay(c.scheme, t.crew)
		t.most(fmt.Sprintf("turbulence in a box of 64³ by %s: energy goes with k^%.2f from 5 to 20 waves (%.1f s), against −5/3", c.scheme, slope, took), math.Abs(slope/(-5.0/3)-1), c.goal, "")
	}
}

// decay is the exponent of energy over wavenumbers by a scheme, and what the run took, s.
func decay(scheme gas.Scheme, crew grid.Crew) (slope, took float64) {
	const n = 64
	s, err := gas.New(gas.Box{Dims: cube(n), H: 1.0 / n}, crew)
	if err != nil {
		panic(err)
	}
	p := calm
	p.Gravity, p.Scheme = 0, scheme
	stir := func(now, _ float64) gas.Inputs {
		in := gas.Inputs{Physics: p}
		if now < 0.5 {
			in.Scene = sim.Scene{Turbulences: []sim.Turbulence{{Strength: 20, Size: 0.25, Octaves: 1, Phase: 4 * now}}}
		}
		return in
	}
	start := time.Now()
	for range 36 {
		if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 2, Min: 1, Max: 12}, stir, nil); err != nil {
			panic(err)
		}
	}
	took = time.Since(start).Seconds()
	energy := energies(s, crew)
	var k, e []float64
	for b := 5; b < 20; b++ {
		k, e = append(k, math.Log(float64(b)+0.5)), append(e, math.Log(energy[b]))
	}
	slope, _ = line(k, e)
	return slope, took
}

// energies are those of a cube's velocity by shells of wavenumbers, under Hann's window.
func energies(s *gas.Solver, crew grid.Crew) (bins []float64) {
	n := s.NX
	window := make([]float64, n)
	for i := range window {
		window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
	}
	var parts [3][]complex64
	for a := range parts {
		parts[a] = make([]complex64, n*n*n)
	}
	for k := range n {
		for j := range n {
			for i := range n {
				u, v, w := s.Centre(i, j, k)
				for a, x := range [3]float32{u, v, w} {
					parts[a][(k*n+j)*n+i] = complex(x*float32(window[i]*window[j]*window[k]), 0)
				}
			}
		}
	}
	bins = make([]float64, n)
	for _, p := range parts {
		for b, v := range shells(p, n, crew) {
			bins[b] += v
		}
	}
	return bins
}

const (
	blastLast = 36
	blastWave = 1.52 // m
)

// blastDetail runs the first domain of a blast, and tells the share of fine waves in the last
// frame's smoke and what all frames took, s.
func blastDetail(s *shot.Shot, crew grid.Crew) (share, took float64, err error) {
	g, err := gas.NewStage(s, "", crew)
	if err != nil {
		return 0, 0, err
	}
	start := time.Now()
	var f *frame.Frame
	for g.Next() <= blastLast {
		if _, _, err := g.Advance(nil); err != nil {
			return 0, 0, err
		}
		f = g.Frame()
	}
	took = time.Since(start).Seconds()
	n, h, _ := stage.Cells(g.Domain)
	low, n := f.Extent(n, frame.Density)
	smoke := grid.NewField(n)
	if err := f.Grid(frame.Density).Dense(low, [3]int{n.NX, n.NY, n.NZ}, [][]float32{smoke.Data}); err != nil {
		return 0, 0, err
	}
	return fineShare(smoke, blastWave/h, crew), took, nil
}

// plumes compare what a plume shows after a second and a half: the share of waves under four of
// 96 voxels, and the time, with what the scheme gives as it is.
func plumes(t *Table) {
	var plain, spent float64
	for _, c := range []struct {
		name     string
		n        int
		per, sub float64
		scheme   gas.Scheme
		goal     float64
	}{
		{"MacCormack", 96, 0, 0, gas.MacCormack, 0}, {"semi-Lagrangian", 96, 0, 0, gas.SemiLagrangian, 0}, {"advection–reflection, cubic", 96, 0, 0, gas.Reflection, 0},
		{"voxels 0.85 times as wide", 113, 0, 0, gas.MacCormack, 0}, {"sub-grid turbulence", 96, 0, 1, gas.MacCormack, 0}, {"smoke carried by 16 points a voxel", 96, 16, 0, gas.MacCormack, 0},
		{"both", 96, 16, 1, gas.MacCormack, 2},
	} {
		s, err := gas.New(gas.Box{Dims: cube(c.n), H: 1 / float64(c.n), Open: openTop, PerVoxel: c.per}, t.crew)
		if err != nil {
			panic(err)
		}
		in := plumeScene(0, 0)
		in.Emitters[0].Before = in.Emitters[0].Shape
		in.Physics.SubGrid, in.Physics.Scheme = c.sub, c.scheme
		start := time.Now()
		for range 36 {
			if _, err := s.Frame(1.0/24, sim.Substeps{CFL: 3, Min: 1, Max: 8}, func(float64, float64) gas.Inputs { return in }, nil); err != nil {
				panic(err)
			}
		}
		took := time.Since(start).Seconds()
		share := fineShare(&grid.Field{Dims: s.Dims, Data: s.Smoke.Data}, 4*float64(c.n)/96, t.crew)
		if plain == 0 {
			plain, spent = share, took
			t.most("a plume by MacCormack: share of waves under 4 of 96 voxels", share, 0, "")
			continue
		}
		name := fmt.Sprintf("%s: the same, against that (at %.2f × the time)", c.name, took/spent)
		if c.goal > 0 {
			t.least(name, share/plain, c.goal, "×")
		} else {
			t.most(name, share/plain, 0, "×")
		}
	}
}
