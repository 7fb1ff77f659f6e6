// Package surface makes meshes of level sets, and closed stand-ins of meshes that
// have holes.
//
// Nets are the surface nets of Gibson (1998): a vertex in each cell that the surface
// crosses, at the mean of the crossings on its edges, and a quad round each crossed
// edge. The result is closed wherever the surface stays within the lattice.
// Distances are metres, negative inside.
//
// Three ways lead to a level set here. A solver's own distances on its cells
// ([Closed] puts a layer of outside round them, so that liquid against a wall has a
// surface there too). Particles ([FromPoints], after Zhu and Bridson 2005): the
// distance from the mean place of those in reach, less a share of the reach, evened
// out by [Even] so that single particles don't show and sheets don't vanish. And a
// mesh that has holes or is a heap of loose faces ([Wrap]): its unsigned distance
// less half a thickness, with the inside flooded where it is to be solid.
//
// What holds, and tests ask: a closed surface has no open edge, whatever the level
// set; the volume of a ball's mesh goes to the ball's with the square of the
// spacing; the same input gives the same mesh on any number of threads; a sheet of
// one layer of particles survives smoothing.
package surface
