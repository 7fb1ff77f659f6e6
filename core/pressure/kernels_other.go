//go:build !amd64

package pressure

const useVectors = false

func jacobiPlainV(args *stencil, om, omega float32)             {}
func jacobiWeightedV(args *stencil, om, omega float32)          {}
func applyPlainV(args *stencil)                                 {}
func applyWeightedV(args *stencil)                              {}
func axpyV(dst, a *float32, s float32, n int)                   {}
func xpayV(dst, a *float32, s float32, n int)                   {}
func scaleByV(dst, a, b *float32, s float32, n int)             {}
func residualV(r, b, pn *float32, n int)                        {}
func spreadV(x, pn, c *float32, n int)                          {}
func dotV(acc *[16]float32, a, b *float32, n int)               {}
func blendAdd4V(dst, a, b, c, d *float32, w *[4]float32, n int) {}
