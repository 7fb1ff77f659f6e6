package grid

import (
	"unsafe"

	"golang.org/x/sys/unix"
)

func floats(m []byte, n int) []float32 { return unsafe.Slice((*float32)(unsafe.Pointer(&m[0])), n) }

// mincore marks the pages of m that are in memory.
func mincore(m, seen []byte) error {
	_, _, e := unix.Syscall(unix.SYS_MINCORE, uintptr(unsafe.Pointer(&m[0])), uintptr(len(m)), uintptr(unsafe.Pointer(&seen[0])))
	if e != 0 {
		return e
	}
	return nil
}
