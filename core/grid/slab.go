package grid

import (
	"unsafe"

	"golang.org/x/sys/unix"
)

// Slab hands out zeroed arrays cut from large pieces of memory, for which it asks the
// system for huge pages. A pass over a dense box reads a dozen arrays at once, in
// many places each; with pages of 4 KB more of its time goes into finding them than
// one would think, above all on virtual machines, where every lookup is two.
//
// The pieces are Go's own memory: they go when the last array of each has gone.
type Slab struct{ piece []float32 }

const (
	hugePage = 2 << 20
	pieceMax = 64 << 20
)

// Floats makes n zeroed values that begin on a 64-byte boundary of the piece.
func (s *Slab) Floats(n int) []float32 {
	size := (n + 15) / 16 * 16
	if size > len(s.piece) {
		s.piece = make([]float32, max(size, min(4*size, pieceMax/4)))
		advise(s.piece)
	}
	a := s.piece[:n:n]
	s.piece = s.piece[size:]
	return a
}

// Huge makes n zeroed values by themselves, on huge pages where the system has them: for
// what is read at random.
func Huge(n int) []float32 {
	a := make([]float32, n)
	if n > 0 {
		advise(a)
	}
	return a
}

// Field makes a field of zeros.
func (s *Slab) Field(d Dims) *Field { return &Field{Dims: d, Data: s.Floats(d.Len())} }

// advise asks for huge pages where whole ones fit; a system that has none is as good,
// only slower.
func advise(a []float32) {
	b := unsafe.Slice((*byte)(unsafe.Pointer(&a[0])), 4*len(a))
	p := uintptr(unsafe.Pointer(&a[0]))
	lo := int((p+hugePage-1)/hugePage*hugePage - p)
	hi := int((p+uintptr(len(b)))/hugePage*hugePage - p)
	if lo < hi {
		_ = unix.Madvise(b[lo:hi], unix.MADV_HUGEPAGE)
	}
}
