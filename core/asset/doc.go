// Package asset hands out the geometry of imported files: models, poses of them as
// bodies for solvers, and weights that were painted on them. What a file is made of
// never changes under its id, so that everything can be kept in memory for as long
// as there is room, and a run's key need hold the id alone.
//
// A reference is an id of 32 hexadecimal digits, the hash of the file's bytes and of
// the options that it is read with, and after a slash the name that people see. Only
// the id counts: a file that is brought in twice is one file, one that was replaced
// has another id, and undo finds the old one still there.
//
// A [Library] stands over a [Source], which keeps bytes (a folder, or memory in
// tests), and makes of them what is asked:
//
//	lib := asset.New(source)
//	model, err := lib.Model(ref)              // what the file holds, at rest
//	placed, err := lib.Pose(asset.Want{Ref: ref, Size: size, Time: 1.5, Spacing: h})
//	plate, err := lib.Picture(ref, frame)     // of numbered pictures the nth
//
// Pose is what solvers live on: a mesh at a time, scaled to a size, cut to a region,
// as a body with a lattice of distances. A model that moves without bending keeps
// one body and is turned as a whole; one that bends gets a body for each time that
// is asked.
//
// What holds: two callers that ask for the same thing at once wait for one making of
// it; what failed is tried again when it is asked next, as the file may be there
// then; no reference that isn't an id ever reaches the source; what is kept never
// exceeds the room by more than the thing made last. A nil library is one that
// reaches nothing, and says so.
package asset
