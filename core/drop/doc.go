// Package drop moves a liquid as drops that push each other, without a grid: spray that lands on
// cloth, pools in it, runs down it and hangs from it.
//
// Drops of one size keep their density by position-based dynamics (Macklin and Müller 2013, Position
// based fluids): places are predicted and then corrected by pairs, so momentum is kept to rounding.
// What surrounds them are contacts: planes that a drop keeps off, found once a step by whoever knows
// the solids and the cloth. A contact counts as liquid beyond its plane (Koschier and Bender 2017,
// Density maps), so the density at a wall is that within, and remembers by how much it moved its drop:
// times the drop's mass, that is the impulse that the wall gets.
//
// Surface tension is a pull of pairs whose strength is that of a flat surface of so many newtons a
// metre (Fowler 1937; Tartakovsky and Meakin 2005). Viscosity brings neighbours' velocities together
// (Schechter and Bridson 2012).
//
// Lengths are m, times s, masses kg. Results don't depend on threads. A step takes about 2 µs for a
// drop and a round of corrections.
package drop
