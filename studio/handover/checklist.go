package handover

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"zarf/core/shot"
)

// words tell what a handover is.
var words = map[string]string{"volumes": "volumes", "points": "points", "meshes": "meshes and camera", "pictures": "pictures", "flipbook": "a flipbook", "field": "a vector field"}

// checklist is what the receiver has to set or look at, one thing a line.
func (m *Manifest) checklist() (out []string) {
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	folders := map[string]int{}
	for _, f := range m.Files {
		folders[path.Dir(f.Path)+"/*"+path.Ext(f.Path)]++
	}
	for _, d := range sorted(folders) {
		say("%d file%s %s", folders[d], plural(folders[d]), strings.TrimPrefix(d, "./"))
	}
	if m.What != "flipbook" {
		last := m.First + m.Frames - 1
		say("Frame numbers %d to %d, %d digits at least; the first is frame %d of the shot, each stands for %d of them", m.First, last, m.Digits, m.Source[0], m.Step)
		say("Frame rate %s a second", shot.Short(m.Rate/float64(max(m.Step, 1))))
	}
	if m.Axes != "" {
		if m.Scale == 1 {
			say("Axes: %s; a unit is a metre", m.Axes)
		} else {
			say("Axes: %s; %s units are a metre", m.Axes, shot.Short(m.Scale))
		}
		say("A thing of 1 m in the shot measures %s in your scene; if it doesn't, set the import scale to 1 and look again", shot.Short(m.Scale))
	}
	if m.Voxel > 0 {
		say("Voxels of %.6g units; transforms are scale and shift alone", m.Voxel)
	}
	for _, c := range m.Channels {
		line := fmt.Sprintf("%s is %s, %s, %s, %.4g to %.4g", c.Name, c.Holds, c.Type, c.Unit, c.Low, c.High)
		if c.Error > 0 {
			line += fmt.Sprintf(", off by %.2g at most", c.Error)
		}
		out = append(out, line)
	}
	for _, o := range m.Objects {
		say("Object %s", o)
	}
	if m.What == "meshes" && strings.Contains(m.Axes, "left") {
		say("The camera looks along its own +z, as left-handed scenes have it")
	}
	if p := m.Pictures; p != nil {
		say("Pictures of %d × %d pixels, .%s", p.Width, p.Height, p.File)
		say("Colours are %s: set the reader's colour space to that", p.Space)
		say("Alpha is %s: set the reader's alpha to that; a dark rim means it is read as the other kind", p.Alpha)
		if len(p.Layers) > 4 {
			say("Layers: %s", strings.Join(p.Layers, ", "))
		}
	}
	if f := m.Flipbook; f != nil {
		say("%d columns by %d rows of %d × %d pixels, %d tiles used, the first at the upper left, row by row", f.Columns, f.Rows, f.TileWide, f.TileTall, f.Tiles)
		say("Play %s tiles a second for the speed of the shot", shot.Short(f.Rate))
		if f.Padding > 0 {
			say("%d pixels on every side of a tile are empty", f.Padding)
		}
		if f.Seam != nil {
			say("Loops; the seam is %.2f times the mean change from tile to tile", f.Seam.Ratio)
		} else {
			say("Plays once: switch looping off, or the last tile jumps to the first")
		}
		for _, s := range f.Sheets {
			say("%s: R %s, G %s, B %s, A %s; %s; alpha %s", s.Name, s.Channels[0], s.Channels[1], s.Channels[2], s.Channels[3], s.Space, s.Alpha)
			if s.Space[:4] != "sRGB" {
				say("%s: switch sRGB off for this texture", s.Name)
			}
			if s.Clipped > 0.001 {
				say("%s: %.1f %% of its values were brighter than 1 and are cut off; OpenEXR keeps them", s.Name, 100*s.Clipped)
			}
		}
		if v := f.Motion; v != nil {
			say("motion: %s; %s", v.Formula, v.Up)
			say("motion: draw both tiles moved by it, the first by t, the next by t − 1, and cross-fade by t; without compression, without mipmaps")
		}
	}
	for _, n := range m.Notes {
		say("Note: %s", n)
	}
	say("Hold size and SHA-256 of the files against manifest.json")
	return out
}

func sorted(m map[string]int) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

func plural(n int) string {
	if n == 1 {
		return ""
	}
	return "s"
}
