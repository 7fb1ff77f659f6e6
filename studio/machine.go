package studio

import "github.com/shirou/gopsutil/v4/mem"

// Memory is what a run may take, bytes: what is available, or 8 GB on a machine
// that doesn't tell.
func Memory() float64 {
	m, err := mem.VirtualMemory()
	if err != nil || m.Available == 0 {
		return 8e9
	}
	return float64(m.Available)
}
