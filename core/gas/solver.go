package gas

import (
	"fmt"
	"math"

	"zarf/core/grid"
	"zarf/core/pressure"
)

// Version is part of every cache key: raise it when results change.
const Version = "gas/1"

// Solver is the state of one fluid and the room to work in.
type Solver struct {
	Box
	crew    grid.Crew
	U, V, W *grid.Field // m/s on faces
	Smoke   *grid.Field
	Heat    *grid.Field // K over the air's temperature
	Time    float64     // s since the first frame's start

	proj      *pressure.Solver
	solid     solids
	source    *grid.Field // volume made, 1/s
	sourced   bool
	tmp       [4]*grid.Field
	back      [3][]float32
	curl      [4]*grid.Field
	projReady bool
	lastDt    float64
}

// FrameStats tells how a frame went.
type FrameStats struct {
	Substeps    int     `json:"substeps"`
	Capped      bool    `json:"capped"` // more substeps were needed than allowed
	Iterations  int     `json:"iterations"`
	Residual    float64 `json:"residual"` // the worst
	MaxSpeed    float64 `json:"max_speed"`
	SmokeTotal  float64 `json:"smoke_total"` // density integrated, m³
	HeatTotal   float64 `json:"heat_total"`  // K·m³
	VolumeMade  float64 `json:"volume_made"` // m³ since the frame before
	Unconverged int     `json:"unconverged"`
}

// New makes a fluid at rest.
func New(b Box, crew grid.Crew) (*Solver, error) {
	if !(b.H > 0) || math.IsInf(b.H, 0) {
		return nil, fmt.Errorf("gas: voxel size is %g m; give more than 0", b.H)
	}
	proj, err := pressure.New(b.Dims, crew)
	if err != nil {
		return nil, fmt.Errorf("gas: %w", err)
	}
	s := &Solver{Box: b, crew: crew, proj: proj}
	d := b.Dims
	s.U = grid.NewField(grid.Dims{NX: d.NX + 1, NY: d.NY, NZ: d.NZ})
	s.V = grid.NewField(grid.Dims{NX: d.NX, NY: d.NY + 1, NZ: d.NZ})
	s.W = grid.NewField(grid.Dims{NX: d.NX, NY: d.NY, NZ: d.NZ + 1})
	s.Smoke, s.Heat = grid.NewField(d), grid.NewField(d)
	s.source = grid.NewField(d)
	big := grid.Dims{NX: d.NX + 1, NY: d.NY + 1, NZ: d.NZ + 1}
	for i := range s.tmp {
		s.tmp[i] = &grid.Field{Data: make([]float32, big.Len())}
	}
	for i := range s.back {
		s.back[i] = make([]float32, big.Len())
	}
	return s, nil
}

// BytesPerCell is the memory that a run takes for each voxel, for estimates
// before a run; measured by TestMemoryEstimate.
const BytesPerCell = 180

// scratch is temporary field n with dimensions d.
func (s *Solver) scratch(n int, d grid.Dims) *grid.Field {
	f := s.tmp[n]
	f.Dims = d
	return &grid.Field{Dims: d, Data: f.Data[:d.Len()]}
}

// Frame advances by one frame of dt seconds. On an error the state is that of
// the failed substep; load the last good one.
func (s *Solver) Frame(dt float64, sub Substeps, scene Scene, stop func() bool) (FrameStats, error) {
	var st FrameStats
	left := dt
	for left > dt*1e-9 {
		if stop != nil && stop() {
			return st, ErrStopped
		}
		step, capped := s.choose(left, dt, sub, st.Substeps, scene)
		st.Capped = st.Capped || capped
		if step > left*(1-1e-9) {
			step = left
		}
		in := scene(s.Time+step, step)
		if err := s.step(step, in, &st); err != nil {
			return st, err
		}
		s.Time += step
		left -= step
		st.Substeps++
	}
	st.MaxSpeed = s.maxSpeed()
	v := s.H * s.H * s.H
	st.SmokeTotal, st.HeatTotal = s.total(s.Smoke)*v, s.total(s.Heat)*v
	return st, nil
}

// ErrStopped says that a frame was given up because it was asked to stop.
var ErrStopped = fmt.Errorf("gas: stopped within a frame")

// BlowUp is the error of a run whose values are no longer finite or absurd.
type BlowUp struct {
	Time    float64
	Channel string
	Cell    [3]int
	Value   float64
	Cause   string
}

func (b *BlowUp) Error() string {
	return fmt.Sprintf("gas: %s became %g at cell %v after %.3f s: %s", b.Channel, b.Value, b.Cell, b.Time, b.Cause)
}

