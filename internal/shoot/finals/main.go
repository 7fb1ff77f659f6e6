// Command finals renders a finished frame of every demo shot and puts them on
// one sheet. Run it from the repository's root after make build; frames that
// are in the folder already are kept.
package main

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
)

// frames are the shots and the frame of each.
var frames = []struct {
	shot  string
	frame int
}{{"bl010", 60}, {"bl020", 48}, {"bl030", 34}, {"bl040", 70}, {"bl050", 54}, {"bl070", 72}, {"bl080", 78}, {"bl090", 46}, {"bl110", 96}, {"bl120", 66}}

const (
	width, height = 640, 360
	across, gap   = 2, 6
)

func main() {
	if len(os.Args) != 4 {
		fmt.Fprintln(os.Stderr, "usage: finals DATA-FOLDER FOLDER SHEET.png")
		os.Exit(2)
	}
	if err := make(os.Args[1], os.Args[2], os.Args[3]); err != nil {
		fmt.Fprintln(os.Stderr, "finals:", err)
		os.Exit(1)
	}
}

func make(data, dir, sheet string) error {
	down := (len(frames) + across - 1) / across
	out := image.NewRGBA(image.Rect(0, 0, across*(width+gap)-gap, down*(height+gap)-gap))
	draw.Draw(out, out.Bounds(), image.NewUniform(color.Gray{0x2b}), image.Point{}, draw.Src)
	for n, f := range frames {
		to := filepath.Join(dir, f.shot)
		span := fmt.Sprintf("%d-%d", f.frame, f.frame)
		c := exec.Command(filepath.Join("bin", "zarf"), "render", f.shot, "--data", data, "--look", "final", "--frames", span, "--width", fmt.Sprint(width), "--out", to)
		c.Stdout, c.Stderr = os.Stdout, os.Stderr
		if err := c.Run(); err != nil {
			return fmt.Errorf("%s: %w", f.shot, err)
		}
		r, err := os.Open(filepath.Join(to, fmt.Sprintf("%s.%04d.png", f.shot, f.frame)))
		if err != nil {
			return err
		}
		img, err := png.Decode(r)
		r.Close()
		if err != nil {
			return err
		}
		at := image.Pt(n%across*(width+gap), n/across*(height+gap))
		draw.Draw(out, image.Rectangle{at, at.Add(image.Pt(width, height))}, img, img.Bounds().Min, draw.Over)
	}
	w, err := os.Create(sheet)
	if err != nil {
		return err
	}
	defer w.Close()
	return png.Encode(w, out)
}
