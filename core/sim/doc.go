// Package sim is what solvers share and no solver owns: the step within a
// frame, how a frame went, and what surrounds a fluid: emitters, solids, forces.
//
// A solver takes a Scene at every substep and reads of it what it understands.
// Places are in metres, times in seconds since the first frame's start, and
// accelerations in m/s². Whatever is sampled by several threads at once (At,
// Weight, Cover, Distance) reads only.
package sim
