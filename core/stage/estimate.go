package stage

import (
	"math"

	"zarf/core/gas"
	"zarf/core/liquid"
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
	fillShare   = 0.45
	packedShare = 0.8
)

// wetShare is how much of a liquid domain is full, as a rule.
const wetShare = 1.0 / 3

// FollowShare is how much of its limit a domain whose bounds follow uses on
// the mean, as a rule.
const FollowShare = 0.4

// BytesFine is the memory that a fine voxel of upres takes, of what smoke
// fills as a rule.
const BytesFine = 20

// Bytes is the memory that a voxel of a domain takes.
func Bytes(d *shot.Element) float64 {
	if d.Liquid() { // as if a third were full
		n := float64(Detail(d))
		return liquid.BytesPerCell + wetShare*liquid.BytesPerFull + 4*n*n*n
	}
	if d.Burns() {
		return gas.BytesPerCell + gas.BytesPerBurning
	}
	return gas.BytesPerCell
}

// substeps guesses the mean number of substeps a frame from the fastest gas
// that emitters make.
func substeps(s *shot.Shot, d *shot.Element) float64 {
	fast := 1.0
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) {
			continue
		}
		v := abs(e.Get("speed").Num)
		for _, k := range e.Keys["speed"] {
			v = max(v, abs(k.Value.Num))
		}
		hot := abs(e.Get("temperature").Num-s.Get("air_temperature").Num) / s.Get("air_temperature").Num
		// gas that rises by its own warmth through the domain's height
		rise := math.Sqrt(2 * abs(s.Get("gravity").Num*d.Get("lift").Num) * hot * d.Get("size").Vec[1] * 0.3)
		if d.Burns() && e.Get("fuel").Num > 0 { // flames rise at several metres a second
			rise = max(rise, math.Sqrt(2*abs(s.Get("gravity").Num*d.Get("lift").Num)*4*d.Get("size").Vec[1]*0.3))
		}
		fast = max(fast, v, rise)
	}
	n := math.Ceil(fast * s.Get("time_scale").Num / s.Rate() / (d.Get("cfl").Num * d.Get("voxel").Num))
	return min(max(n, d.Get("min_substeps").Num, 1), d.Get("max_substeps").Num)
}

func abs(v float64) float64 { return math.Abs(v) }

// Guess works out an estimate; rate is voxels stepped a second on this
// machine.
func Guess(s *shot.Shot, d *shot.Element, rate float64) Estimate {
	dims, _, _ := d.Grid()
	first, last := s.Range()
	v := d.Voxels()
	e := Estimate{NX: dims.NX, NY: dims.NY, NZ: dims.NZ, Voxels: v, Memory: v * Bytes(d), Frames: last - first + 1}
	values, slower, fill := 2.0, 1.0, fillShare
	if d.Liquid() { // a full voxel's particles take about as long as four voxels of gas
		n := float64(Detail(d))
		e.Disk = float64(e.Frames) * v * (1 + 0.15*n*n*n)
		if d.Get("cache_velocity").Flag {
			e.Disk *= 1.6
		}
		if rate > 0 {
			e.Seconds = (float64(e.Frames) + s.Get("preroll").Num) * v * (1 + 4*wetShare) * substeps(s, d) / rate
		}
		return e
	}
	if d.Burns() {
		values, slower = 4, 1.4
	}
	if !d.Get("cache_temperature").Flag {
		values--
	}
	if d.Burns() && !d.Get("cache_fire").Flag {
		values -= 2
	}
	if d.Get("cache_velocity").Flag {
		values += 3
	}
	if d.Follows() {
		// a guess: fluid grows from nothing to the share that it fills, and
		// fills that better than a fixed box
		v *= FollowShare
		fill = 1
		e.Memory *= 2 * FollowShare
	}
	if d.Get("scheme").Text == string(gas.Reflection) {
		slower *= 3.5
	}
	size := 4.0
	if d.Get("cache_half").Flag {
		size = 2
	}
	e.Disk = float64(e.Frames) * v * values * size * fill * packedShare
	if f := Factor(d); f > 1 { // the fine stage comes on top
		fine := v * float64(f*f*f)
		e.NX, e.NY, e.NZ, e.Voxels = e.NX*f, e.NY*f, e.NZ*f, e.Voxels*float64(f*f*f)
		e.Memory = max(e.Memory, fine*BytesFine)
		e.Disk += float64(e.Frames) * fine * (values - 3) * size * fillShare * packedShare
		if rate > 0 {
			e.Seconds += float64(e.Frames) * fine * fillShare / rate
		}
	}
	if rate > 0 {
		e.Seconds += (float64(e.Frames) + s.Get("preroll").Num) * v * slower * substeps(s, d) / rate
	}
	return e
}
