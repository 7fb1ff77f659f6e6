package stage

// Frames from outside made ours: whatever axes, names and units a sequence came in,
// what leaves here has our channels, y up, kelvin above the air and metres a second,
// so that no solver or renderer knows where its frames came from.

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Axes are the changes from the shot's own axes, y up and right-handed, to
// those that files can have.
// A turn is a permutation with signs, and so exact: no voxel is interpolated. The
// two left-handed ones mirror; vectors are mirrored with the voxels.
var Axes = map[string]frame.Turn{
	"y-up":      {Perm: [3]int{0, 1, 2}, Sign: [3]int{1, 1, 1}},
	"z-up":      {Perm: [3]int{0, 2, 1}, Sign: [3]int{1, -1, 1}}, // (x, −z, y): a quarter turn about x
	"y-up-left": {Perm: [3]int{0, 1, 2}, Sign: [3]int{1, 1, -1}},
	"z-up-left": {Perm: [3]int{0, 2, 1}, Sign: [3]int{1, 1, 1}},
}

// usual are the names under which others write our channels.
// Compared in lower case. First fit wins, in the order of the file's channels.
var usual = map[string][]string{
	frame.Density:     {"density", "smoke", "dens"},
	frame.Temperature: {"temperature", "temp", "heat"},
	frame.Burn:        {"burn", "flame", "flames", "fire"},
	frame.Velocity:    {"velocity", "vel", "v"},
}

// Normalise makes a frame from outside one of ours: channels under our names, axes
// turned, temperature as kelvin above the air, velocity a second. Its unit of
// length stays; left names the channels that nothing reads.
//
// The frame that is given is used up: its grids are turned and renamed in place, as
// a sequence may be hundreds of megabytes.
func Normalise(f *frame.Frame, e *shot.Element, air, rate float64) (out *frame.Frame, left []string, err error) {
	out = &frame.Frame{Number: f.Number}
	used := map[*frame.Grid]bool{}
	// in this order: a file with one nameless channel has it read as density
	for _, our := range []string{frame.Density, frame.Temperature, frame.Burn, frame.Velocity} {
		// the one place that builds a value's name: the sheet has such a value for each of
		// our channels
		g, err := pick(f, our, e.Get(our+"_from").Text, used)
		if err != nil {
			return nil, nil, err
		}
		if g != nil {
			g.Name = our
			out.Grids = append(out.Grids, g)
		}
	}
	for _, g := range f.Grids {
		if !used[g] {
			left = append(left, g.Name)
		}
	}
	if len(out.Grids) == 0 {
		return nil, left, fmt.Errorf("none of its channels is known here (density, temperature, flame, velocity); it holds %s. Name them under channels on its sheet", strings.Join(left, ", "))
	}
	// voxels are turned, not the transform: everything later relies on scale and
	// shift
	back := Axes[val.Axes.Of(e)].Back()
	for _, g := range out.Grids {
		times := 1.0
		if g.Name == frame.Velocity && val.VelocityIs.Of(e) == "frame" {
			times = rate
		}
		// To float32 in our own leaves; doubles and halves of files end here.
		g.Narrow()
		// The factor of lengths stays 1: scale is the element's own value and is
		// applied where the frames are placed.
		if err := g.Turn(back, 1, times); err != nil {
			return nil, left, err
		}
		if g.Name == frame.Temperature {
			warm(g, e, air)
		}
	}
	return out, left, nil
}

// warm makes a temperature kelvin above the air; colder than the air is left.
func warm(g *frame.Grid, e *shot.Element, air float64) {
	times, shift := 1.0, 0.0
	switch val.HeatIs.Of(e) {
	case "kelvin":
		shift = -air
	case "celsius":
		shift = 273.15 - air
	case "unit":
		times = val.HeatTop.Of(e)
	default:
		return
	}
	for _, l := range g.Leaves {
		for n, v := range l.Values {
			// For 0 kelvin of background, absolute, the shift would make −293 of
			// empty air.
			// inactive voxels hold the file's background, which isn't ours after a
			// shift
			if l.Active.On(n) || shift == 0 {
				l.Values[n] = float32(float64(v)*times + shift)
			} else {
				l.Values[n] = 0
			}
		}
	}
	// Tiles are whole leaves of one value, as a converted file has them.
	for i := range g.Tiles {
		g.Tiles[i].Value[0] = g.Tiles[i].Value[0]*times + shift
	}
	g.Background[0] = 0 // where nothing is, the air is
}

// pick finds the grid that is read as one of our channels; nil where there is
// none. A name that was given and isn't there is an error.
//
// A name that was given must be there; without one the usual names are tried, and a
// single nameless channel is taken for density. A vector may come as three channels.
func pick(f *frame.Frame, our, name string, used map[*frame.Grid]bool) (*frame.Grid, error) {
	// A grid fits by its number of components, whatever its type of number.
	comps := 1
	if our == frame.Velocity {
		comps = 3
	}
	var names, fits []string
	for _, g := range f.Grids {
		names = append(names, g.Name)
		if g.Type.Components() == comps {
			fits = append(fits, g.Name)
		}
	}
	// An explicit choice is never replaced by a guess: a sequence whose later files
	// lack the channel should fail by name, not turn into something else half-way.
	if name != "auto" {
		for _, g := range f.Grids {
			if g.Name == name && g.Type.Components() == comps {
				used[g] = true
				return g, nil
			}
		}
		if our == frame.Velocity {
			if g := joined(f, name, used); g != nil {
				return g, nil
			}
		}
		return nil, fmt.Errorf("%s is to be read from %s, which it doesn't hold as such; it holds %s", our, name, strings.Join(names, ", "))
	}
	for _, g := range f.Grids {
		if !used[g] && g.Type.Components() == comps && slices.Contains(usual[our], strings.ToLower(g.Name)) {
			used[g] = true
			return g, nil
		}
	}
	// Such files come from masks and level sets turned into fog; their one grid is
	// what the artist means.
	if our == frame.Density && len(f.Grids) == 1 && len(fits) == 1 {
		used[f.Grids[0]] = true
		return f.Grids[0], nil
	}
	if our == frame.Velocity {
		for _, n := range usual[frame.Velocity] {
			if g := joined(f, n, used); g != nil {
				return g, nil
			}
		}
	}
	return nil, nil
}

