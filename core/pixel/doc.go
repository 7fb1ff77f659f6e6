// Package pixel reads pictures that come from outside, plates and panoramas, into
// linear light with the primaries of sRGB, premultiplied by alpha.
//
// PNG and JPEG are decoded by Go's own packages and their sRGB values made
// linear; OpenEXR and Radiance hold linear light already. Which it is is told by the
// first bytes. Sizes are looked at before pixels are made room for, since a few
// bytes can claim to be a huge picture; what is negative or no number becomes 0,
// since one such pixel would spread through every sum that touches it.
//
// PNG files that are written say how they are meant: sRGB, or a gamma of 1 where
// values are plain numbers, and texts with the kind of alpha and where they come
// from ([Tags]). Readers that look find it; those that don't are no worse off.
package pixel
