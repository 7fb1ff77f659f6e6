// Package render makes pictures of cached volumes: a quick march, and unbiased paths.
//
// march: light from the sun and from the sky is carried through the volume
// once, slice by slice, on a grid of half the resolution; then every pixel is
// marched front to back with the closed form of emission within a step. Light
// scattered more than once is guessed by up to four orders (Wrenninge, Kulla,
// Lundqvist 2013): bright smoke looks right, and is not exact.
//
// path: free flight by delta tracking (Woodcock et al. 1965) against majorants
// over tiles of 8³ voxels, transmittance by ratio tracking (Novák, Selle,
// Jarosz 2014), two Henyey–Greenstein lobes. The sun is asked at every event,
// and one of sky, lamps and fire by about what each gives; that is weighed
// against what paths meet (Veach 1997; for fire compare Simon et al. 2017).
// Unbiased for the given number of bounces, before adaptive stopping and
// denoising.
//
// Smoke, tint and flame are drawn from any channel through tables that are
// read after voxels are mixed. Majorants follow the tables, and the way that
// fluid goes while the shutter is open (Kim and Ko 2007).
//
// Random numbers come from (pixel, sample), so a picture has the same bits on
// any number of threads and when it is continued.
package render
