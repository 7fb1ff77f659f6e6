package measure

import (
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"time"

	"zarf/core/format/exr"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/handover"
	work "zarf/studio/run"
)

// handoverSpeed measures sequences on one and on two threads, and an atlas.
func handoverSpeed(t *Table) {
	dir, err := os.MkdirTemp("", "zarf-bench")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	s := shot.New("bench")
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.96, 0.96, 0.96)
	val.Voxel.Set(d, 0.01)
	val.Position.Set(d, 0, 0.48, 0)
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		panic(err)
	}
	const frames = 12
	smoke(c.Stage(stage.Key(s, d)), 96, frames)
	n := 0
	do := func(j handover.Job) float64 {
		n++
		j.Take, j.Now, j.Name, j.Dir = s, s, "bench", filepath.Join(dir, fmt.Sprint("out", n))
		begin := time.Now()
		if err := j.Do(context.Background(), c, func(work.Progress) {}); err != nil {
			panic(err)
		}
		return time.Since(begin).Seconds()
	}
	ratio := func(j handover.Job) float64 {
		top := 0.0
		for range 3 {
			one, two := j, j
			one.Threads, two.Threads = 1, 2
			top = max(top, do(one)/do(two))
		}
		return top
	}
	t.least("12 frames of 96³, three channels, to VDB, z up, zip: 2 threads over 1", ratio(handover.Job{From: 1, To: frames, Settings: handover.Set(val.Axes.Is("z-up"), val.Compression.Is("zip"))}), 1.8, "×")
	rec := tiles(filepath.Join(dir, "rec"), 512, 64)
	t.least("32 tiles of 512² to an OpenEXR sequence: 2 threads over 1", ratio(handover.Job{From: 1, To: 32, Renders: rec, Settings: handover.Set(val.What.Is("flipbook"), val.Columns.Is(8), val.Rows.Is(4), val.TileWide.Is(512), val.TileTall.Is(512), val.Pick.Is("range"), val.Vectors.Is("none"), val.SheetFile.Is("exr"), val.SheetOut.Is("sequence"))}), 1.8, "×")
	atlas := handover.Job{From: 1, To: 64, Renders: rec, Threads: t.crew.Threads(), Settings: handover.Set(val.What.Is("flipbook"), val.TileWide.Is(512), val.TileTall.Is(512), val.Pick.Is("range"))}
	t.most("64 tiles of 512² to a 4096² atlas with motion vectors", min(do(atlas), do(atlas)), 15, "s")
}

// smoke writes frames of a puff that turns and warms, of n³ voxels.
func smoke(st *cache.Stage, n, frames int) {
	for f := 1; f <= frames; f++ {
		den, heat := make([]float32, n*n*n), make([]float32, n*n*n)
		vel := [][]float32{make([]float32, n*n*n), make([]float32, n*n*n), make([]float32, n*n*n)}
		for i := range den {
			x, y, z := float64(i%n)/float64(n)-0.5, float64(i/n%n)/float64(n)-0.5, float64(i/n/n)/float64(n)-0.5
			r := x*x + y*y + z*z
			if r > 0.2 {
				continue
			}
			v := math.Exp(-12*r) * (1 + 0.4*math.Sin(40*x+float64(f))*math.Sin(37*y)*math.Sin(43*z-float64(f)))
			den[i], heat[i] = float32(v), float32(600*v*v)
			vel[0][i], vel[1][i], vel[2][i] = float32(-3*z), float32(v), float32(3*x)
		}
		var grids []*frame.Grid
		for name, comps := range map[string][][]float32{frame.Density: {den}, frame.Temperature: {heat}, frame.Velocity: vel} {
			g := frame.FromDense(name, [3]int{}, [3]int{n, n, n}, comps, 0, 1e-4, nil)
			g.Transform = frame.Uniform(0.01, [3]float64{-0.475, 0.005, -0.475})
			grids = append(grids, g)
		}
		if _, err := st.Put(cache.Frame{Frame: f}, func(w io.Writer) error { return vdb.Write(w, grids, vdb.Options{Compression: vdb.Blosc}) }); err != nil {
			panic(err)
		}
	}
}

// tiles writes a recording of a blob that flies and turns, with noise as light
// has it, and returns its folder.
func tiles(dir string, size, frames int) string {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		panic(err)
	}
	for f := 1; f <= frames; f++ {
		m := &exr.Image{W: size, H: size, Packed: true}
		var p [7][]float32
		for c := range p {
			p[c] = make([]float32, size*size)
		}
		seed := uint32(f)
		for i := range size * size {
			x, y := float64(i%size)/float64(size)-0.3-0.005*float64(f), float64(i/size)/float64(size)-0.5
			a := math.Exp(-30*(x*x+y*y)) * (0.8 + 0.2*math.Sin(60*x)*math.Sin(45*y))
			seed = seed*1664525 + 1013904223
			a *= 1 + 0.02*float64(seed>>16)/65536
			for c, k := range []float64{0.9, 0.6, 0.3, 1, 0.2, 0.1, 0.05} {
				p[c][i] = float32(a * k)
			}
		}
		for c, name := range []string{"R", "G", "B", "A", "emission.R", "emission.G", "emission.B"} {
			m.Channels = append(m.Channels, exr.Channel{Name: name, Pix: p[c]})
		}
		if _, _, err := cache.WriteFile(filepath.Join(dir, fmt.Sprintf("rec.%04d.exr", f)), func(w io.Writer) error { return exr.Write(w, m, nil) }); err != nil {
			panic(err)
		}
	}
	return dir
}
