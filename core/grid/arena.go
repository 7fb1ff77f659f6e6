package grid

import "golang.org/x/sys/unix"

// Arena hands out zeroed arrays that take memory only where they are written
// to, a page (1024 values) at a time: storage for grids of which a part is in
// use. Everything is given back by Free, after which no array may be touched.
type Arena struct{ maps [][]byte }

// Floats makes n zeroed values. Where the system refuses to map memory it
// falls back to Go's own.
func (a *Arena) Floats(n int) []float32 {
	const page = 4096
	size := (n*4 + page - 1) / page * page
	m, err := unix.Mmap(-1, 0, size, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE|unix.MAP_NORESERVE)
	if err != nil {
		return make([]float32, n)
	}
	_ = unix.Madvise(m, unix.MADV_NOHUGEPAGE) // a huge page would fill 2 MB for one value; refusing is harmless
	a.maps = append(a.maps, m)
	return floats(m, n)
}

// Free gives everything back.
func (a *Arena) Free() {
	for _, m := range a.maps {
		_ = unix.Munmap(m)
	}
	a.maps = nil
}

// Resident is how much memory the arena takes, in bytes.
func (a *Arena) Resident() (bytes int) {
	for _, m := range a.maps {
		seen := make([]byte, len(m)/4096)
		if mincore(m, seen) != nil {
			return 0
		}
		for _, v := range seen {
			bytes += int(v&1) * 4096
		}
	}
	return bytes
}
