// Package ripple adds waves that are too short for a liquid's voxels to its finished
// frames, and keeps the motion and the volume of the run.
//
// Where a liquid's surface faces up, it is a height map that carries a second one: linear
// waves with their real dispersion, ω² = (g k + σ/ρ k³) tanh kd, damped by viscosity
// (2νk², Lamb 1932, §348). Between frames they are carried along by the surface's velocity,
// and moved on exactly, in the frequency domain (Tessendorf 2001), so that neither steps
// nor cells slow them. At the liquid's edges, walls and bodies, they are mirrored, which
// throws them back. What a run's grid would smear out within a period feeds them: the
// part of the surface's vertical velocity that is shorter than a few voxels, as a push;
// and, below that, small pushes where the surface is agitated, as many as fill it, by
// Kolmogorov's law weaker as they get smaller. The idea of handing over to finer waves on a
// finished coarse run is Kim, Tessendorf and Thürey's (Closest point turbulence for liquid
// surfaces, 2013); they keep waves on all sides of a surface, by convolution.
//
// The displaced surface is a level set on finer cells, by cubic interpolation of the run's,
// shifted up and down. The shift's sum over the surface is zero.
//
// What holds: waves have their dispersion; nothing is added to still liquid; the
// volume stays within a thousandth; results don't depend on threads or on how a run is cut.
// What doesn't: falling sheets, drops and the undersides of anything carry no ripples, and
// what breaks in them is not thrown out as spray.
//
// Lattices are those of the cached surface, in x and z; lengths are m, times s.
package ripple
