package render

// A picture's layers: light by where it comes from, depth, motion, features; as
// planes for files and as pictures to look at.

import (
	"fmt"
	"math"
	"strings"

	"zarf/core/film"
)

// Frame is the picture so far as linear light, premultiplied.
// Each pixel is a sum over its samples with their number kept by the picture, so
// that a picture under way can be shown at any time.
func (p *Picture) Frame() film.Frame {
	out := film.Frame{W: p.W, H: p.H, Pix: make([]float32, 4*p.W*p.H)}
	p.crew.For(p.H, 8, func(lo, hi int) {
		for y := lo; y < hi; y++ {
			for x := range p.W {
				o, s := 4*(y*p.W+x), p.share(x, y)
				for c := range 4 {
					out.Pix[o+c] = p.sum[o+c] * s
				}
				// A filter with lobes below 0 can go a hair beyond either end.
				out.Pix[o+3] = min(max(out.Pix[o+3], 0), 1)
			}
		}
	})
	return out
}

// Finished is the picture so far, denoised where the look says so and there is
// enough to tell noise by.
// Frame stays as it is: going on with more samples starts from it and not from this.
func (p *Picture) Finished() film.Frame {
	f := p.Frame()
	// under four samples two halves say nothing of noise
	if d := p.scene.Look.Denoise; d > 0 && !p.march && p.feats != nil && p.Samples >= 4 {
		p.denoise(f, d)
	}
	return f
}

// Layer is a plane of the picture by name: its channels, each a value a pixel.
// A name of "" is the file's own top: depth is called Z there, by custom.
type Layer struct {
	Name     string
	Channels []string
	Pix      [][]float32
}

// LayerNames are the light groups that a scene has.
// Names become parts of channel names in files: letters, digits and underscores.
func (s *Scene) LayerNames() []string {
	out := []string{"emission", "sun", "sky", "fire"}
	// two lamps of one name become name and name_2: layers are found by name
	used := map[string]bool{}
	for i := range s.Lamps {
		if s.Lamps[i].Fire {
			continue
		}
		// Beyond that all further lamps share the last group, whose name then says
		// so.
		if i == MaxLampGroups {
			out[len(out)-1] = "lamps"
			break
		}
		name := layerName(s.Lamps[i].Name)
		for n := 2; used[name]; n++ {
			name = fmt.Sprintf("%s_%d", layerName(s.Lamps[i].Name), n)
		}
		used[name] = true
		out = append(out, name)
	}
	return out
}

// layerName is a lamp's name as files can hold it.
func layerName(s string) string {
	return "lamp_" + strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return '_'
	}, s)
}

// Far is the depth of pixels in which nothing is met, m.
// Large and finite: compositors divide by depth, and infinities spread.
const Far = 1e10

// Layers are what is kept beside beauty and alpha: light by where it comes
// from (they add up to the beauty before denoising), depth along the view in
// metres, motion to the next frame in pixels (right and down), and the
// features that the denoiser reads.
// They are means over samples and not normalised by alpha: what is half covered has
// half of the light, as compositors expect.
func (p *Picture) Layers() []Layer {
	var out []Layer
	plane := func() []float32 { return make([]float32, p.W*p.H) }
	// src holds step numbers a pixel, of which the layer's begin at from.
	split := func(name string, channels []string, src []float32, step, from int) {
		l := Layer{Name: name, Channels: channels}
		for c := range channels {
			pix := plane()
			for i := range pix {
				pix[i] = src[step*i+from+c] * p.share(i%p.W, i/p.W)
			}
			l.Pix = append(l.Pix, pix)
		}
		out = append(out, l)
	}
	rgb := []string{"R", "G", "B"}
	if p.parts != nil {
		for g, name := range p.scene.LayerNames() {
			split(name, rgb, p.parts[g], 3, 0)
		}
	}
	if p.feats == nil {
		return out
	}
	z, mx, my := plane(), plane(), plane()
	for i := range z {
		// The mean over what was seen, weighted by how much it covers: half-covered
		// pixels have the depth of what covers them and not one between it and the
		// sky.
		z[i] = Far
		if n := p.seen[4*i]; n > 0 {
			z[i], mx[i], my[i] = p.seen[4*i+1]/n, p.seen[4*i+2]/n, p.seen[4*i+3]/n
		}
	}
	out = append(out, Layer{"", []string{"Z"}, [][]float32{z}}, Layer{"motion", []string{"X", "Y"}, [][]float32{mx, my}})
	split("albedo", rgb, p.feats, 6, 0)
	split("normal", []string{"X", "Y", "Z"}, p.feats, 6, 3)
	return out
}

// Show is a layer as a picture to look at: light as it is, alpha and depth as
// greys (near is bright), motion as directions of colour.
// What is shown goes through the same view transform as the beauty.
func (p *Picture) Show(name string) (film.Frame, error) {
	f := p.Frame()
	if name == "alpha" {
		for i := range p.W * p.H {
			a := f.Pix[4*i+3]
			f.Pix[4*i], f.Pix[4*i+1], f.Pix[4*i+2], f.Pix[4*i+3] = a, a, a, 1
		}
		return f, nil
	}
	for _, l := range p.Layers() {
		if l.Name != name && !(name == "depth" && l.Channels[0] == "Z" && l.Name == "") {
			continue
		}
		p.paint(f, name, &l)
		return f, nil
	}
	return f, fmt.Errorf("the picture has no layer %q", name)
}

// paint shows a layer as a picture: depth in greys, near ones bright, motion in
// colours by its direction, normals as colours, all else as it is.
func (p *Picture) paint(f film.Frame, name string, l *Layer) {
	// First the range over the picture, then the pixels by it.
	near, far, fast := float32(math.MaxFloat32), float32(0), float32(1e-6)
	for i := range p.W * p.H {
		switch name {
		case "depth":
			if z := l.Pix[0][i]; z < Far/2 {
				near, far = min(near, z), max(far, z)
			}
		case "motion":
			fast = max(fast, float32(math.Hypot(float64(l.Pix[0][i]), float64(l.Pix[1][i]))))
		}
	}
	for i := range p.W * p.H {
		q := f.Pix[4*i : 4*i+4]
		q[3] = 1
		switch name {
		case "depth":
			g := float32(0)
			if z := l.Pix[0][i]; z < Far/2 {
				g = 1 - 0.9*(z-near)/max(far-near, 1e-6)
			}
			// Squared, as the view transform lifts darks.
			q[0], q[1], q[2] = g*g, g*g, g*g
		case "motion":
			x, y := l.Pix[0][i]/fast, l.Pix[1][i]/fast
			// Right is red, left cyan, down green, up blue; still is grey.
			q[0], q[1], q[2] = 0.2+0.5*x, 0.2-0.25*x+0.4*y, 0.2-0.25*x-0.4*y
			for c := range 3 {
				q[c] = max(q[c], 0)
			}
		case "normal":
			for c := range 3 {
				q[c] = max(0, 0.5*l.Pix[c][i]+0.5)
			}
		default:
			for c := range 3 {
				q[c] = l.Pix[c][i]
			}
		}
	}
}
