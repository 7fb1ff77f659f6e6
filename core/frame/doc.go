// Package frame is one moment of a fluid as everybody exchanges it: solvers
// make frames, stages feed on them, renderers, pages and handovers read them.
// Files are codecs at the edge: OpenVDB and PLY in the cache and in handovers.
//
// Channels that are grids are sparse blocks of 8³ voxels in a right-handed
// space, y up, metres, with a transform of their own; channels that are
// attributes belong to points. A channel has a name, a unit and a role; see
// Grid and Points. The layout of a block is that of OpenVDB's leaves, so that
// the cache's files need no rearranging.
package frame
