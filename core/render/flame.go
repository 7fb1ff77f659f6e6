package render

// What glows, and how much: from channels through the look's tables to light a
// metre. The same function serves voxels (worked out once, softened) and places
// (bands, which stay sharp only if they are cut after interpolation).

import (
	"fmt"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// Beside is another domain's fluid, and where its grid lies.
// Its grid need not match: each volume is marched in its own.
type Beside struct {
	*Channels
	Name   string
	Origin geom.Vec3
	H      float64
}

// Channels are what a frame holds, on one grid. Temperature is in kelvin over
// the air's.
type Channels struct {
	Liquid *Liquid   // of a domain that holds one: nothing else is then read but velocity
	Motes  *Motes    // of a domain that holds particles: nothing else is then read
	Cloth  []*Draped // of a domain that holds cloth
	Beside []Beside  // other domains of the shot that are in the picture too

	Density, Temperature, Burn, Fuel, Speed *grid.Field
	Air                                     float64 // K
	Burns                                   bool

	Velocity [3]*grid.Field // m/s, on its own grid; nil: none
	VelH     float64
	VelLow   geom.Vec3
	Shutter  float64 // s

	kept *kept // the last volume made of them; nil: none is kept
}

// named finds a channel, and what its values are over.
// over is what must be added to the values to get those that the sheet speaks of.
func (c *Channels) named(name string) (f *grid.Field, over float64) {
	switch name {
	case "density":
		return c.Density, 0
	case "temperature":
		return c.Temperature, c.Air
	case "burn":
		return c.Burn, 0
	case "fuel":
		return c.Fuel, 0
	case "speed":
		return c.Speed, 0
	}
	return nil, 0
}

// shift is a table over values that are counted from another zero.
// Cheaper than shifting every voxel.
func shift(t *look.Table, by float64) *look.Table {
	if by == 0 {
		return t
	}
	out := *t
	out.Low, out.High = t.Low-by, t.High-by
	return &out
}

// Missing is a channel that a look wants and a take lacks.
// It is told in the words of the page, with what to do.
type Missing struct{ Use, Channel string }

func (m *Missing) Error() string {
	return fmt.Sprintf("the look draws its %s from %s, which this take does not hold: keep %s in the domain's cache and run again, or choose another channel", m.Use, m.Channel, m.Channel)
}

// Dress shades a volume: what smoke and tint are drawn from, what glows, and
// how it moves. notes tell of values that had to be left out.
//
// It is run again for each change of the look that touches what smoke is drawn from,
// so it must not change the channels but for cleaning them.
func (v *Volume) Dress(c *Channels, l *look.Look, crew grid.Crew) (notes []string, err error) {
	for _, f := range []struct {
		name  string
		field *grid.Field
		least float32
	}{{"temperature", c.Temperature, -1e30}, {"burning", c.Burn, 0}, {"fuel", c.Fuel, 0}, {"speed", c.Speed, 0}} {
		if f.field == nil {
			continue
		}
		if bad := clean(f.field, f.least, crew); bad > 0 {
			notes = append(notes, fmt.Sprintf("%d voxels of %s are negative or not finite and count as none", bad, f.name))
		}
	}
	fresh := false
	// The look may draw smoke, tint and flame from any channel; those that a take
	// doesn't hold are named instead of left out in silence.
	// With a curve smoke is drawn from any channel, and density is that curve's
	// value.
	if l.Opacity != nil {
		f, over := c.named(l.SmokeFrom)
		if f == nil {
			return notes, &Missing{"smoke", l.SmokeFrom}
		}
		v.Density, v.opacity, fresh = f, shift(l.Opacity, over), true
	}
	if l.Tint != nil {
		f, over := c.named(l.TintFrom)
		if f == nil {
			return notes, &Missing{"tint", l.TintFrom}
		}
		v.tintBy, v.tint = f, shift(l.Tint, over)
	}
	if c.Velocity[0] != nil { // without a shutter it is for the motion layer alone
		for _, f := range c.Velocity {
			clean(f, -1e30, crew)
		}
		v.moves, fresh = &drift{c.Velocity, c.VelH, c.VelLow, c.Shutter}, true
	}
	if l.Smooth {
		v.spline, fresh = newSpline(v.Density, crew), true
	}
	// Majorants bound the density over each tile, and must follow whatever it is
	// drawn from.
	if fresh {
		v.majorants(crew)
	}
	return notes, v.ignite(c, l, crew)
}

// flame works out what glows from channels.
type flame struct {
	l                          *look.Look
	density, burn, heat, drive *grid.Field
	air, over, soot            float64
	opacity                    *look.Table
}

// glow is the light that a metre gives, from the values at a place.
//
// Values are those at a place, after interpolation: bands are cut from smooth
// channels and stay sharp at any resolution.
func (f *flame) glow(density, burn, heat, drive float64) look.RGB {
	l := f.l
	// k is emission per metre relative to a black body: soot by density (Kirchhoff:
	// what absorbs, emits), flame by burn
	k := 0.0
	if l.FlameAnywhere {
		k = l.FlameThickness * f.curve(drive)
	} else {
		k = f.soot * density
		if burn > 0 {
			// burn is 0 to 1 by the solver; files from outside bring other numbers.
			k += l.FlameThickness * min(burn, 4)
		}
	}
	// Also for NaN.
	if !(k > 1e-6) {
		return look.RGB{}
	}
	var out look.RGB
	// the black body's own colour, unless the ramp alone is wanted
	if l.FlameMix < 1 && f.heat != nil {
		t := (heat + f.air) * l.FlameScale
		// flat tones: temperature in steps, each with a soft edge
		if l.FlameBands > 0 {
			// The same range as the ramp's, so that tones and colours change at the
			// same places.
			u := (t - l.FlameRamp.Low) / max(l.FlameRamp.High-l.FlameRamp.Low, 1e-9)
			if u <= 0 {
				t = 0
			} else {
				t = l.FlameRamp.Low + look.Step(u, l.FlameBands, l.FlameSoft)*(l.FlameRamp.High-l.FlameRamp.Low)
			}
		}
		out = look.Glow(t).Scale((1 - l.FlameMix) * k)
	}
	if l.FlameMix > 0 {
		if !l.FlameAnywhere {
			k *= f.curve(drive)
		}
		out = out.Add(l.FlameRamp.At(drive + f.over).Scale(l.FlameMix * k))
	}
	for c := range out {
		// T⁴ overflows what a picture can hold at a keyed absurdity
		out[c] = min(out[c], 1e6)
	}
	return out
}

func (f *flame) curve(drive float64) float64 { return f.l.FlameCurve.At(drive + f.over)[0] }

// values reads the channels at an index.
// Fields that a take lacks count as 0; those that matter were asked for by name.
func (f *flame) values(n int) (density, burn, heat, drive float64) {
	read := func(g *grid.Field) float64 {
		if g == nil {
			return 0
		}
		return float64(g.Data[n])
	}
	density = read(f.density)
	if f.opacity != nil {
		density = float64(f.opacity.One(float32(density)))
	}
	return density, read(f.burn), read(f.heat), read(f.drive)
}

// at reads them at a place in voxels.
func (f *flame) at(x, y, z float32) look.RGB {
	read := func(g *grid.Field) float64 {
		if g == nil {
			return 0
		}
		return float64(g.Sample(x-0.5, y-0.5, z-0.5))
	}
	density := read(f.density)
	if f.opacity != nil {
		density = float64(f.opacity.One(float32(density)))
	}
	return f.glow(density, read(f.burn), read(f.heat), read(f.drive))
}

// Ignite makes a volume glow: burning gas and hot smoke, by black-body colour.
// heat is in kelvin over the air's temperature air; burn may be nil. All have
// the volume's grid.
func (v *Volume) Ignite(burn, heat *grid.Field, air float64, l *look.Look, crew grid.Crew) {
	c := &Channels{Density: v.Density, Temperature: heat, Burn: burn, Air: air, Burns: true}
	// No channel can be missing: the three that it has are all that is used.
	_ = v.ignite(c, l, crew)
}

// ignite works out what each voxel gives off, softens it unless it is to be
// sharp, and builds what light is drawn from (lightTiles).
// An error names a channel that the look draws flame by and the take doesn't hold.
func (v *Volume) ignite(c *Channels, l *look.Look, crew grid.Crew) error {
	if !l.Lit() || (!l.FlameAnywhere && (!c.Burns || c.Temperature == nil)) {
		return nil
	}
	f := &flame{l: l, density: v.Density, opacity: v.opacity, burn: c.Burn, heat: c.Temperature, air: c.Air}
	// By the mean extinction over colours: grey soot.
	f.soot = l.FlameSoot * (l.Extinction[0] + l.Extinction[1] + l.Extinction[2]) / 3
	if l.FlameAnywhere || l.FlameMix > 0 {
		if f.drive, f.over = c.named(l.FlameBy); f.drive == nil {
			return &Missing{"flame", l.FlameBy}
		}
	}
	if !l.FlameAnywhere && l.FlameMix == 0 {
		if (hottest(c.Temperature, crew)+c.Air)*l.FlameScale < 500 {
			return nil
		}
	}
	d := v.Density.Dims
	for c := range v.Glow {
		v.Glow[c] = grid.NewField(d)
	}
	v.shineBy(f, c, crew)
	if l.FlameBands > 0 {
		v.sharp = f
	} else if v.hot[1] != ([3]int{}) {
		// light grows so steeply with temperature that single voxels would stand out; less so
		// where pictures are read smoothly, which read flame more finely
		beside := float32(0.25)
		if l.Smooth {
			beside = 0.18
		}
		for c := range v.Glow {
			v.softenHot(v.Glow[c], beside, crew)
		}
	}
	v.lightTiles(crew)
	v.measure()
	at := func(p [3]int, by float64) geom.Vec3 {
		return v.Origin.Add(geom.V(float64(p[0])+by, float64(p[1])+by, float64(p[2])+by).Mul(v.H))
	}
	// softened light fills all of them, and is read from up to a voxel beyond
	if v.flames = (geom.Box{Min: at(v.hot[0], -1), Max: at(v.hot[1], 1)}); v.moves != nil && v.moves.shutter > 0 {
		v.flames = v.tight
	}
	return nil
}

// hottest is the largest value of a field.
func hottest(f *grid.Field, crew grid.Crew) float64 {
	planes := make([]float32, f.NZ)
	crew.For(f.NZ, 4, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			planes[k], _ = vec.Largest(f.Data[f.Index(0, 0, k):][:f.NX*f.NY])
		}
	})
	return float64(slices.Max(planes))
}

