package stage

import (
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
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

// FillShare is the share of a domain that smoke or the like fills, as a rule;
// PackedShare is what compression leaves of it.
const (
	FillShare   = 0.45
	PackedShare = 0.8
)

// StatesShare is what saved states add to the disk that frames take: a run keeps the
// last one and some earlier ones, at most six, eight frames apart or more. A state of
// floats that nothing is left out of is about as large as three and a half frames.
func StatesShare(frames int) float64 {
	return 1 + 3.5*float64(1+min(frames/8, 6))/float64(max(frames, 1))
}

// Substeps guesses the mean number of substeps a frame of a fluid at fast, m/s.
func Substeps(s *shot.Shot, d *shot.Element, fast float64) float64 {
	n := math.Ceil(fast * val.TimeScale.Of(s) / s.Rate() / (val.Cfl.Of(d) * val.Voxel.Of(d)))
	return min(max(n, val.MinSubsteps.Of(d), 1), val.MaxSubsteps.Of(d))
}

// Inflow is the fastest that emitters let fluid into a domain, m/s.
func Inflow(s *shot.Shot, d *shot.Element) (fast float64) {
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) {
			continue
		}
		fast = max(fast, math.Abs(val.Speed.Of(e)))
		for _, k := range e.Keys(val.Speed) {
			fast = max(fast, math.Abs(k.Value.Num))
		}
	}
	return fast
}

// StepCost is what a voxel's step of a domain costs, in steps of the plainest fluid.
func StepCost(s *shot.Shot, d *shot.Element) float64 {
	if solver := Of(d); solver != nil && solver.Cost != nil {
		return solver.Cost(s, d)
	}
	return 1
}

// Memory is what a run of a domain takes, bytes.
func Memory(d *shot.Element) float64 {
	solver := Of(d)
	if solver == nil {
		return 0
	}
	need := d.Voxels() * solver.Bytes(d)
	if solver.Share != nil {
		need *= solver.Share(d)
	}
	if r := RefinementOf(d); r != nil {
		// the coarse run has ended when the fine one begins: the larger of the two
		// counts
		need = max(need, d.Voxels()*r.Bytes(d))
	}
	return need
}

// Guess works out an estimate; rate is voxels stepped a second on this
// machine.
func Guess(s *shot.Shot, d *shot.Element, rate float64) Estimate {
	dims, _, _ := d.Grid()
	first, last := s.Range()
	e := Estimate{NX: dims.NX, NY: dims.NY, NZ: dims.NZ, Voxels: d.Voxels(), Memory: Memory(d), Frames: last - first + 1}
	if solver := Of(d); solver != nil && solver.Guess != nil {
		solver.Guess(s, d, rate, &e)
	}
	switch r := RefinementOf(d); { // the fine stage comes on top
	case r == nil:
	case r.Guess != nil:
		r.Guess(d, &e)
	default:
		e.refined(d, r.factor(d), rate)
	}
	return e
}

// factor is how many fine voxels stand along one of the run that it refines.
func (r *Refinement) factor(d *shot.Element) int {
	if r.Factor == nil {
		return 1
	}
	return r.Factor(d)
}

// refined adds what a refinement takes: velocity stays coarse.
func (e *Estimate) refined(d *shot.Element, f int, rate float64) {
	n := float64(f * f * f)
	values := 0.0
	for _, c := range Channels(d) {
		if c.Kept && c.Role != frame.Vector {
			values++
		}
	}
	size := 4.0
	if val.CacheHalf.Of(d) {
		size = 2
	}
	share := 1.0
	if solver := Of(d); solver.Share != nil {
		share = min(1, solver.Share(d))
	}
	fine := e.Voxels * share * n
	e.NX, e.NY, e.NZ, e.Voxels = e.NX*f, e.NY*f, e.NZ*f, e.Voxels*n
	e.Disk += float64(e.Frames) * fine * values * size * FillShare * PackedShare
	if rate > 0 {
		e.Seconds += float64(e.Frames) * fine * FillShare / rate
	}
}

// Cells is the grid of a domain's final frames, a refinement included.
func Cells(d *shot.Element) (n grid.Dims, h float64, origin geom.Vec3) { return cells(d, Factor(d)) }

// RunCells is the grid of the frames of a domain's run, before a refinement.
func RunCells(d *shot.Element) (n grid.Dims, h float64, origin geom.Vec3) {
	return cells(d, Fineness(d))
}

func cells(d *shot.Element, f int) (n grid.Dims, h float64, origin geom.Vec3) {
	n, h, origin = d.Grid()
	if val.Flat.Of(d) {
		f = 1
	}
	return grid.Dims{NX: n.NX * f, NY: n.NY * f, NZ: n.NZ * f}, h / float64(f), origin
}
