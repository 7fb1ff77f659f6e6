package handover

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"io"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zarf/core/format/exr"
	"zarf/core/format/hdr"
	"zarf/core/grid"
	"zarf/core/pixel"
	"zarf/studio/run"
)

var rendered = regexp.MustCompile(`^(.*)\.(-?)(\d+)\.(png|exr|hdr)$`)

// Recorded are the rendered pictures of a folder by frame. Pictures of two
// kinds, or two of one frame, are refused.
func Recorded(dir string) (files map[int]string, ext string, err error) {
	list, err := os.ReadDir(dir)
	if err != nil {
		return nil, "", fmt.Errorf("the rendered pictures can't be read: %w", err)
	}
	files = map[int]string{}
	for _, e := range list {
		m := rendered.FindStringSubmatch(e.Name())
		if m == nil {
			continue
		}
		f, err := strconv.Atoi(m[2] + m[3])
		if err != nil {
			continue
		}
		if other, ok := files[f]; ok {
			return nil, "", fmt.Errorf("%s and %s are both frame %d: numbers have different digits; keep one of them", other, e.Name(), f)
		}
		if ext != "" && ext != m[4] {
			return nil, "", fmt.Errorf("the rendered range holds both .%s and .%s pictures; render it again in one kind", ext, m[4])
		}
		ext = m[4]
		files[f] = e.Name()
	}
	if len(files) == 0 {
		return nil, "", fmt.Errorf("the rendered range holds no picture yet; render it at Look, or record one here")
	}
	return files, ext, nil
}

// lost names the frames that a rendered range lacks.
func lost(files map[int]string, frames []int) error {
	var no []int
	for _, f := range frames {
		if _, ok := files[f]; !ok {
			no = append(no, f)
		}
	}
	if len(no) > 0 {
		return fmt.Errorf("frames %s are not rendered; let the range go on, or hand over the frames that are there", run.Ranges(no))
	}
	return nil
}

// pictures hands rendered pictures over under their new numbers, with what
// their values mean written into each.
func (w *work) pictures(ctx context.Context, frames []int, number map[int]int) error {
	if w.Renders == "" {
		return fmt.Errorf("no rendered range is chosen; render one at Look, then choose it here")
	}
	files, ext, err := Recorded(w.Renders)
	if err != nil {
		return err
	}
	if err := lost(files, frames); err != nil {
		return err
	}
	b, err := os.ReadFile(filepath.Join(w.Renders, files[frames[0]]))
	if err != nil {
		return err
	}
	if _, w.m.Pictures, err = w.picture(b, ext); err != nil {
		return fmt.Errorf("%s: %w", files[frames[0]], err)
	}
	return w.lanes(ctx, frames, func(f int, crew grid.Crew) (bool, error) {
		b, err := os.ReadFile(filepath.Join(w.Renders, files[f]))
		if err != nil {
			return false, err
		}
		b, p, err := w.picture(b, ext)
		if err != nil {
			return false, fmt.Errorf("%s: %w", files[f], err)
		}
		same := w.m.Pictures.Width == p.Width && w.m.Pictures.Height == p.Height && w.m.Pictures.Alpha == p.Alpha && slices.Equal(w.m.Pictures.Layers, p.Layers)
		if !same {
			return false, fmt.Errorf("%s has another size, alpha or layers than %s; render the range again", files[f], files[frames[0]])
		}
		name := path.Join(ext, w.FileName(number[f], ext))
		if w.again(name, nil) {
			return true, nil
		}
		return false, w.file(name, f, entry{}, func(o io.Writer) error { _, err := o.Write(b); return err }, func(got []byte) error { _, _, err := w.picture(got, ext); return err })
	})
}

// picture reads what a picture is, and gives the bytes to hand over.
func (w *work) picture(b []byte, ext string) ([]byte, *Pictures, error) {
	p := &Pictures{File: ext}
	switch ext {
	case "exr":
		m, err := exr.Decode(b, exr.DefaultLimits)
		if err != nil {
			return nil, nil, err
		}
		p.Width, p.Height, p.Space, p.Alpha = m.W, m.H, "linear light, Rec. 709 primaries", "premultiplied"
		for _, c := range m.Channels {
			name, _, ok := strings.Cut(c.Name, ".")
			if !ok {
				name = c.Name
			}
			if !slices.Contains(p.Layers, name) {
				p.Layers = append(p.Layers, name)
			}
		}
		return b, p, nil
	case "hdr":
		wide, tall, _, err := hdr.Read(b)
		p.Width, p.Height, p.Space, p.Alpha = wide, tall, "linear light, Rec. 709 primaries", "none"
		return b, p, err
	}
	c, err := png.DecodeConfig(bytes.NewReader(b))
	if err != nil {
		return nil, nil, err
	}
	p.Width, p.Height, p.Space, p.Alpha = c.Width, c.Height, "sRGB", "straight"
	tags := pixel.ReadTags(b)
	if a := tags.Text["Alpha"]; a != "" {
		p.Alpha = a
	}
	out, err := pixel.TagPNG(b, pixel.Tags{Text: map[string]string{"Alpha": p.Alpha, "Software": "Zarf", "Description": w.Take.Name}})
	return out, p, err
}
