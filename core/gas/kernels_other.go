//go:build !amd64

package gas

const useVectors = false

func followV(dst, a, b *float32, base, ramp float32, n int) {}
func limitV(dst, again, first, was, lo, hi *float32, n int) {}
func largestV(row *float32, n int, top, acc *[16]float32)   {}
func outsideV(x *float32, n int, top float32) bool          { return false }