// choose picks the next substep from the fastest fluid now and the fastest
// that an emitter is about to add.
func (s *Solver) choose(left, frame float64, sub Substeps, done int, scene Scene) (step float64, capped bool) {
	fast := s.maxSpeed()
	in := scene(s.Time, 0)
	for _, e := range in.Emitters {
		fast = max(fast, math.Abs(e.Speed)+e.Push.Len())
	}
	for _, w := range in.Winds {
		if w.Grip > 0 {
			fast = max(fast, w.Velocity.Len()*(1-math.Exp(-w.Grip*frame)))
		}
	}
	_, hot, _ := s.Heat.Range()
	lift := math.Abs(in.Physics.Gravity * in.Physics.Lift * float64(hot) / in.Physics.AirTemperature)
	fast += 0.5 * lift * left
	n := int(math.Ceil(fast * left / (sub.CFL * s.H) * (1 - 1e-6)))
	n = max(n, sub.Min-done, 1)
	if room := max(1, sub.Max-done); n > room {
		return left / float64(room), true
	}
	return left / float64(n), false
}

func (s *Solver) step(dt float64, in Inputs, st *FrameStats) error {
	if err := in.Physics.check(); err != nil {
		return err
	}
	if err := s.updateSolids(in.Colliders, dt); err != nil {
		return err
	}
	s.advect(float32(dt), in.Physics.Scheme)
	s.decay(dt, in.Physics)
	st.VolumeMade += s.emit(dt, in.Emitters) * dt
	s.force(dt, in)
	ps := s.project(in.Physics)
	s.extend()
	st.Iterations += ps.Iterations
	st.Residual = max(st.Residual, ps.Residual)
	if !ps.Converged {
		st.Unconverged++
	}
	return s.healthy(in)
}

// healthy looks for values that are not finite.
func (s *Solver) healthy(in Inputs) error {
	names := []string{"velocity x", "velocity y", "velocity z", "smoke density", "temperature"}
	for n, f := range []*grid.Field{s.U, s.V, s.W, s.Smoke, s.Heat} {
		bad := s.crew.Sum(f.NZ, 4, func(k int) float64 {
			lo := f.NX * f.NY * k
			var acc float32
			for _, v := range f.Data[lo : lo+f.NX*f.NY] {
				acc += v - v // zero for finite values, NaN otherwise
			}
			return float64(acc)
		})
		if bad == 0 {
			continue
		}
		for i, v := range f.Data {
			if v-v == 0 {
				continue
			}
			return &BlowUp{Time: s.Time, Channel: names[n], Value: float64(v),
				Cell:  [3]int{i % f.NX, i / f.NX % f.NY, i / (f.NX * f.NY)},
				Cause: likelyCause(in)}
		}
	}
	return nil
}

func likelyCause(in Inputs) string {
	for _, e := range in.Emitters {
		if math.Abs(e.Speed)+e.Push.Len() > 500 {
			return "an emitter's speed is over 500 m/s"
		}
		if math.Abs(e.Temperature) > 1e5 {
			return "an emitter's temperature is absurd"
		}
	}
	if in.Physics.Vorticity > 2 {
		return "vorticity confinement is likely too strong"
	}
	return "lower the strongest force or raise the number of substeps"
}

// maxSpeed is the largest speed along any axis, m/s.
func (s *Solver) maxSpeed() float64 {
	var worst float64
	for _, f := range []*grid.Field{s.U, s.V, s.W} {
		part := make([]float32, f.NZ)
		s.crew.For(f.NZ, 4, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				lo := f.NX * f.NY * k
				var m float32
				for _, v := range f.Data[lo : lo+f.NX*f.NY] {
					if v < 0 {
						v = -v
					}
					if v > m {
						m = v
					}
				}
				part[k] = m
			}
		})
		for _, m := range part {
			worst = max(worst, float64(m))
		}
	}
	return worst
}

func (s *Solver) total(f *grid.Field) float64 {
	return s.crew.Sum(f.NZ, 4, func(k int) float64 {
		var t float64
		lo := f.NX * f.NY * k
		for _, v := range f.Data[lo : lo+f.NX*f.NY] {
			t += float64(v)
		}
		return t
	})
}

// decay fades smoke and cools heat.
func (s *Solver) decay(dt float64, p Physics) {
	for _, c := range []struct {
		f *grid.Field
		k float64
	}{{s.Smoke, p.Dissipation}, {s.Heat, p.Cooling}} {
		if c.k == 0 {
			continue
		}
		q := float32(math.Exp(-c.k * dt))
		s.crew.For(len(c.f.Data), 1<<14, func(lo, hi int) {
			for i, v := range c.f.Data[lo:hi] {
				v *= q
				if v < 1e-7 && v > -1e-7 {
					v = 0 // keeps denormals away
				}
				c.f.Data[lo+i] = v
			}
		})
	}
}

// Centre averages the face velocities at cell (i,j,k).
func (s *Solver) Centre(i, j, k int) (u, v, w float32) {
	return 0.5 * (s.U.At(i, j, k) + s.U.At(i+1, j, k)),
		0.5 * (s.V.At(i, j, k) + s.V.At(i, j+1, k)),
		0.5 * (s.W.At(i, j, k) + s.W.At(i, j, k+1))
}
