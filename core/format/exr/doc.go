// Package exr reads and writes OpenEXR pictures: single-part scan lines with
// named channels of half, float or unsigned values, packed with nothing, run
// lengths or zip. Colours are linear and premultiplied by alpha, as the format
// has it. Tiled, deep and multi-part files are refused by name.
//
// The file:
//
//	magic (20000630), version 2 and flags     2 × uint32
//	attributes, ended by an empty name        see header
//	table: where each block begins            uint64 a block
//	blocks: first line, packed length, bytes  see pixels
//
// all little-endian. Lines are packed 16 to a block by zip, after their bytes were
// parted into even and odd and replaced by differences: a half's high bytes change
// slowly from pixel to pixel. Nearly all
// of the time goes into zip, so blocks are packed on all threads.
//
// What holds: no count from the file asks for memory before the bytes that it claims
// were seen; a block outside the picture, a name without an end and a packed block
// of another length than its lines are errors, never panics.
package exr
