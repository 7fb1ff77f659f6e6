// Package gltf reads and writes glTF 2.0: JSON with buffers, and the binary
// container. It follows the Khronos specification of that version.
//
// Read: nodes, triangles in all three ways to list them, lines as curves, skins
// with four joints a vertex, morph targets, node animation, perspective
// cameras, vertex colours, sparse accessors, and normalised or quantised
// integers. Left out, with a note: materials (their names become parts),
// textures, points, lights, orthographic cameras. Refused by name: extensions
// that a file says it can't be read without, apart from quantised meshes.
//
// Buffers come from the file itself, from data addresses, or from files that
// were handed over along with it; nothing is ever fetched.
package gltf
