// Package pressure solves the Poisson equation of the projection step,
//
//	Σ_f w_f (p_c − p_nb(f)) = b_c,
//
// on the fluid cells of a regular grid, where w_f in [0,1] is the open
// fraction of face f (Batty, Bertails and Bridson 2007). Open sides of the box
// hold p = 0 at the centre of the ghost cell outside; closed faces have w = 0.
//
// Method: conjugate gradients preconditioned by one multigrid cycle
// (McAdams, Sifakis and Teran 2010). Smoother: Jacobi with two weights that together
// act as a polynomial, two sweeps before and after, and one more for cells beside shut
// faces (rim.go). The coarsest level is factorised (direct.go); beside solids the third
// and the fourth level are visited twice (twice.go). Transfer: trilinear, normalised
// over the coarse cells that are fluid, with the restriction its exact transpose; this
// clamps at walls. Beside p = 0 a fine cell draws by its distance from there, which
// takes an iteration off solves with an open side. Coarse face weights are means of
// the fine ones, and the plane p = 0 keeps its place in space on every level.
//
// Thin walls: a coarse cell that a wall runs through stands for the largest part of
// its children that open faces join, a coarse face for the fine ones between such, and
// a fine cell draws only from coarse cells that it is joined to (thin.go). Without
// this a shell with a hole took 24 iterations to 1e-3 and two gapped walls 25; with
// it both take 6.
//
// Why multigrid before CG and not alone: a V-cycle by itself stalls where the coarse
// levels misjudge thin walls and narrow openings. CG then needs a few more
// iterations for those few modes, and no more, as long as the cycle is symmetric and
// positive definite: equal sweeps before and after, restriction the transpose of
// prolongation.
//
// What an iteration moves on the finest level, in arrays of 4 bytes a cell: the cycle
// reads the residual twice and writes the correction (strips.go holds what lies
// between sweeps in the second cache), the new direction with its product 3, the
// update with the residual's norm 5: 12 with what writing takes. In passes it was 44.
// Levels below add a seventh. Levels of up to 80³ cells, which the third cache holds,
// keep what the way down has found, one array written and read; those of up to 25³ run
// each kernel on all planes at once (flat.go).
//
// Memory: eight arrays a level and four of CG, 48 bytes a cell on the finest level
// and about 5 on all others together.
//
// Layout: every row starts on a 64-byte boundary and is padded to whole
// blocks of 16 values; a zero pad of 16 precedes each row and zero halo rows
// and planes surround the box, so inner loops have no branches and no tails.
// Values, residuals and weights are float32; sums are taken in 16 lanes a
// row, rows and planes added in order as float64, so that a result has the
// same bits on any number of threads.
//
// Where only some tiles are in use the same layout is worked on in runs, and
// p = 0 holds in the first cell beyond them, with the weight that an open side
// would have.
//
// A box without an open side determines p up to a constant in each connected
// part: the right-hand side's mean over such a part is taken out first, which
// is to say that fluid made in a closed room is not.
package pressure
