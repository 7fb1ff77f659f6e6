// Package grid holds the regular grids that every solver works on and the
// loops that run over them on several threads.
//
// Layout: x runs fastest, then y, then z. Cell (i,j,k) of a grid with voxel
// size h has its centre at origin + ((i+½)h, (j+½)h, (k+½)h). Staggered (MAC)
// components follow Harlow and Welch (1965): u sits on the centres of the
// faces normal to x, so its array is one longer in x, and so on.
//
// Same bits on any number of threads: work is handed out in slabs whose
// results don't depend on who computes them, and sums are taken one float64
// per plane, the planes added in order.
//
// Tiles name the blocks of a grid in use, as runs of cells row by row; an Arena
// gives arrays that take memory only where they are written to.
package grid
