// Package vec is the home of kernels on rows of float32: loops so hot that they
// exist in vector instructions beside plain Go.
//
// Each kernel is an exported function on slices. It checks that the rows are
// long enough (a short row panics and never reads beyond its end), and runs the
// set of kernels that was chosen when the program started: AVX-512, AVX2 or
// plain Go. The plain one in plain.go is the reference: it says what is computed
// and in which order. All three give the same bits, which tests hold kernel by
// kernel. What makes that possible:
//
//   - no fused multiply-add: the plain code rounds every product, as
//     float32(a*b) makes Go do (Eliminate alone is fused in all three);
//   - sums of a row keep 16 lanes in every set, value i in lane i mod 16, and
//     the lanes are added in order at the end;
//   - minima and maxima take their operands in one order, which matters where
//     one is −0 or NaN.
//
// The renderer's and the denoiser's are in picture.go.
//
// Passes over a grid that would wait for memory are fused by their callers: kernels
// on runs of a plane (runs.go) read and write windows of a few rows, which strips
// march through the planes with and which the second cache holds.
//
// The assembly is written by the generator in _asm, a module of its own, so
// that building the program needs no generator: edit there, then `make generate`.
package vec
