//go:build !amd64

package grid

const useVectors = false

func sampleVectors(dst, data, x, y, z *float32, n int, l *lattice)              {}
func sampleRangeVectors(dst, lo, hi, data, x, y, z *float32, n int, l *lattice) {}
