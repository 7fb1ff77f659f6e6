package grid

import (
	"testing"
	"unsafe"
)

// Arrays of a slab are zero, as long as asked for, apart from each other, and begin on
// cache lines, whatever sizes follow each other.
func TestSlabsPartTheirPieces(t *testing.T) {
	var s Slab
	sizes := []int{1, 15, 16, 17, 1000, 3_000_000, 5, 20_000_000, 64}
	var all [][]float32
	for n, size := range sizes {
		a := s.Floats(size)
		if len(a) != size || cap(a) != size {
			t.Fatalf("%d values asked for, %d given with room for %d", size, len(a), cap(a))
		}
		if uintptr(unsafe.Pointer(&a[0]))%64 != 0 {
			t.Errorf("%d values don't begin on a cache line", size)
		}
		for i, v := range a {
			if v != 0 {
				t.Fatalf("value %d of %d is %g", i, size, v)
			}
			a[i] = float32(n + 1)
		}
		all = append(all, a)
	}
	for n, a := range all {
		if a[0] != float32(n+1) || a[len(a)-1] != float32(n+1) {
			t.Errorf("array %d was written over", n)
		}
	}
}
