// Package sparse factors symmetric positive matrices of 3 × 3 blocks at the edges of a mesh, so that
// a system of equations of it is solved by two passes over the factor.
//
// The order is nested dissection by places (George 1973): the vertices are parted in two along the
// longest side of their box, those of the second half that touch the first are eliminated after
// both, and so on in each half. Halves don't touch, so what is eliminated in one fills nothing in
// the other: a sheet of n vertices takes about n log n blocks, and n^1.5 products.
//
// The factor is multifrontal (Duff and Reid 1983; Liu 1992): the vertices of a leaf or of a
// separator are the columns of one dense block, whose rows are they and all later ones that they
// reach; what they leave of those rows is added to the block above. So all work is on dense columns,
// by the kernels of core/vec, and branches of the tree are independent: threads change no bit.
//
// Numbers are of 32 bits: the factor is meant to precondition conjugate gradients, which end at
// the answer of 64.
package sparse
