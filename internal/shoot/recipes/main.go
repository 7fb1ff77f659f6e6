// Recipes makes the picture of each recipe that the menu shows, from a coarse
// run of the recipe itself: go run ./internal/shoot/recipes [-voxels N] [-to FOLDER] [KEY …].
package main

import (
	"context"
	"flag"
	"fmt"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"

	"zarf/core/film"
	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/recipe"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// voxels of a picture's run: of gas, and of what else there is.
var voxels = flag.Float64("voxels", 2_000_000, "of gas")

const others = 220_000

// frames at which a recipe looks like itself, 24 a second for a thing a metre
// across.
var frames = map[string]float64{"large-blast": 10, "small-blast": 6, "steam": 40, "heavy-fog": 70, "ground-burst": 18,
	"pour": 60, "splash": 15, "fountain": 36, "flood": 20, "honey": 200, "lava": 110, "drip": 140, "sparks": 60, "embers": 80, "ash-fall": 60, "debris": 22, "dust-kick": 26, "sea": 76, "breaker": 70, "burning-curtain": 34, "wisps": 230, "ground-shock": 11}

func main() {
	to := flag.String("to", filepath.Join("web", "static", "recipes"), "folder of the pictures")
	flag.Parse()
	for i := range recipe.All {
		r := &recipe.All[i]
		if flag.NArg() > 0 && !slices.Contains(flag.Args(), r.Key) {
			continue
		}
		if err := picture(r, filepath.Join(*to, r.Key+".png")); err != nil {
			fmt.Fprintln(os.Stderr, r.Key+":", err)
			os.Exit(1)
		}
		fmt.Println(r.Key)
	}
}

// closer sets the camera so that what can be seen of a frame's smoke and flame fills the picture,
// but for a few shreds.
func closer(s *shot.Shot, src *run.Source, f *frame.Frame) {
	_, h, origin := src.Grid()
	low, d := src.Window(f)
	smoke, burn := src.Channel(f, frame.Density), src.Channel(f, frame.Burn)
	n := [3]int{d.NX, d.NY, d.NZ}
	along := [3][]int{make([]int, d.NX), make([]int, d.NY), make([]int, d.NZ)}
	all := 0
	for c, v := range smoke.Data {
		if v > 0.04 || burn != nil && burn.Data[c] > 0.1 {
			for a, i := range [3]int{c % d.NX, c / d.NX % d.NY, c / (d.NX * d.NY)} {
				along[a][i]++
			}
			all++
		}
	}
	const few = 150 // of so many one, at each end
	end := func(a int, from, by int) float64 {
		rest := all / few
		for i := from; i >= 0 && i < n[a]; i += by {
			if rest -= along[a][i]; rest < 0 {
				return float64(low[a]+i) + 0.5
			}
		}
		return float64(low[a] + from)
	}
	var lo, hi [3]float64
	for a := range n {
		lo[a], hi[a] = end(a, 0, 1), end(a, n[a]-1, -1)
	}
	b := geom.Box{Min: origin.Add(geom.FromArray(lo).Mul(h)), Max: origin.Add(geom.FromArray(hi).Mul(h))}
	mid, size := b.Centre(), b.Size()
	c := s.Of(shot.Camera)[0]
	away := max(size.Y*1.75, size.X, size.Z) * 1.45
	eye := mid.Add(geom.V(0.3, 0.1, 0.95).Mul(away))
	val.Position.Set(c, eye.X, max(eye.Y, b.Min.Y+size.Y*0.1), eye.Z)
	val.Target.Set(c, mid.X, mid.Y, mid.Z)
	val.Lens.Set(c, 35)
}

func picture(r *recipe.Recipe, path string) error {
	s := shot.New("picture")
	r.Put(s, geom.Vec3{}, r.Size, 1)
	d := s.Of(shot.Domain)[0]
	most, finer := float64(others), false
	if d.Fluid().Key == gas.Key {
		most, finer = *voxels, true
	}
	if n := d.Voxels(); finer || n > most {
		val.Voxel.Set(d, val.Voxel.Of(d)*math.Cbrt(n/most))
	}
	recipe.Frame(s)
	want, ok := frames[r.Key]
	if !ok {
		want = 52
	}
	last := int(want * math.Sqrt(r.Size))
	val.Last.Set(s.Self, float64(last))
	return made(s, last, path, grid.NewCrew(0))
}

// made runs a recipe's domains into a folder of its own and takes its picture: of particles
// where there are some.
func made(s *shot.Shot, last int, path string, crew grid.Crew) error {
	dir, err := os.MkdirTemp("", "recipe")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	c, err := cache.Open(dir)
	if err != nil {
		return err
	}
	order, err := s.Order()
	if err != nil {
		return err
	}
	seen := order[0]
	for _, d := range order {
		sim := run.Sim{Shot: s, Domain: d.ID, From: 1, To: last}
		if err := sim.Do(context.Background(), c, func(run.Progress) {}); err != nil {
			return err
		}
		if d.Fluid().Loose {
			seen = d
		}
	}
	src, err := run.Open(s, seen.ID, c)
	if err != nil {
		return err
	}
	if seen.Fluid().Key == gas.Key {
		f, err := src.Read(last)
		if err != nil {
			return err
		}
		closer(s, src, f)
	} else {
		around(s, src, seen, last)
	}
	sc, err := src.Scene(last, s, s.Looks[0], crew)
	if err != nil {
		return err
	}
	return take(sc, path, crew)
}

// around sets the camera before a domain, or what of it is there.
func around(s *shot.Shot, src *run.Source, seen *shot.Element, last int) {
	b := seen.DomainBox()
	if f, there := src.Stage.Get(last); there && seen.Fluid().Loose {
		st := run.StatsOf(f)
		b = geom.Box{Min: geom.FromArray(st.Low), Max: geom.FromArray(st.High)}
	}
	cam := s.Of(shot.Camera)[0]
	mid, size := b.Centre(), b.Size()
	away := max(size.Y*1.6, size.X, size.Z) * 1.25
	eye, low := mid.Add(geom.V(0.32, 0.42, 0.9).Mul(away)), 0.38
	if seen.Fluid().Key == "cloth" { // all of it, and what it hangs from
		eye, low = mid.Add(geom.V(0.4, 0.25, 0.9).Mul(1.3*away)), 0.52
	}
	val.Position.Set(cam, eye.X, eye.Y, eye.Z)
	val.Target.Set(cam, mid.X, b.Min.Y+low*size.Y, mid.Z)
	val.Lens.Set(cam, 38)
}

// take makes the picture of a scene.
func take(sc *render.Scene, path string, crew grid.Crew) error {
	sc.Look.Method = "march"
	p, err := render.New(sc, 320, 180, crew)
	if err != nil {
		return err
	}
	for range 12 {
		p.Pass(nil)
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	return png.Encode(f, film.Develop(p.Frame(), &sc.Look.Film, nil, crew).NRGBA())
}