// joined makes one vector channel of three numbers.
// “vel_x”, “vel.x”: both ways of naming parts occur.
func joined(f *frame.Frame, name string, used map[*frame.Grid]bool) *frame.Grid {
	var three [3]*frame.Grid
	for a, end := range []string{"x", "y", "z"} {
		for _, g := range f.Grids {
			if g.Type.Components() == 1 && (g.Name == name+"_"+end || g.Name == name+"."+end) {
				g.Narrow()
				three[a] = g
			}
		}
		// Of different voxel sizes they are three grids that happen to be named
		// alike.
		if three[a] == nil || three[a].Transform.M != three[0].Transform.M {
			return nil
		}
	}
	out := &frame.Grid{Name: name, Type: frame.Vec3s, Transform: three[0].Transform}
	// the three may have different leaves: the union, zero where one has none
	at := map[[3]int32]*frame.Leaf{}
	for a, g := range three {
		used[g] = true
		out.Background[a] = g.Background[0]
		for _, l := range g.Leaves {
			o := at[l.Origin]
			if o == nil {
				o = &frame.Leaf{Origin: l.Origin, Values: make([]float32, 3*len(l.Values))}
				at[l.Origin] = o
				out.Leaves = append(out.Leaves, o)
			}
			for n, v := range l.Values {
				o.Values[3*n+a] = v
				if l.Active.On(n) {
					o.Active.Set(n)
				}
			}
		}
	}
	return out
}

// maxRaster is how many voxels points can be poured into.
// 256 MiB for the share, four times that with velocity.
const maxRaster = 1 << 26

// Rasterise makes density and velocity of points: each shares itself out among the
// eight voxels round it, so that a point's worth is kept, and more than 1 in a
// voxel is cut off. grain is the voxels' edge in the points' unit.
//
// It refuses a lattice that would be too large with the number that would do; points
// that aren't finite are named by their number.
func Rasterise(p *frame.Points, grain float64) (*frame.Frame, error) {
	if len(p.P) == 0 {
		return &frame.Frame{Grids: []*frame.Grid{frame.FromDense(frame.Density, [3]int{}, [3]int{8, 8, 8}, [][]float32{make([]float32, 512)}, 0, 0, nil)}}, nil
	}
	// Bounds first: the lattice is as large as the points need and no larger.
	lo, hi := [3]int{math.MaxInt, math.MaxInt, math.MaxInt}, [3]int{math.MinInt, math.MinInt, math.MinInt}
	for n, x := range p.P {
		for a := range 3 {
			v := float64(x[a]) / grain
			if math.IsNaN(v) || math.Abs(v) > 1e8 {
				return nil, fmt.Errorf("point %d lies at %g %g %g", n, x[0], x[1], x[2])
			}
			lo[a], hi[a] = min(lo[a], int(math.Floor(v))), max(hi[a], int(math.Floor(v))+1)
		}
	}
	n := [3]int{hi[0] - lo[0] + 1, hi[1] - lo[1] + 1, hi[2] - lo[2] + 1}
	if float64(n[0])*float64(n[1])*float64(n[2]) > maxRaster {
		return nil, fmt.Errorf("its points reach over %d × %d × %d voxels of %.3g; let them fill larger ones", n[0], n[1], n[2], grain)
	}
	total := n[0] * n[1] * n[2]
	share := make([]float32, total)
	var v [3][]float32
	for a := range v {
		if p.V != nil {
			v[a] = make([]float32, total)
		}
	}
	for i, x := range p.P {
		var at [3]int
		var f [3]float32
		for a := range 3 {
			g := float64(x[a])/grain - float64(lo[a])
			// The upper neighbour must exist; with the bounds above only rounding
			// asks for the min.
			at[a] = min(int(g), n[a]-2)
			f[a] = float32(g - float64(at[a]))
		}
		// trilinear shares, which add up to one a point
		for c := range 8 {
			w := float32(1)
			k := 0
			for a := 2; a >= 0; a-- {
				bit := c >> a & 1
				k = k*n[a] + at[a] + bit
				if bit == 1 {
					w *= f[a]
				} else {
					w *= 1 - f[a]
				}
			}
			share[k] += w
			if p.V != nil {
				for a := range 3 {
					v[a][k] += w * p.V[i][a]
				}
			}
		}
	}
	// Velocity is the mean of those who share in the voxel, weighted by their
	// shares.
	for k, w := range share {
		if w > 0 && p.V != nil {
			for a := range 3 {
				v[a][k] /= w
			}
		}
		share[k] = min(w, 1)
	}
	out := &frame.Frame{}
	add := func(name string, comps ...[]float32) {
		g := frame.FromDense(name, lo, n, comps, 0, 0, nil)
		g.Transform = frame.Uniform(grain, [3]float64{})
		out.Grids = append(out.Grids, g)
	}
	add(frame.Density, share)
	if p.V != nil {
		add(frame.Velocity, v[0], v[1], v[2])
	}
	return out, nil
}
