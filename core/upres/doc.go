// Package upres adds fine detail to a finished coarse run and keeps its motion.
//
// It follows Kim, Thürey, James and Gross (Wavelet turbulence for fluid
// simulation, 2008): a fine velocity is the coarse one, interpolated, plus
// octaves of band-limited, divergence-free noise whose strength goes on from
// the energy that the coarse run has in its smallest resolved eddies by
// Kolmogorov's law (each octave 2^(−5/6) of the one before). The noise hangs on
// texture coordinates that flow along. Fine channels are carried by the fine
// velocity.
//
// Where it departs from the paper: texture coordinates are begun anew in two
// phases that fade into each other, instead of cell by cell when stretched too
// much, and the noise is not turned by their stretching. And after every frame
// the fine channels are scaled so that their means over a coarse cell are the
// coarse run's: sources, fading, burning and cooling come from there, and the
// two never drift apart.
//
// What a frame costs for n fine cells near smoke: the fine velocity is evaluated
// four times (midpoint rule, back and forth), each time 3 samples of the coarse flow
// and, for each phase and octave, 3 of the drift and 3 of the noise's tile, which
// stays in the cache; then each channel is sampled three times and scaled once.
// Memory: six fields of ways and three of a channel at a time, 4 bytes a fine cell
// each.
//
// What holds: means over a coarse cell are the coarse run's, but for what sharper
// cuts off; where the coarse channels are zero within two cells the fine ones are;
// the noise has no divergence; results don't depend on threads or on how a run is
// cut.
//
// Lengths are in coarse voxels, velocities in metres a second.
package upres
