// Package mote simulates particles that live on fluids: sparks, embers, flakes, dust,
// debris, bubbles. They are carried and slowed by what they move in, fall or rise, meet
// solids, age and die, and are born by rules.
//
// Units: metres, seconds, kilograms, kelvin. Positions are of the shot's space.
//
// Motion: a ball of diameter d and density ρp in a fluid of density ρf, viscosity μ and
// velocity u obeys (Maxey and Riley 1983, without the history term)
//
//	(ρp + ½ρf) dv/dt = (ρp − ρf) g + (ρp + ½ρf) (u − v)/τ + pushes
//	τ = (ρp + ½ρf) d² / (18 μ f(Re)),   Re = ρf |u − v| d/μ
//
// with f the factor by which drag exceeds Stokes' (Schiller and Naumann 1933; Newton's
// constant coefficient of 0.44 beyond). The half is the mass of fluid that is moved along,
// so bubbles rise and don't leap. drag.go has the solution over a step.
//
// Solids: a step's way is followed in the moving frame of each solid, by distance for
// primitives and by rays against the triangles of meshes, so that nothing passes through a
// plate however thin or fast (collide.go). Two solids that close in on a particle within a
// step are met one after another, four times at most.
//
// Order: births, deaths and sums go by particle, cell and triangle in their own order, and
// numbers of chance come from the seed, the frame and the particle's identity; so results
// have the same bits on any number of threads.
//
// Back into fluids: what particles give off, and the momentum that drag takes from them, is
// spread to the eight values about each by the weights of interpolation (give.go).
//
// Memory: 84 bytes a particle, and 4 for each further channel.
package mote
