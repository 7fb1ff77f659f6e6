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
//
// Everything is a list in the JSON text, and refers to others by place: scene →
// nodes → mesh → primitives → accessors → buffer views → buffers. Numbers lie in
// buffers, little-endian; how, accessors say (see accessor). A .glb holds text and
// first buffer in one file (see container).
//
// What holds: a file names no path that reaches the disk, and nothing is fetched;
// each reference is checked where it is followed; what may be read in all is bounded
// by the file's size; a node has one parent and no circle. What is wrong is an
// *Error that says where in the text, down to the accessor.
package gltf
