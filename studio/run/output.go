package run

import (
	"fmt"
	"image/png"
	"io"

	"github.com/shirou/gopsutil/v4/mem"

	"zarf/core/film"
	"zarf/core/format/exr"
	"zarf/core/format/hdr"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/pixel"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/studio/cache"
)

// Plate is the picture that a look lays under a frame; nil where it has none.
func Plate(now *shot.Shot, l *look.Look, frame int) (*pixel.Image, error) {
	if l.Background != "plate" {
		return nil, nil
	}
	if l.Plate == "" {
		return nil, fmt.Errorf("the background is a plate, but none is brought in: choose a picture at Plate, or another background")
	}
	m, err := now.Files().Picture(l.Plate, frame-l.PlateFirst)
	if err != nil {
		return nil, fmt.Errorf("the plate: %w", err)
	}
	return m, nil
}

// Ext is the ending of the files that a look makes.
func Ext(l *look.Look) string {
	switch l.File {
	case "exr", "exr32":
		return "exr"
	case "hdr":
		return "hdr"
	}
	return "png"
}

// wants are the planes that a look's files and its denoiser need.
func wants(l *look.Look) render.Wants {
	layers := l.Layers && Ext(l) == "exr"
	return render.Wants{Layers: layers, Features: layers || (l.Denoise > 0 && l.Method == "path")}
}

// fits refuses a picture that would take more than half of the memory.
func fits(sc *render.Scene, w, h int, k render.Wants, memory int64) error {
	need := sc.Need(w, h, k)
	if memory <= 0 || need <= memory/2 {
		return nil
	}
	mend := "make it smaller"
	if k.Layers {
		mend += ", or leave out layers"
	}
	return fmt.Errorf("a picture of %d x %d pixels takes %.1f GB, this machine has %.1f GB: %s", w, h, float64(need)/1e9, float64(memory)/1e9, mend)
}

// Memory is the machine's, bytes; 0 where it can't be told.
func Memory() int64 {
	m, err := mem.VirtualMemory()
	if err != nil {
		return 0
	}
	return int64(m.Total)
}

// Save writes a picture as a look wants it: PNG finished and maybe over a
// plate, OpenEXR and HDR as linear light. tiny, where it is not empty, takes a
// small finished PNG to be seen on the page.
func Save(path, tiny string, sc *render.Scene, pic *render.Picture, plate *pixel.Image, meta map[string]string, crew grid.Crew, more ...exr.Channel) (int64, error) {
	l := &sc.Look
	light := pic.Finished()
	if tiny != "" {
		small := film.Develop(light.Shrunk(240), &l.Film, plate, crew)
		if _, _, err := cache.WriteFile(tiny, func(w io.Writer) error { return png.Encode(w, small.NRGBA()) }); err != nil {
			return 0, err
		}
	}
	size, _, err := cache.WriteFile(path, func(w io.Writer) error {
		switch l.File {
		case "exr", "exr32":
			m := exrImage(l, light, pic, meta)
			m.Channels = append(m.Channels, more...)
			return exr.Write(w, m, crew.For)
		case "hdr":
			rgb := make([]float32, 3*light.W*light.H)
			for i := range light.W * light.H {
				copy(rgb[3*i:3*i+3], light.Pix[4*i:4*i+3])
			}
			return hdr.Write(w, light.W, light.H, rgb)
		}
		out := film.Develop(light, &l.Film, plate, crew)
		if l.Over {
			out = out.Over()
		}
		tags := pixel.Tags{Text: map[string]string{"Software": "Zarf", "Alpha": AlphaOf(l)}}
		if l.File == "png16" {
			return pixel.EncodePNG(w, out.NRGBA64(), tags, png.DefaultCompression)
		}
		return pixel.EncodePNG(w, out.NRGBA(), tags, png.DefaultCompression)
	})
	return size, err
}

// AlphaOf is how colours stand to alpha in the files that a look makes.
func AlphaOf(l *look.Look) string {
	switch {
	case Ext(l) == "exr", l.Over && Ext(l) == "png":
		return "premultiplied"
	case Ext(l) == "hdr":
		return "none"
	}
	return "straight"
}

// exrImage names the planes: R, G, B and A are the beauty, layers go before a
// dot.
func exrImage(l *look.Look, light film.Frame, pic *render.Picture, meta map[string]string) *exr.Image {
	m := &exr.Image{W: light.W, H: light.H, Packed: l.Packed, Meta: meta}
	full := l.File == "exr32"
	for c, name := range []string{"R", "G", "B", "A"} {
		pix := make([]float32, light.W*light.H)
		for i := range pix {
			pix[i] = light.Pix[4*i+c]
		}
		m.Channels = append(m.Channels, exr.Channel{Name: name, Full: full, Pix: pix})
	}
	if !l.Layers {
		return m
	}
	for _, y := range pic.Layers() {
		for c, name := range y.Channels {
			if y.Name != "" {
				name = y.Name + "." + name
			}
			// distances in half would step
			m.Channels = append(m.Channels, exr.Channel{Name: name, Full: full || name == "Z", Pix: y.Pix[c]})
		}
	}
	return m
}
