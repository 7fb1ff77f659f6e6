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
// Units are SI; positions of particles are in voxels from the box's low
// corner. Results have the same bits on any number of threads: scattering goes
// by slabs in two colours, sums by fixed pieces.
//
// Caveats: one liquid of one density a domain; air has no weight, so bubbles
// under water close unless particles leave them room; sheets thinner than a
// voxel break up.
package liquid
