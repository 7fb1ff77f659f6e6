// Package flipbook makes texture atlases of recorded frames: which frames,
// where each goes, loops whose seam is measured, and the motion from a tile to
// the next.
//
// A [Tile] holds planes of linear values, colours premultiplied by alpha. All
// that is worked out here is worked out in linear light; transfer functions and
// files are the business of who writes the atlas.
//
// # Motion
//
// Motion is dense optical flow after Lucas and Kanade (1981) over a pyramid of
// halved pictures, coarse to fine: at each level the later picture is warped by
// the flow so far and the rest w is found from
//
//	(Σ ∇I ∇Iᵀ + λ) w = −Σ ∇I (I₁ − I₀)
//
// over a window round each pixel. The root of luminance, and alpha, are summed.
// λ keeps the flow of the coarser level where a picture has no features. Flow
// is in pixels to the right and down, from where a thing is in the earlier
// picture.
//
// A picture between two is (1−t)·I₀(x − t·w) + t·I₁(x + (1−t)·w), as receivers
// do it: both are looked up with the motion that stands at x.
package flipbook
