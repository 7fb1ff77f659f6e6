package look

import (
	"math"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// RGB is linear light.
type RGB [3]float64

// Mul multiplies channel by channel.
func (a RGB) Mul(b RGB) RGB { return RGB{a[0] * b[0], a[1] * b[1], a[2] * b[2]} }

// Scale multiplies all channels.
func (a RGB) Scale(s float64) RGB { return RGB{a[0] * s, a[1] * s, a[2] * s} }

// Add adds channel by channel.
func (a RGB) Add(b RGB) RGB { return RGB{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

// Max is the brightest channel.
func (a RGB) Max() float64 { return max(a[0], a[1], a[2]) }

// Look is what the renderer reads.
type Look struct {
	Extinction RGB // 1/m for density 1
	Scattering RGB // 1/m for density 1
	Lobes      Lobes
	Bounces    int

	SmokeFrom string // channel drawn as smoke: density, temperature, burn, fuel, speed
	Opacity   *Table // from the channel to density; nil: as it is
	TintFrom  string // channel that tints smoke; empty: none
	Tint      *Table

	Flame          float64 // brightness of fire to the camera
	FlameLight     float64 // of the light that it casts
	FlameThickness float64 // 1/m for burn 1
	FlameSoot      float64 // share of the smoke's extinction that glows
	FlameScale     float64 // times the temperature
	FlameMix       float64 // 0: black body, 1: ramp
	FlameBy        string  // channel over which ramp and curve run
	FlameRamp      *Table
	FlameCurve     *Table
	FlameAnywhere  bool // the curve alone says what glows
	FlameBands     int
	FlameSoft      float64

	Sun    RGB       // irradiance on a surface that faces the sun
	SunDir geom.Vec3 // towards the sun
	Sky    RGB       // radiance overhead

	SkyPicture string
	SkyTurn    float64 // degrees

	Even bool // the sky has the same radiance all round, for tests of energy

	Ground       bool
	Catcher      bool // the ground is seen by its shadows alone
	GroundColour RGB
	Background   string
	Plate        string
	PlateFirst   int

	Liquid Liquid

	// Of particles: share of light that they throw back, how bright hot ones are, and times
	// their diameter that they are drawn with.
	MoteColour           RGB
	MoteGlow, MoteSize   float64
	MoteBy               string // the number of particles that colours them; empty: none
	MoteTint             *Table // by that, times MoteColour
	MoteGlows, MoteSizes *Table // over the share of their life that they have lived

	Film          Film
	Width, Height int
	File          string
	Over          bool // PNGs are premultiplied
	Layers        bool
	Packed        bool

	Method       string
	Samples      int
	Noise        float64
	Denoise      float64
	Step         float64 // voxels
	Smooth       bool    // smoke is read by splines through the voxels, and the sun's light as fine as these
	SmoothAlways bool    // and not in finals alone
}

// Liquid is how liquids look.
type Liquid struct {
	Opaque bool
	Index  float64 // of refraction
	Colour RGB     // of what is opaque, and of its glow
	Absorb RGB     // 1/m, of what is clear
	Rough  float64
	Glow   float64 // light of what is opaque, in its colour, or at glowsAt
	ByHeat bool    // it glows by its heat
	Second RGB     // as Colour, of a second liquid
	Soak   RGB     // as Absorb, of a second liquid
}

// Film is what becomes of light in a picture.
type Film struct {
	Exposure   float64 // stops
	Plain      bool    // cut off at white; else bent and bleached
	Lift       float64
	Gamma      float64
	Gain       RGB
	Saturation float64
	Bloom      float64
	BloomSize  float64 // share of the width
	Steps      int     // of light; 0: smooth
	StepsSoft  float64
}

// Lobes is a phase function of two Henyey–Greenstein lobes.
type Lobes struct {
	G, Back float64
	Share   float64 // of the second
}

// At is the phase function for a cosine; it integrates to 1 over the sphere.
func (l Lobes) At(cos float64) float64 {
	if l.Share <= 0 {
		return HenyeyGreenstein(l.G, cos)
	}
	return (1-l.Share)*HenyeyGreenstein(l.G, cos) + l.Share*HenyeyGreenstein(l.Back, cos)
}

// Flat takes directness off both lobes, by a share.
func (l Lobes) Flat(by float64) Lobes { return Lobes{l.G * by, l.Back * by, l.Share} }

// After are the lobes of light that was scattered n + 1 times in a medium without end:
// directness multiplies, lobe by lobe (as their Legendre coefficients gⁿ do).
func (l Lobes) After(n int) Lobes {
	return Lobes{math.Pow(math.Abs(l.G), float64(n)) * l.G, math.Pow(math.Abs(l.Back), float64(n)) * l.Back, l.Share}
}

// At reads a look's values as they are at a frame.
// It is cheap next to a picture, but makes tables of 1,025 entries: once a frame,
// not once a ray.
func At(l *shot.Element, frame float64) Look {
	now := val.Frame(frame)
	n := func(k val.NumKey) float64 { return k.At(l, now) }
	c := func(k val.VecKey) RGB { return RGB(k.At(l, now)) }
	word := func(k val.TextKey) string { return k.Of(l) }
	ext := n(val.Extinction)
	var out Look
	absorb, colour := c(val.Absorption), c(val.Colour)
	for i := range 3 {
		out.Extinction[i] = ext * (2 - absorb[i])
		out.Scattering[i] = ext * colour[i]
	}
	elevation, bearing := n(val.SunHeight)*math.Pi/180, n(val.SunBearing)*math.Pi/180
	out.SunDir = geom.V(math.Sin(bearing)*math.Cos(elevation), math.Sin(elevation), -math.Cos(bearing)*math.Cos(elevation))
	out.Lobes, out.Bounces = Lobes{n(val.Phase), n(val.PhaseBack), n(val.PhaseShare)}, int(n(val.Bounces))

	bands, soft, of := int(n(val.Bands)), n(val.BandsSoft), word(val.BandsOf)
	out.SmokeFrom = word(val.SmokeFrom)
	if out.SmokeFrom == "density" {
		if bands > 0 && of != "flame" {
			out.Opacity = NewTable(shot.Curve, shot.Text("0 0; 1 1"), 0, 1).Band(bands, soft)
		}
	} else {
		out.Opacity = NewTable(shot.Curve, val.SmokeCurve.Value(l), n(val.SmokeLow), n(val.SmokeHigh))
		if of != "flame" {
			out.Opacity = out.Opacity.Band(bands, soft)
		}
		if out.SmokeFrom == "curve" {
			out.SmokeFrom = "density"
		}
	}
	if by := word(val.ColourFrom); by != "none" {
		out.TintFrom, out.Tint = by, NewTable(shot.Ramp, val.ColourRamp.Value(l), n(val.ColourLow), n(val.ColourHigh))
		if of != "flame" {
			out.Tint = out.Tint.Band(bands, soft)
		}
	}
	out.Flame, out.FlameLight, out.FlameThickness = n(val.Flame), n(val.FlameLight), n(val.FlameThickness)
	out.FlameSoot, out.FlameScale, out.FlameMix = n(val.FlameSoot), n(val.FlameScale), n(val.FlameMix)
	out.FlameBy, out.FlameAnywhere = word(val.FlameBy), word(val.FlameWhere) == "curve"
	if of != "smoke" {
		out.FlameBands, out.FlameSoft = bands, soft
	}
	out.FlameRamp = NewTable(shot.Ramp, val.FlameRamp.Value(l), n(val.FlameLow), n(val.FlameHigh)).Band(out.FlameBands, soft)
	out.FlameCurve = NewTable(shot.Curve, val.FlameCurve.Value(l), n(val.FlameLow), n(val.FlameHigh)).Band(out.FlameBands, soft)

	out.MoteColour, out.MoteGlow, out.MoteSize = c(val.MoteColour), n(val.MoteGlow), n(val.MoteSize)
	if out.MoteBy = val.MoteBy.Of(l); out.MoteBy != "" {
		out.MoteTint = NewTable(shot.Ramp, val.MoteRamp.Value(l), n(val.MoteLow), n(val.MoteHigh))
	}
	out.MoteGlows = NewTable(shot.Curve, val.MoteGlowCurve.Value(l), 0, 1)
	out.MoteSizes = NewTable(shot.Curve, val.MoteSizeCurve.Value(l), 0, 1)
	out.Liquid = Liquid{Opaque: word(val.LiquidAs) == "opaque", Index: n(val.LiquidIndex), Colour: c(val.LiquidColour), Rough: n(val.LiquidRough), Glow: n(val.LiquidGlow), ByHeat: word(val.LiquidGlowBy) == "heat", Second: c(val.LiquidSecond)}
	for i, v := range out.Liquid.Colour {
		out.Liquid.Absorb[i] = -math.Log(max(v, 1e-4)) / n(val.LiquidDepth)
		out.Liquid.Soak[i] = -math.Log(max(out.Liquid.Second[i], 1e-4)) / n(val.LiquidDepth)
	}
	out.Sun = c(val.SunColour).Scale(n(val.SunStrength))
	out.Sky = c(val.SkyColour).Scale(n(val.SkyStrength))
	out.SkyPicture, out.SkyTurn = word(val.SkyPicture), n(val.SkyTurn)
	out.Ground, out.Catcher, out.GroundColour = val.Ground.Of(l), word(val.GroundAs) == "catcher", c(val.GroundColour)
	out.Background, out.Plate, out.PlateFirst = word(val.Background), word(val.Plate), int(n(val.PlateFirst))
	out.Film = Film{Exposure: n(val.Exposure), Plain: word(val.View) == "plain", Lift: n(val.Lift), Gamma: n(val.Gamma), Gain: c(val.Gain), Saturation: n(val.Saturation), Bloom: n(val.Bloom), BloomSize: n(val.BloomSize), Steps: int(n(val.LightBands)), StepsSoft: soft}
	out.Width, out.Height = int(n(val.Width)), int(n(val.Height))
	out.File, out.Over, out.Layers, out.Packed = word(val.File), word(val.Alpha) == "over", val.Layers.Of(l), word(val.Packed) == "zip"
	out.Method, out.Samples, out.Step = word(val.Method), int(n(val.Samples)), n(val.Step)
	out.Smooth, out.SmoothAlways = word(val.Between) != "lines", word(val.Between) == "always"
	out.Noise, out.Denoise = n(val.Noise), n(val.Denoise)
	return out
}

// Channels are the channels that the look reads beside density.
// What is listed here is what a cache must hold; a look that wants more than a take
// kept is told by name (render.Missing).
func (l *Look) Channels(burns bool) []string {
	need := map[string]bool{l.SmokeFrom: true, l.TintFrom: true}
	if burns && l.Lit() && !l.FlameAnywhere {
		need["burn"], need["temperature"] = true, true
	}
	if l.Lit() && (l.FlameAnywhere || (burns && l.FlameMix > 0)) {
		need[l.FlameBy] = true
		if l.FlameMix < 1 {
			need["temperature"] = true
		}
	}
	var out []string
	for _, k := range []string{"temperature", "burn", "fuel", "speed"} {
		if need[k] {
			out = append(out, k)
		}
	}
	return out
}

// Lit reports whether the look lets anything glow.
func (l *Look) Lit() bool { return l.Flame > 0 || l.FlameLight > 0 }

// SkyLight is the sky's radiance in a direction: its colour overhead, paler
// and brighter towards the horizon, dim below.
// It isn't a model of the atmosphere: it is a light that lets smoke be judged, pale
// at the horizon so that edges stand out.
func (l *Look) SkyLight(d geom.Vec3) RGB {
	if l.Even {
		return l.Sky
	}
	if d.Y < 0 {
		// dim light from below, as from a dull ground out of sight
		return l.Sky.Scale(0.25)
	}
	t := 1 - d.Y
	t = t * t * t
	grey := (l.Sky[0] + l.Sky[1] + l.Sky[2]) / 3
	pale := RGB{grey, grey, grey}.Scale(1.25)
	return l.Sky.Scale(1 - t).Add(pale.Scale(t))
}

// Grey reports that smoke takes and scatters all colours alike.
func (l *Look) Grey() bool {
	e, s := l.Extinction, l.Scattering
	return e[0] == e[1] && e[1] == e[2] && s[0] == s[1] && s[1] == s[2]
}

// SkyMean is the sky's radiance averaged over the upper half: the integral of
// SkyLight, ∫(1−y)³ dy = ¼.
func (l *Look) SkyMean() RGB {
	grey := (l.Sky[0] + l.Sky[1] + l.Sky[2]) / 3 * 1.25
	return l.Sky.Scale(0.75).Add(RGB{grey, grey, grey}.Scale(0.25))
}

// HenyeyGreenstein is the phase function for the cosine between the light's
// direction of travel and the way to the eye's… both pointing along the path;
// it integrates to 1 over the sphere.
func HenyeyGreenstein(g, cos float64) float64 {
	d := 1 + g*g - 2*g*cos
	return (1 - g*g) / (4 * math.Pi * d * math.Sqrt(d))
}

// shoulder is where View begins to bend.
const shoulder = 0.8

// View is the view transform: straight to 0.8, then bent so that 1 is reached
// only by infinite light, with the same slope at the joint.
func View(v float64) float64 {
	if v <= shoulder {
		return v
	}
	return 1 - (1-shoulder)*math.Exp(-(v-shoulder)/(1-shoulder))
}

// Tone is the view transform of a colour: what is too bright to show bleaches
// towards white, as film and eyes have it, before every channel is bent.
// Bleaching is by the brightest channel, so that a saturated flame turns white in
// its core and keeps its colour at the rim.
func Tone(c RGB) RGB {
	top := c.Max()
	if top > shoulder {
		t := 0.85 * (1 - math.Exp(-(top-shoulder)/bleach))
		for i := range c {
			c[i] += t * (top - c[i]) * 0.6
		}
	}
	for i := range c {
		c[i] = View(c[i])
	}
	return c
}

// bleach is how far over the shoulder colours have lost two thirds of what
// they will lose.
const bleach = 6
