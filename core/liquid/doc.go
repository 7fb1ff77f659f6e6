// Package liquid simulates water, oil, honey and the like with particles and a
// staggered grid.
//
// Particles carry the liquid and its velocity; each substep they are averaged
// onto the grid, the grid's velocity takes up forces, viscosity and pressure,
// and the particles take the change (FLIP, Zhu and Bridson 2005) or the
// velocity with its local slope (APIC, Jiang et al. 2015) back.
//
//   - Pressure is zero, or surface tension's, on the surface between cell
//     centres (the ghost-fluid way, second order: Enright et al. 2003), and
//     solids count by the open share of faces (Batty, Bertails, Bridson 2007).
//   - Viscosity is implicit and variational (Batty and Bridson 2008): free
//     surfaces bear no shear, solids hold the liquid as their friction says.
//   - Particles are kept apart by a second solve for the density (Kugelstadt et
//     al. 2019), so that the volume lasts; none are made or taken away within
//     the liquid.
//   - Solids hold however thin they are: faces are shut by what lies between the middles of
//     cells (sim.ShutThin), particles are stopped by surfaces along their whole way, and act on
//     their own side of a sheet alone (onesided.go; Guendelman et al. 2005).
//   - The linear systems are solved by conjugate gradients with an aggregation
//     multigrid before them, on the lattice of the liquid's box (system.go).
//   - Heat and a second liquid are carried by particles (heat.go).
//   - Of a large box a window is worked on that goes along with the liquid (follow.go).
//   - A box may lie in a sea, whose water comes and goes through its sides (shore.go).
//
// All work goes over the box of the liquid and a few cells about it. One substep, and what it
// costs for P particles in V voxels of which L hold liquid (a particle is 32 bytes and 36 more
// with slopes, a cell of the system 48):
//
//	sort        P read twice, written once; a count for each voxel
//	toGrid      P read; eight corners of four lattices of pairs: momentum and weight, and how full
//	            cells are
//	measure     V read: distance from density
//	force       a pass over the faces with particles
//	setup       weights of the liquid's cells; coarser levels a seventh more
//	thicken     only where viscosity counts: CG over faces and strains
//	project     MGCG to the tolerance, then the gradient on faces
//	spreadOut   the same system once more, loosely
//	extend      four rings of faces round the liquid
//	advance     P read and written: three looks at the velocity, one at what FLIP adds and one at
//	            how far particles are kept apart, then solids and sides
//	froth       particles near the surface against their neighbours
//
// State that outlives a substep: particles, drops, what emitters still owe and which
// have filled their form, the count of steps (it seeds hashes) and the largest
// speed. Grids are made anew each time, so that a run resumed from these has the
// same bits.
//
// What holds after every substep: no particle lies outside the box or, but for
// rounding, in a solid; the flow through open faces of liquid cells is free of
// divergence to the tolerance; particles come only from emitters, and go only into
// drains and through open sides.
//
// Units are SI; positions of particles are in voxels from the box's low
// corner. Results have the same bits on any number of threads: scattering goes
// by slabs in two colours, sums by fixed pieces.
//
// Caveats: a second liquid mixes and never parts again; air has no weight, so bubbles
// under water close unless the domain keeps them (bubbles.go); sheets thinner than a
// voxel break up, and only their surface is mended (sheets.go); of solids between 1 and 2
// voxels the force is right to about 1 %.
package liquid
