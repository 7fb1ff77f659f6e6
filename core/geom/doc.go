// Package geom holds vectors, transforms and closed shapes given by their
// signed distance (negative inside, metres). Distances are exact for sphere,
// box, cylinder, tube and torus, and a lower bound for stretched spheres and
// tapered tubes, which is what sphere tracing needs.
//
// Axes are right-handed, y points up. A rotation is a matrix whose rows
// are the images' coordinates, so that Apply is three dot products and Back (the
// inverse, as it is a rotation) the transposed ones. Triangles turn anticlockwise
// seen from outside.
//
// What things cost: a primitive's distance is 10 to 40 operations; that to a body is
// eight reads of its lattice, whatever the mesh; a lattice is filled in about the
// time of its points within the band, and its far field in a 64th of the points; a
// tree is built in n log n and asked in log n. Bodies and trees are safe to share
// between threads once they are filled.
package geom
