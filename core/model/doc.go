// Package model holds what a scene file brings along: a tree of nodes with meshes,
// skins, animation, cameras and curves, as the glTF 2.0 specification describes
// them. Lengths are metres once an importer has applied its unit, times are seconds,
// y points up.
//
// A pose is worked out for any time. What a solver wants of it is one mesh in space
// (At), the velocity of its vertices, and whether the whole moves as a rigid body
// (Rigid), which is far cheaper to follow.
//
// Every geometry format is read into a [Model], also those that hold a mesh and
// nothing else ([FromMesh]): so what comes after a reader knows one thing only.
// References are indices, −1 for none; [Model.Check] finds those that lead nowhere,
// nodes in a circle, tracks whose numbers don't add up, and is called by every
// reader last. After it nothing here looks at bounds again.
//
// How a vertex gets to its place at a time, in this order: morph targets shift it by
// their weights; a skin moves it by up to four joints, each with the matrix that
// takes it from the mesh's rest into the joint's space; or, without a skin, its
// node's transform and those of all nodes above. Tracks give a node's shift, turn,
// size or morph weights, by steps, straight lines, the shorter arc, or cubic
// splines.
//
// The order of vertices and triangles is the same at every time. That is what
// velocities are told by: the same place on the same triangle, a moment before.
package model
