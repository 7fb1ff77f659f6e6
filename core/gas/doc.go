// Package gas simulates smoke: incompressible flow of air on a staggered grid
// that carries smoke and heat.
//
// One substep (Bridson, Fluid Simulation for Computer Graphics, ch. 2-6):
//
//	advect     velocity and channels along the flow (semi-Lagrangian or
//	           MacCormack with limiter, Selle et al. 2008; traced by RK2)
//	decay      smoke by exp(−k dt), heat by exp(−c dt)
//	emit       add or set channels and velocity, make new volume
//	force      buoyancy g(lift·ΔT/T0) up, smoke weight down; wind, turbulence,
//	           damping; vorticity confinement (Fedkiw, Stam, Jensen 2001)
//	project    make the flow divergence-free but for the volume made
//	extend     velocity and channels a few cells into solids
//
// Units: metres, seconds, kelvin; temperature is kept as the excess over the
// air's. Smoke density is a plain number, 1 for dense smoke; its weight is
// given in kg/m³ for density 1.
//
// Solids are signed distances sampled at the grid's corners; what counts in
// the pressure equation is the open fraction of every face (Batty, Bertails,
// Bridson 2007), so walls are smooth and not stair steps.
//
// Caveats: features under two voxels are not resolved; a solid thinner than a
// voxel leaks; velocities over the substep cap are carried, but less exactly.
package gas
