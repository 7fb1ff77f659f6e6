// Package gas simulates smoke and fire: incompressible flow of air on a
// staggered grid that carries smoke, heat and, where it burns, fuel.
//
// One substep (Bridson, Fluid Simulation for Computer Graphics, ch. 2-6):
//
//	advect     velocity and channels along the flow: semi-Lagrangian,
//	           MacCormack with limiter (Selle et al. 2008), or
//	           advection–reflection (Zehnder et al. 2018) with cubic splines.
//	           Ways are traced by RK2 once a cell and shared by all fields.
//	           Half of the last pressure acts before, half after (the
//	           trapezoidal rule)
//	decay      smoke by exp(−k dt), heat by exp(−c dt) and by T⁴ radiation
//	           (Nguyen, Fedkiw, Jensen 2002)
//	emit       add or set channels and velocity, make new volume
//	burn       light, spread and burn fuel: heat, soot, room for warmed gas
//	           (Feldman, O'Brien, Arikan 2003; fronts after Fisher 1937)
//	force      buoyancy g(lift·ΔT/T0) up, smoke weight down; wind, curl noise
//	           (Bridson, Houriham, Nordenstam 2007), vortices, radial pushes,
//	           drag, each in its region; vorticity confinement (Fedkiw, Stam,
//	           Jensen 2001)
//	project    make the flow divergence-free but for the volume made
//	extend     velocity and channels a few cells into solids
//
// Units: metres, seconds, kelvin, kilograms; temperature is kept as the excess
// over the air's. Smoke density is a plain number, 1 for dense smoke; its weight
// is given in kg/m³ for density 1. Fuel is kg of vapour a m³ of air.
//
// Solids are signed distances sampled at the grid's corners; what counts in
// the pressure equation is the open fraction of every face (Batty, Bertails,
// Bridson 2007), so walls are smooth and not stair steps.
//
// Tiles: where bounds follow the fluid, work is done on runs of cells in the
// tiles (16 × 8 × 8) where fluid is, and a margin round them. Fields outside
// are zero but for the velocity in a ring of one tile, which is the outside's.
// The box that arrays are laid out for moves along, and memory is taken by the
// page. With solids the fields that describe them take memory for all of the
// box.
//
// Caveats: features under two voxels are not resolved; a solid thinner than a
// voxel leaks; velocities over the substep cap are carried, but less exactly;
// p = 0 at an open side draws jets out of a plume that comes close to it; there
// is no viscosity but the grid's, so that threads of smoke curl sooner than at
// their real size.
package gas
