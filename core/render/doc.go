// Package render makes pictures of cached volumes: a quick march, and unbiased paths.
//
// march: the sun's light is carried through the volume once, slice by slice, on
// a grid of half the resolution, and light of the sky, of fire and what smoke
// scatters more than once along fourteen directions on a coarse one (discrete
// ordinates, orders.go). All of it is laid out in bricks with the density
// (bricks.go), and every pixel is marched front to back with the closed form of
// emission within a step, through all volumes at once (smoke.go).
//
// path: free flight by delta tracking (Woodcock et al. 1965) against majorants
// over tiles of 8³ voxels, transmittance by ratio tracking (Novák, Selle,
// Jarosz 2014), two Henyey–Greenstein lobes. The sun is asked at every event
// (sunward.go), and one of sky, lamps and fire by about what each gives; that is weighed
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
// march takes the inner integral from grids of light; path follows it by chance.
//
// Invariants that tests hold: with albedo 1 and a white sky round it nothing shows
// (the furnace); a slab's transmittance is Beer and Lambert's; march and path agree
// on single scattering, and within 5 % on pictures of all orders; layers add up to
// the beauty; a picture that is continued has the bits of one made in one go.
//
// Costs at 1280 × 720: the march reads eight values of four numbers (density and
// light) at each look, one every Step voxels in occupied bricks; a path reads one
// density each trial collision, of which the majorants waste few where smoke is even
// within 8³ voxels, and most of its time goes into shadow walks.
//
// Smoke, tint and flame are drawn from any channel through tables that are
// read after voxels are mixed. Majorants follow the tables, and the way that
// fluid goes while the shutter is open (Kim and Ko 2007).
//
// Random numbers come from (pixel, sample), so a picture has the same bits on
// any number of threads and when it is continued.
package render
