// Package cloth moves sheets: canvas, sails, flags, balloons, in real units.
//
// A sheet is a mesh of triangles. In its plane each is an orthotropic membrane under Green's
// strain, with a stiffness along warp and weft and one against shear; it bends by its curvature,
// which the folds at its three sides tell (Grinspun, Gingold, Reisman and Zorin 2006), with a
// rigidity along warp and weft. Both are energies of the surface, not of its edges, so a sheet is
// as stiff as its fabric whatever its mesh. What time does to it is solved implicitly, by a Newton
// step and conjugate gradients (Baraff and Witkin 1998; Choi and Ko 2002), about the velocity of
// the step before: a sheet at rest is at rest however far the solve goes, so stiffness depends on
// neither steps nor rounds either. Where the motion is smooth the step is of second order. The
// gradients are preconditioned by a factor of the very matrix (package sparse), and end after two or
// three rounds; sheets of over 100,000 vertices, whose factor would take too much memory, by patches
// instead, and after hundreds.
//
// Solids hold what lies on them within that solve, with Coulomb's friction. Cloth meets cloth
// by repulsion, impulses and, where these don't do, by moving as one (Provot 1997; Bridson,
// Fedkiw and Anderson 2002), on ways that are looked at continuously: no edge goes through a
// face, unless pins that are told to force it. What is stretched beyond its limit parts along
// edges.
//
// Drops (package drop) and cloth act on each other by what each pushes the other with; carry tells
// how. Stage runs a domain of shots.
//
// System is all cloth of a domain. Lengths are m, times s, masses kg. Results don't depend on
// threads. A step of 10,000 vertices takes some 0.1 s on two cores: half of it the factor, whose
// work grows with the power 1.5 of the vertices.
//
// Caveats: a face's plane is all of its strain, so a mesh must be finer than the folds that are
// to be seen; wind is told by the air alone, which cloth doesn't push back.
package cloth
