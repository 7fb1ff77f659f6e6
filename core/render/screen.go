package render

// Frames lit for a browser: what a page's viewport needs to draw smoke and liquid in the
// light, and with the film, that a picture has.

import (
	"cmp"
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// Screen is what a page shows of a frame: its parts, whose bytes follow each other, and the
// light that they are in.
type Screen struct {
	Light Daylight  `json:"light"`
	Parts []Texture `json:"parts"`
	Notes []string  `json:"notes,omitempty"`
}

// Daylight is what a viewport knows of a look, and with which a page draws what the server
// didn't light. Light is linear, of sRGB's primaries.
type Daylight struct {
	Sun        look.RGB   `json:"sun"`    // irradiance on what faces it
	SunDir     [3]float64 `json:"sunDir"` // towards it
	Zenith     look.RGB   `json:"zenith"`
	Horizon    look.RGB   `json:"horizon"`
	Below      look.RGB   `json:"below"`
	Open       look.RGB   `json:"open"`   // of the sky on open ground, over π
	Around     look.RGB   `json:"around"` // of all directions, the mean
	Ground     bool       `json:"ground"`
	GroundTint look.RGB   `json:"groundTint"`
	Backdrop   bool       `json:"backdrop"` // the picture shows the sky
	Extinction look.RGB   `json:"extinction"`
	Albedo     look.RGB   `json:"albedo"`
	Lobes      [3]float64 `json:"lobes"` // directness of both, share of the second
	Flame      float64    `json:"flame"`
	Spots      []Spot     `json:"spots,omitempty"` // fire and lamps, for what is solid
	Liquid     Wet        `json:"liquid"`
	Film       Stock      `json:"film"`
}

// Spot is light from about a place: irradiance times distance squared.
type Spot struct {
	At    [3]float64 `json:"at"`
	Light look.RGB   `json:"light"`
}

// mostSpots is how many a viewport has.
const mostSpots = 6

// spots are the brightest lights that aren't far away.
func (s *Scene) spots() (out []Spot) {
	for i := range s.Lamps {
		l := &s.Lamps[i]
		k := math.Pi * l.Radius * l.Radius
		if !l.Ball {
			k = l.area() / 2 // seen aslant
		}
		out = append(out, Spot{l.Centre.Array(), l.Radiance.Scale(k)})
	}
	for _, v := range s.Volumes {
		if s.Look.FlameLight <= 0 || len(v.fires) == 0 {
			continue
		}
		for _, f := range gatherFires(slices.Clone(v.fires), mostSpots) {
			out = append(out, Spot{f.at.Array(), f.power.Scale(s.Look.FlameLight * s.escapes(f.at))})
		}
	}
	slices.SortStableFunc(out, func(a, b Spot) int { return cmp.Compare(b.Light.Max(), a.Light.Max()) })
	return out[:min(len(out), mostSpots)]
}

// escapes is how much of the light from a place gets out of smoke, the mean over all sides.
func (s *Scene) escapes(p geom.Vec3) (mean float64) {
	e := s.Look.Extinction
	for n := range ways {
		k := float64(ways[n].share)
		for i := range s.mist {
			h := &s.mist[i]
			k *= h.between(p, p.Add(ways[n].unit().Mul(h.v.tight.Size().Len())), (e[0]+e[1]+e[2])/3)
		}
		mean += k
	}
	return mean
}

// Wet is how a viewport draws a liquid's skin.
type Wet struct {
	Opaque bool     `json:"opaque"`
	Index  float64  `json:"index"`
	Colour look.RGB `json:"colour"`
	Absorb look.RGB `json:"absorb"` // 1/m
	Rough  float64  `json:"rough"`
	Glow   float64  `json:"glow"`
}

// Stock is what becomes of light on a viewport's film.
type Stock struct {
	Gain       look.RGB `json:"gain"` // exposure included
	Saturation float64  `json:"saturation"`
	Plain      bool     `json:"plain"`
	Gamma      float64  `json:"gamma"`
	Lift       float64  `json:"lift"`
	Steps      int      `json:"steps"`
	Soft       float64  `json:"soft"`
}

// Daylight is that of the scene.
func (s *Scene) Daylight() Daylight {
	s.prepare()
	l := &s.Look
	up, side := s.sky(geom.V(0, 1, 0)), s.sky(geom.V(1, 0, 0))
	if s.Env != nil { // a picture has no horizon of one colour
		side = look.RGB{}
		for n := range 16 {
			a := 2 * math.Pi * float64(n) / 16
			side = side.Add(s.sky(geom.V(math.Cos(a), 0.1, math.Sin(a))).Scale(1.0 / 16))
		}
	}
	_, around := s.around()
	d := Daylight{Sun: l.Sun, SunDir: l.SunDir.Array(), Zenith: up, Horizon: side, Below: s.sky(geom.V(0, -1, 0)), Around: around,
		Ground: l.Ground && !l.Catcher, GroundTint: l.GroundColour, Backdrop: l.Background == "sky", Extinction: l.Extinction,
		Lobes: [3]float64{l.Lobes.G, l.Lobes.Back, l.Lobes.Share}, Flame: l.Flame}
	d.Spots = s.spots()
	d.Open = l.SkyMean()
	switch {
	case l.Even || l.Sky.Max() <= 0:
		d.Open = l.Sky
	case s.Env != nil:
		d.Open = s.skyMean()
	}
	for c, e := range l.Extinction {
		if e > 0 {
			d.Albedo[c] = l.Scattering[c] / e
		}
	}
	w, f := &l.Liquid, &l.Film
	d.Liquid = Wet{w.Opaque, w.Index, w.Colour, w.Absorb, w.Rough, w.Glow}
	d.Film = Stock{Gain: f.Gain.Scale(math.Exp2(f.Exposure)), Saturation: f.Saturation, Plain: f.Plain, Gamma: f.Gamma, Lift: f.Lift, Steps: f.Steps, Soft: f.StepsSoft}
	return d
}

// Screen lights the scene's volumes, one part each, as the quick march does, and packs
// them, after what data holds. Each has, one after another, planes of three bytes for all
// its voxels, so that they are one texture: density and what is left of the sun's light;
// light that is scattered to the eye beside that, with the smoke's albedo; where it glows
// the light of that; and where it is tinted the tint.
//
// What is scattered is that seen from the shot's camera. From elsewhere it is a little off,
// but for the sun's light as it comes, the most directed, which a page works out itself.
func (s *Scene) Screen(data []byte, crew grid.Crew) (Screen, []byte) {
	s.prepare()
	lit := *s
	lit.Look.Smooth = true // of few voxels, so that as fine as these
	all := lit.hazes(crew)
	lit.mist = all
	out := Screen{Light: lit.Daylight(), Notes: s.Notes}
	e := s.Look.Extinction
	mean := (e[0] + e[1] + e[2]) / 3
	thrown := newShadows(mean, crew)
	for _, v := range s.Volumes {
		l := newLight(v, &lit, all, thrown, mean, crew)
		t := textureOf(v.Density, v.H, v.Origin, 0, v.Glow[0] != nil)
		t.At, t.Hottest = len(data), 0
		p := packing{v, l, &lit, &t, crew}
		data = p.tint(p.glow(p.rest(p.smoke(data))))
		out.Parts = append(out.Parts, t)
	}
	return out, data
}

// packing makes the planes of a part.
type packing struct {
	v    *Volume
	l    *lightGrid
	s    *Scene
	t    *Texture
	crew grid.Crew
}

// plane adds room for three bytes a voxel, and fills it.
func (p *packing) plane(data []byte, fill func(to []byte, n int)) []byte {
	const each = 3
	size := p.v.Density.Len()
	data = append(data, make([]byte, each*size)...)
	to := data[len(data)-each*size:]
	p.crew.For(size, 1<<11, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			fill(to[each*n:each*n+each], n)
		}
	})
	return data
}

