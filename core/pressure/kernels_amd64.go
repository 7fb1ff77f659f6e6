package pressure

import "zarf/core/vec"

// useVectors chooses the AVX-512 kernels. Tests set it, to hold both against
// each other: they give the same bits.
var useVectors = vec.Chosen == vec.AVX512

// The kernels are described in kernels_amd64.s.

//go:noescape
func jacobiPlainV(args *stencil, om, omega float32)

//go:noescape
func jacobiWeightedV(args *stencil, om, omega float32)

//go:noescape
func applyPlainV(args *stencil)

//go:noescape
func applyWeightedV(args *stencil)

//go:noescape
func axpyV(dst, a *float32, s float32, n int)

//go:noescape
func xpayV(dst, a *float32, s float32, n int)

//go:noescape
func scaleByV(dst, a, b *float32, s float32, n int)

//go:noescape
func residualV(r, b, pn *float32, n int)

//go:noescape
func spreadV(x, pn, c *float32, n int)

//go:noescape
func dotV(acc *[16]float32, a, b *float32, n int)

//go:noescape
func blendAdd4V(dst, a, b, c, d *float32, w *[4]float32, n int)

// Which coarse values a block of 16 fine ones draws from, counted from the one
// before the block's first.
var (
	spreadMain = [16]int32{1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6, 7, 7, 8, 8}
	spreadSide = [16]int32{0, 2, 1, 3, 2, 4, 3, 5, 4, 6, 5, 7, 6, 8, 7, 9}
)
