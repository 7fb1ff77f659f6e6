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
// The equation. Radiance along a ray through a medium of extinction σ (1/m for
// density 1), albedo a and emission per metre ε is
//
//	L(x,d) = ∫₀^far T(t) [ε + σ ρ a ∫ p(d·d') L(y,d') dd'] dt + T(far) L_behind,
//	T(t)   = exp(−∫₀^t σ ρ ds).
//
// march takes the inner integral from a grid of light; path follows it by chance.
//
// Invariants that tests hold: with albedo 1 and a white sky round it nothing shows
// (the furnace); a slab's transmittance is Beer and Lambert's; march and path agree
// on single scattering; layers add up to the beauty; a picture that is continued has
// the bits of one made in one go.
//
// Costs at 1280 × 720: the march reads 3 floats (density, sun, sky) at each look,
// one every Step voxels in occupied tiles; a path reads one density each trial
// collision, of which the majorants waste few where smoke is even within 8³ voxels,
// and most of its time goes into shadow walks.
//
// Smoke, tint and flame are drawn from any channel through tables that are
// read after voxels are mixed. Majorants follow the tables, and the way that
// fluid goes while the shutter is open (Kim and Ko 2007).
//
// Random numbers come from (pixel, sample), so a picture has the same bits on
// any number of threads and when it is continued.
package render
