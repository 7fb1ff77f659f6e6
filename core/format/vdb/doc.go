// Package vdb reads and writes OpenVDB files: sparse volumes in the 5-4-3
// tree, file version 224 written, 222 and later read.
//
// Written: float and vec3s grids, as float or half, without compression, with
// zip, or with Blosc (LZ4, byte shuffle), each with the active-value mask.
// Read: the same, plus double, int32, int64, bool, vec3d and vec3i grids,
// tiles, several grids a file, instanced grids, and every linear transform.
// Point grids, masks and frustum transforms are named and refused.
//
// The layout of a file, little-endian throughout; strings have their length in
// front:
//
//	magic (8), version (4), library version (8), 1 for “grids can be reached by
//	offset”, a UUID as 36 letters, metadata, the number of grids;
//	for each grid: its name, its type, the grid whose tree it shares or "",
//	the offsets of its beginning, of its values, of its end;
//	at its beginning: compression, metadata, transform, topology;
//	at its values: for each leaf the mask again and the values.
//
// Values: float32 for float, half and vec3s grids; all other types are
// widened to float64 (int64 beyond 2⁵³ loses its last bits).
//
// The tree is three levels deep below the root: nodes of 32³, of 16³, leaves of 8³.
// Topology (masks, tiles) of the whole tree comes first, then all leaves' values in
// the same order, so that a reader may know a grid's form without its values.
//
// What reading costs: one read of the file; finding leaves is serial, as each says
// how long it is, and unpacking them is done by all threads. A hostile file is held
// by Limits: bytes, stored voxels over all grids, grids; by offsets that must lead
// on within the file; and by every count being compared with the bytes left.
package vdb
