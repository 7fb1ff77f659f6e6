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
//   - The linear systems are solved by conjugate gradients with an aggregation
//     multigrid before them (system.go).
//
// One substep, and what it costs for P particles in V voxels of which L hold liquid
// (a particle is 60 bytes, a row of the system 52):
//
//	sort        count and scatter: P read twice, written once
//	toGrid      P read; eight corners of three grids, sum and weight
//	measure     P read; eight corners of one grid; distance from density
//	force       a pass over the faces with particles
//	setup       the system's rows: L × 52 bytes, coarser levels a seventh more
//	thicken     only where viscosity counts: CG over faces and strains
//	project     MGCG to the tolerance, then the gradient on faces
//	spreadOut   the same system once more, loosely
//	extend      four rings of faces round the liquid
//	toParticles P read and written; 3 × 8 corners, twice for FLIP
//	froth       particles near the surface against their neighbours
//	advect      three samples of 3 × 8 corners, then solids and sides
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
// Caveats: one liquid of one density a domain; air has no weight, so bubbles
// under water close unless particles leave them room; sheets thinner than a
// voxel break up.
package liquid
