package stage

import (
	"zarf/core/gas"
	"zarf/core/shot"
)

// Estimate is what a run of a domain will take.
type Estimate struct {
	NX, NY, NZ int
	Voxels     float64
	Memory     float64 // bytes
	Disk       float64 // bytes for all frames
	Seconds    float64
	Frames     int
}

// Bytes a voxel of a cached frame where smoke is, per stored value before
// compression, and the share of a domain that smoke fills as a rule.
const (
	fillShare     = 0.25
	packedShare   = 0.6
	substepsGuess = 1.5
)

// Guess works out an estimate; rate is voxels stepped a second on this
// machine.
func Guess(s *shot.Shot, d *shot.Element, rate float64) Estimate {
	dims, _, _ := d.Grid()
	first, last := s.Range()
	v := d.Voxels()
	e := Estimate{NX: dims.NX, NY: dims.NY, NZ: dims.NZ, Voxels: v, Memory: v * gas.BytesPerCell, Frames: last - first + 1}
	values := 2.0
	if d.Get("cache_velocity").Flag {
		values = 5
	}
	size := 4.0
	if d.Get("cache_half").Flag {
		size = 2
	}
	e.Disk = float64(e.Frames) * v * values * size * fillShare * packedShare
	if rate > 0 {
		e.Seconds = (float64(e.Frames) + s.Get("preroll").Num) * v * max(substepsGuess, d.Get("min_substeps").Num) / rate
	}
	return e
}
