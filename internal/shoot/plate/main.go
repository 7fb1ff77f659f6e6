// Command plate draws the plate of the runaway drum: the slipway at dusk with
// the drum rolling down it unlit, a picture a frame, into a folder.
package main

import (
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"os"
	"path/filepath"

	"zarf/core/asset"
	"zarf/core/film"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/demo"
	"zarf/studio/assets"
	"zarf/studio/run"
)

const width, height = 512, 288

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: plate FOLDER")
		os.Exit(2)
	}
	if err := shoot(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func shoot(dir string) error {
	tmp, err := os.MkdirTemp("", "zarf-plate-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	files, err := assets.Open(tmp)
	if err != nil {
		return err
	}
	s, err := demo.RunawayDrum(files)
	if err != nil {
		return err
	}
	s.Attach(asset.New(files))
	lk := s.Looks[0]
	if err := lk.PutAll(shot.With(val.SunStrength.Is(0.9), val.SkyStrength.Is(0.3), val.Exposure.Is(1), val.Background.Is("sky"), val.GroundAs.Is("floor"))); err != nil {
		return err
	}
	_, last := s.Range()
	crew := grid.NewCrew(0)
	for f := 1; f <= last; f++ {
		if err := frame(s, lk, f, filepath.Join(dir, fmt.Sprintf("slipway.%04d.jpg", f)), crew); err != nil {
			return err
		}
	}
	return nil
}

// scenery stands about for the eye; the shot itself knows nothing of it.
func scenery() (out []render.Solid) {
	block := func(x, y, z, w, h, d, turn float64, c look.RGB) {
		out = append(out, render.Solid{Shape: geom.Shape{Form: geom.Block, Centre: geom.V(x, y, z), Size: geom.V(w, h, d), Turn: geom.RotationXYZ(geom.V(0, turn, 0)), Taper: 1}, Colour: c})
	}
	block(-6.5, 1.4, -6, 5, 2.8, 3.4, 8, look.RGB{0.28, 0.24, 0.2})
	block(-6.5, 3.0, -6, 5.6, 0.4, 4, 8, look.RGB{0.1, 0.07, 0.06})
	for i := range 7 {
		block(-2+float64(i)*1.9, 0.55, -3.2, 0.16, 1.1, 0.16, float64(i)*11, look.RGB{0.16, 0.13, 0.1})
	}
	block(3.7, 0.95, -3.2, 12, 0.07, 0.07, 0, look.RGB{0.16, 0.13, 0.1})
	return out
}

func frame(s *shot.Shot, lk *shot.Element, f int, path string, crew grid.Crew) error {
	sc, err := run.Dress(nil, s, lk, f)
	if err != nil {
		return err
	}
	for i := range sc.Solids {
		sc.Solids[i].Holdout = false
	}
	sc.Solids = append(sc.Solids, scenery()...)
	sc.Look.Method = "march"
	p, err := render.New(sc, width, height, crew)
	if err != nil {
		return err
	}
	for range 6 {
		p.Pass(nil)
	}
	img := film.Develop(p.Frame(), &sc.Look.Film, nil, crew).NRGBA()
	flat := image.NewRGBA(img.Bounds())
	draw.Draw(flat, flat.Bounds(), img, image.Point{}, draw.Src)
	out, err := os.Create(path)
	if err != nil {
		return err
	}
	defer out.Close()
	return jpeg.Encode(out, flat, &jpeg.Options{Quality: 82})
}
