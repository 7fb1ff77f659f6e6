// Package look is the description of how a cached simulation is shaded and
// lit, worked out from a look's values. Light is linear, with the primaries
// of sRGB; lengths are metres.
package look

import (
	"math"

	"zarf/core/geom"
	"zarf/core/shot"
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
	Phase      float64
	Bounces    int

	Flame          float64 // brightness of fire to the camera
	FlameLight     float64 // of the light that it casts
	FlameThickness float64 // 1/m for burn 1
	FlameSoot      float64 // share of the smoke's extinction that glows
	FlameScale     float64 // times the temperature

	Sun    RGB       // irradiance on a surface that faces the sun
	SunDir geom.Vec3 // towards the sun
	Sky    RGB       // radiance overhead

	Even bool // the sky has the same radiance all round, for tests of energy

	Ground       bool
	GroundColour RGB
	Background   string

	Exposure      float64 // stops
	Width, Height int
	Method        string
	Samples       int
	Step          float64 // voxels
}

// At reads a look's values as they are at a frame.
func At(l *shot.Element, frame float64) Look {
	n := func(k string) float64 { return l.At(k, frame).Num }
	c := func(k string) RGB { return RGB(l.At(k, frame).Vec) }
	ext := n("extinction")
	var out Look
	absorb, colour := c("absorption"), c("colour")
	for i := range 3 {
		out.Extinction[i] = ext * (2 - absorb[i])
		out.Scattering[i] = ext * colour[i]
	}
	elevation, bearing := n("sun_height")*math.Pi/180, n("sun_bearing")*math.Pi/180
	out.SunDir = geom.V(math.Sin(bearing)*math.Cos(elevation), math.Sin(elevation), -math.Cos(bearing)*math.Cos(elevation))
	out.Phase, out.Bounces = n("phase"), int(n("bounces"))
	out.Flame, out.FlameLight, out.FlameThickness = n("flame"), n("flame_light"), n("flame_thickness")
	out.FlameSoot, out.FlameScale = n("flame_soot"), n("flame_scale")
	out.Sun = c("sun_colour").Scale(n("sun_strength"))
	out.Sky = c("sky_colour").Scale(n("sky_strength"))
	out.Ground, out.GroundColour, out.Background = l.Get("ground").Flag, c("ground_colour"), l.Get("background").Text
	out.Exposure, out.Width, out.Height = n("exposure"), int(n("width")), int(n("height"))
	out.Method, out.Samples, out.Step = l.Get("method").Text, int(n("samples")), n("step")
	return out
}

// SkyLight is the sky's radiance in a direction: its colour overhead, paler
// and brighter towards the horizon, dim below.
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

// Transfer is the sRGB transfer function (IEC 61966-2-1).
func Transfer(v float64) float64 {
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
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
