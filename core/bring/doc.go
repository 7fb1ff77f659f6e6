// Package bring reads a file that an artist brings along, of any kind that Zarf
// knows, into a model in metres with y up, and says in words what it found and what
// it mended.
//
// Files come from everywhere, with units nobody noted, z where y should be, faces
// that look inwards and parts that are open. Three things are done about it, in this
// order: the format reads what stands in the file; the model is brought to metres
// and y up by a root above its roots, so that its own animation stays as it is; then
// meshes are cleaned (faces without area dropped, vertices on one place counted as
// one, closed meshes turned outside out) and measured.
//
// [Facts] is the result for people: how many triangles, how large, which parts,
// joints and curves, whether it moves and at which rate its keys were set, whether
// it is closed and how thin. Its notes say what was left out or mended, and what
// looks wrong: a mesh of three kilometres is usually one of three metres in
// millimetres. Nothing is guessed in silence: the unit that was assumed is said, and
// can be changed when the file is brought in again.
//
// Limits are those of the formats and of package geom; an error names the file,
// where in it, and what to do about it. Nothing is kept here: see package asset.
package bring
