// Package gas simulates smoke and fire: incompressible flow of air on a
// staggered grid that carries smoke, heat and, where it burns, fuel.
//
// One substep (Bridson, Fluid Simulation for Computer Graphics, ch. 2-6):
//
//	advect     velocity and channels along the flow: semi-Lagrangian,
//	           MacCormack with limiter (Selle et al. 2008), or
//	           advection–reflection (Zehnder et al. 2018) with cubic splines.
//	           Ways are traced by RK2 once a cell and shared by all fields.
//	           Warm gas is mixed by its density, and what MacCormack's
//	           correction adds or takes of smoke and warmth is weakened until
//	           lots of 8³ cells hold what flows through their faces leaves
//	           there, with what reading gains or loses; by
//	           advection–reflection lots are scaled (keep.go, budget.go).
//	           Half of the last pressure acts before, half after (the
//	           trapezoidal rule)
//	decay      smoke by exp(−k dt), heat by exp(−c dt) and by T⁴ radiation
//	           (Nguyen, Fedkiw, Jensen 2002)
//	emit       add or set channels and velocity, make new volume
//	burn       light, spread and burn fuel: heat, soot, room for warmed gas
//	           (Feldman, O'Brien, Arikan 2003; fronts after Fisher 1937)
//	force      buoyancy g·lift·(1 − T0/T) up, smoke weight down; wind, curl noise
//	           (Bridson, Houriham, Nordenstam 2007), vortices, radial pushes,
//	           drag, each in its region; vorticity confinement (Fedkiw, Stam,
//	           Jensen 2001)
//	project    make the flow divergence-free but for the volume made
//	extend     velocity and channels a few cells into solids
//
// Discretisation: cell (i,j,k) of side h has its scalars (smoke, heat, fuel, burn,
// spent oxygen, pressure) in its middle; u sits in the middle of the face towards
// smaller x, v and w likewise (Harlow and Welch 1965). So divergence is a difference
// of the faces of one cell, the pressure's gradient a difference of the cells of one
// face, and no checkered pressure can hide between them.
//
// What a substep costs for n cells, in passes over an array of float32 (the least
// that memory allows; a pass over 128³ is 8 MB):
//
//	trace       3 reads, 3 writes, and 3 samples a way, once for all fields;
//	            MacCormack traces both ways in one pass
//	carry       2 samples and 14 passes a field: ways, result and range out,
//	            ways, range and result back, limited; nothing for batches of a
//	            channel that are read from rows without any (live.go).
//	            Keeping smoke and heat: 4 reads and 2 writes of live rows, and
//	            2 of a velocity and four cells at three faces in eight
//	force       a read and a write of each component; confinement writes the force
//	            at the cells' middles and reads it again, ω and |ω| stay in the
//	            cache (swirl.go)
//	project     right side 5 passes, then the solver (see package pressure),
//	            gradient 7
//	survey      a pass over every field, for the step's length and for blow-ups
//
// A step is chosen so that nothing goes farther than CFL cells; 1 to 4 are good
// values, as the scheme is stable at any. State that outlives a substep: the fields,
// the last pressure with its step, the air outside, the time. All else is worked out
// anew, so that a run resumed from these has the same bits.
//
// Units: metres, seconds, kelvin, kilograms; temperature is kept as the excess
// over the air's. Fuel is kilograms a m³ of whatever gas is there, and thins out as that
// expands; what an emitter holds of it is told of gas as warm as the air. Smoke density is a plain number, 1 for dense smoke; its weight
// is given in kg/m³ for density 1.
//
// Solids are signed distances sampled at the grid's corners; what counts in
// the pressure equation is the open fraction of every face (Batty, Bertails,
// Bridson 2007), so walls are smooth and not stair steps.
//
// Smoke may be carried by points instead of voxels (points.go): positions and amounts, 16
// bytes each and as much again to sort into; they travel where channels are carried and fill
// the voxels after emitters and fire have added to them. Channels may be stirred by what
// voxels are too coarse for (stir.go): 6 passes of half ways written, 3 stencils read, on rows
// near what channels hold.
//
// Tiles: where bounds follow the fluid, work is done on runs of cells in the
// tiles (16 × 8 × 8) where fluid is, and a margin round them. Fields outside
// are zero but for the velocity in a ring of one tile, which is the outside's.
// The box that arrays are laid out for moves along, and memory is taken by the
// page. With solids the fields that describe them take memory for all of the
// box.
//
// Solids hold however thin they are (thin.go): channels are read from one side of them;
// velocities are not, which drags a little at the air behind a sheet.
//
// Caveats: features under two voxels are not resolved; velocities over the substep cap are carried, but less exactly;
// p = 0 at an open side draws jets out of a plume that comes close to it; there
// is no viscosity but the grid's, so that threads of smoke curl sooner than at
// their real size.
package gas
