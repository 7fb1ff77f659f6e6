// Package srgb is the transfer function of sRGB (IEC 61966-2-1), the one place
// where it stands. It works on values from 0 to 1; outside, Encode goes on as
// its power law does, and Decode as its straight part does under 0.
package srgb

import "math"

// Encode turns linear light into an sRGB value.
func Encode(v float64) float64 {
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// Decode turns an sRGB value into linear light.
func Decode(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}
