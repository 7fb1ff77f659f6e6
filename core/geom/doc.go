// Package geom holds vectors, transforms and closed shapes given by their
// signed distance (negative inside, metres). Distances are exact for sphere,
// box, cylinder, tube and torus, and a lower bound for stretched spheres and
// tapered tubes, which is what sphere tracing needs. y points up.
package geom
