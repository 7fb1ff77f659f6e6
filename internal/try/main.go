package main

import (
	"flag"
	"fmt"
	"image/png"
	"os"
	"strings"
	"strconv"
	"time"

	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/demo"
	"zarf/studio/run"
)

func main() {
	name := flag.String("shot", "BL020", "")
	frames := flag.String("frames", "12,24,48", "")
	vox := flag.Float64("vox", 0, "times")
	out := flag.String("out", "/tmp/z/try", "")
	w := flag.Int("w", 640, "")
	samples := flag.Int("samples", 3, "")
	quiet := flag.Bool("q", false, "")
	sets := flag.String("set", "", "")
	flag.Parse()
	var s *shot.Shot
	for _, x := range demo.Shots() {
		if x.Name == *name {
			s = x
		}
	}
	want := map[int]bool{}
	last := 0
	for _, f := range strings.Split(*frames, ",") {
		n, _ := strconv.Atoi(f)
		want[n] = true
		last = max(last, n)
	}
	for _, kv := range strings.Fields(*sets) {
		k, v, _ := strings.Cut(kv, "=")
		en, key, _ := strings.Cut(k, ".")
		for _, e := range s.Elements {
			if e.Name == strings.ReplaceAll(en, "_", " ") {
				if key == "mute" { e.Muted = true; continue }
				val := shot.Text(v)
				if n, err := strconv.ParseFloat(v, 64); err == nil { val = shot.Num(n) }
				e.Values[key] = val
			}
		}
	}
	if *vox > 0 {
		for _, d := range s.Of(shot.Domain) {
			d.Values["voxel"] = shot.Num(d.Get("voxel").Num * *vox)
		}
	}
	crew := grid.NewCrew(0)
	g, err := stage.NewGas(s, "", crew)
	if err != nil {
		panic(err)
	}
	begin := time.Now()
	for {
		f, st, err := g.Advance(nil)
		if err != nil {
			fmt.Println(err)
			os.Exit(1)
		}
		if !*quiet {
			fmt.Printf("%d: sub %d%v speed %.1f peak %.0f smoke %.2f fuel %.3f burnt %.3f top %.2f wide %.2f vox %dk win %v cut %.2f %.1fs\n", f, st.Substeps, st.Capped, st.MaxSpeed, st.PeakHeat, st.SmokeTotal, st.FuelTotal, st.FuelBurnt, st.Top, st.Width, st.Voxels/1000, st.Window, st.Cut, time.Since(begin).Seconds())
		}
		if st.MaxSpeed > 12 && !*quiet {
			sv := g.Solver
			hid := make([]bool, sv.Len())
			sv.Hidden(func(n int) { hid[n] = true })
			type hit struct{ v float32; n int }
			var best [4]hit
			for n := range hid {
				if hid[n] { continue }
				u, v, w := sv.Centre(n%sv.NX, n/sv.NX%sv.NY, n/(sv.NX*sv.NY))
				q := u*u+v*v+w*w
				if q > best[0].v { copy(best[1:], best[:3]); best[0] = hit{q, n} }
			}
			for _, b := range best {
				n := b.n
				u, v, w := sv.Centre(n%sv.NX, n/sv.NX%sv.NY, n/(sv.NX*sv.NY))
				fmt.Println("   open", n%sv.NX, n/sv.NX%sv.NY, n/(sv.NX*sv.NY), "of", sv.Dims, u, v, w)
			}
			for c, fl := range []*grid.Field{sv.U, sv.V, sv.W} {
				bi, bv := 0, float32(0)
				for i, v := range fl.Data {
					if v < 0 { v = -v }
					if v > bv { bi, bv = i, v }
				}
				i, j, k := bi%fl.NX, bi/fl.NX%fl.NY, bi/(fl.NX*fl.NY)
				fmt.Println("   fastest", c, bv, i, j, k, "of", fl.Dims, sv.Low, sv.Smoke.At(min(i,sv.NX-1), min(j,sv.NY-1), min(k,sv.NZ-1)), sv.Heat.At(min(i,sv.NX-1), min(j,sv.NY-1), min(k,sv.NZ-1)))
			}
		}
		if want[f] {
			sv := g.Solver
			den := grid.NewField(sv.Smoke.Dims)
			copy(den.Data, sv.Smoke.Data)
			sv.Hidden(func(c int) { den.Data[c] = 0 })
			v, _ := render.NewVolume(den, sv.H, sv.Origin, crew)
			lk := look.Of(s.Looks[0])
			if sv.Burn != nil {
				v.Ignite(sv.Burn, sv.Heat, s.Get("air_temperature").Num, &lk, crew)
			}
			sc := run.Dress([]*render.Volume{v}, s, s.Looks[0], f)
			t := time.Now()
			p, err := render.New(sc, *w, *w*9/16, crew)
			if err != nil {
				panic(err)
			}
			for range *samples {
				p.Pass(nil)
			}
			fmt.Println("render", time.Since(t))
			file, _ := os.Create(fmt.Sprintf("%s-%s-%03d.png", *out, *name, f))
			png.Encode(file, p.Image())
			file.Close()
		}
		if f >= last {
			break
		}
	}
}