// shineBy works out what each voxel gives off, and where it lies.
func (v *Volume) shineBy(f *flame, c *Channels, crew grid.Crew) {
	d := v.Density.Dims
	// below 500 K nothing is visible: most voxels of a fire's box are skipped here
	cold, visible := !f.l.FlameAnywhere && f.l.FlameMix == 0, 475/f.l.FlameScale
	below := float32(visible - c.Air - 0.01)             // for certain
	lo, hi := make([][3]int, d.NZ), make([][3]int, d.NZ) // of what glows, by plane
	crew.For(d.NZ, 2, func(k0, k1 int) {
		for n := d.Index(0, 0, k0); n < d.Index(0, 0, k1); n++ {
			if cold && (c.Temperature.Data[n] < below || float64(c.Temperature.Data[n])+c.Air < visible) {
				continue
			}
			g := f.glow(f.values(n))
			if g == (look.RGB{}) {
				continue
			}
			at := [3]int{n % d.NX, n / d.NX % d.NY, n / (d.NX * d.NY)}
			k := at[2]
			if hi[k] == ([3]int{}) {
				lo[k] = at
			}
			for a := range at {
				lo[k][a], hi[k][a] = min(lo[k][a], at[a]), max(hi[k][a], at[a]+1)
			}
			for c := range 3 {
				v.Glow[c].Data[n] = float32(g[c])
			}
		}
	})
	v.hot = [2][3]int{{d.NX, d.NY, d.NZ}, {}}
	for k := range lo {
		if hi[k] == ([3]int{}) {
			continue
		}
		for a, n := range [3]int{d.NX, d.NY, d.NZ} { // and a voxel round
			v.hot[0][a], v.hot[1][a] = max(min(v.hot[0][a], lo[k][a]-1), 0), min(max(v.hot[1][a], hi[k][a]+1), n)
		}
	}
}

// softenHot softens a field where something glows, by so much of either neighbour.
func (v *Volume) softenHot(f *grid.Field, beside float32, crew grid.Crew) {
	soft := grid.SoftenBy(crop(f, v.hot[0], v.hot[1]), beside, crew)
	for k := range soft.NZ {
		for j := range soft.NY {
			copy(f.Row(v.hot[0][1]+j, v.hot[0][2]+k)[v.hot[0][0]:], soft.Row(j, k))
		}
	}
}
