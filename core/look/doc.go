// Package look is the description of how a cached simulation is shaded and lit,
// worked out from a look's values. Light is linear, with the primaries of sRGB;
// lengths are metres.
//
// [At] reads the values of a look at a frame into a plain struct that renderers
// read: no names, no keys, no units to convert in the inner loops. Three things are
// worked out on the way.
//
// Smoke. The artist gives a thickness (extinction in 1/m for density 1), a colour
// (the share of light that is scattered on) and an absorption by colour; the struct
// holds extinction and scattering for each channel. The phase function is two
// Henyey–Greenstein lobes, one forwards and one back.
//
// Ramps and curves become a [Table] of 1,025 entries over a channel's range, read
// without interpolation, with flat tones cut into it where bands are asked for. A
// table knows its largest value between two of the channel's, from which the
// renderer makes its majorants.
//
// Fire is a black body by temperature ([Glow]), a ramp over any channel, or a mix;
// how much of it there is goes by burn, by soot, or by a curve alone.
//
// The sky is simple on purpose: a colour overhead, paler at the horizon, dim from
// below, with its mean in closed form. A panorama takes its place where one is
// given. Tests hold the phase functions' integrals to 1, the sky's mean to its
// quadrature, and the black body's colours to the tabulated ones.
package look