// smoke is density by its root, and what is left of the sun's light, of all colours.
func (p *packing) smoke(data []byte) []byte {
	f := p.v.mapped(p.crew)
	_, top, _ := f.Range()
	p.t.Top = float64(top)
	inv := 1 / max(top, 1e-30)
	e := p.s.Look.Extinction
	deep := e[0] != e[1] || e[1] != e[2]
	return p.plane(data, func(to []byte, n int) {
		sun := p.l.sun.Data[n]
		if deep { // coloured: it holds depth
			sun = fade(sun)
		}
		to[0], to[1] = byteOf(root(f.Data[n]*inv)), byteOf(sun)
	})
}

// rest is the light that comes by way of other smoke, of sky, fire and lamps.
func (p *packing) rest(data []byte) []byte {
	l, v := p.l, p.v
	var f [3]*grid.Field
	var most float32
	for c := range f {
		m := c
		if l.many[1] == nil {
			m = 0
		}
		albedo := p.albedo()[c]
		sum := grid.NewField(l.many[0].Dims)
		for n := range sum.Data {
			x := float64(l.many[m].Data[n])*p.s.Look.Sun[c] + float64(l.sky[m].Data[n])*l.around[c]
			if l.fire[c] != nil {
				x += float64(l.fire[c].Data[n])
			}
			sum.Data[n] = float32(x * albedo)
			most = max(most, sum.Data[n])
		}
		f[c] = finer(sum, v.Density.Dims, 1/l.coarse, p.crew)
	}
	p.t.Rest = float64(most)
	inv := 1 / max(most, 1e-30)
	return p.plane(data, func(to []byte, n int) {
		for c := range to {
			x := f[c].Data[n]
			if v.tint != nil {
				x *= float32(v.tint.At(float64(v.tintBy.Data[n]))[c])
			}
			to[c] = byteOf(root(x * inv))
		}
	})
}

func (p *packing) albedo() (a look.RGB) {
	for c, e := range p.s.Look.Extinction {
		if e > 0 {
			a[c] = p.s.Look.Scattering[c] / e
		}
	}
	return a
}

// glow is the light of what burns.
func (p *packing) glow(data []byte) []byte {
	g := p.v.Glow
	if g[0] == nil {
		return data
	}
	var most float32
	for c := range g {
		_, top, _ := g[c].Range()
		most = max(most, top)
	}
	p.t.Glow = float64(most) * p.s.Look.Flame
	inv := 1 / max(most, 1e-30)
	return p.plane(data, func(to []byte, n int) {
		for c := range to {
			to[c] = byteOf(float32(math.Cbrt(float64(max(g[c].Data[n]*inv, 0)))))
		}
	})
}

// tint is what colours smoke.
func (p *packing) tint(data []byte) []byte {
	v := p.v
	if p.t.Tinted = v.tint != nil; !p.t.Tinted {
		return data
	}
	return p.plane(data, func(to []byte, n int) {
		for c, x := range v.tint.At(float64(v.tintBy.Data[n])) {
			to[c] = byteOf(float32(x))
		}
	})
}

func root(x float32) float32 { return float32(math.Sqrt(float64(max(x, 0)))) }

// byteOf is a share as one of 256.
func byteOf(x float32) byte { return byte(255*min(max(x, 0), 1) + 0.5) }
