// Package abc writes and reads Alembic files in the Ogawa layout: points,
// polygon meshes with velocity, and cameras, each under a transform, with a
// sample a frame.
//
// # Layout
//
// All numbers are little-endian. A file begins with "Ogawa", a byte that is
// 255 once the file is complete, the version 0 1, and the position of the root
// group. A group is a 64-bit count and as many 64-bit references; a reference
// with its top bit set leads to data (a 64-bit size, then bytes), one without
// to a group; position 0 means empty. The same data may be referred to often.
//
// The root group holds, in order: the layout's version (32-bit 0), the
// library's version (32-bit), the top object, the archive's metadata, the time
// samplings, and the table of metadata that headers refer to. Metadata is text
// "key=value;key=value". A time sampling is the number of samples (32-bit), the
// seconds of a cycle (64-bit float), the number of times in it (32-bit), and
// these. The table holds a byte of length and the text for each; number 0 is
// the empty one, 255 says that the text stands in the header itself.
//
// An object's group holds its properties' group, a group for each child, and
// last the headers of the children: 32-bit length, name, byte of metadata each,
// then 32 bytes of hashes. A compound's group holds a group for each property
// and last their headers. A header begins with 32 bits: kind (2 bits: 0
// compound, 1 scalar, 2 array, 3 array that always had one value), width of the
// counts that follow (2 bits: 1, 2 or 4 bytes), type (4), own time sampling (1),
// first and last change given (1), always equally long (1), constant (1),
// values an entry (8), metadata (8). For scalars and arrays there follow: the
// number of samples, first and last changed sample where given, time sampling
// where it has its own; for all: length and name, and metadata where it is not
// in the table.
//
// A scalar's group holds data for sample 0 and for each from the first to the
// last change. An array's holds two references each: data, and dimensions,
// which are empty where they are told by the data's size. Data begin with 16
// bytes that are equal for equal values.
//
// # Conventions
//
// Faces list their corners clockwise seen from outside, as the format has them:
// the other way round than [geom.Mesh]. Cameras look along −z; apertures and
// focus distances are centimetres, focal lengths millimetres, and transforms
// and points are in the file's own units. Velocities are units per second.
//
// Written from knowledge of the layout; files in the older HDF5 layout are
// refused by name.
package abc
