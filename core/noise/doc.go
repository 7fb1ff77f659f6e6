// Package noise is gradient noise on an endless lattice (Perlin 2002, with hashed
// gradients in place of a permutation table), the same on every machine: the lattice
// hash is integer arithmetic, nothing depends on a shared stream of random numbers.
//
// [At] is one octave: about −1 to 1, 0 at whole coordinates, with features of size 1
// and a smooth second derivative. [Octaves] adds octaves of half the size and half
// the height, [Line] many rows of it at once. [Hash] is the finaliser of splitmix64 over a seed and three numbers;
// whoever needs chance that must not depend on threads or order (jitter of emitters,
// samples of a pixel, drops of foam) draws it from here, with what it belongs to as
// the numbers.
//
// A seed is an element's own, made of its id, so that noise stays the same when the
// cast is put in another order. Noise that changes over time moves through the
// lattice along a fourth direction's stand-in: a drift of the coordinates, which
// never comes back to where it was.
package noise
