package upres

// A fine frame: the window that it covers, texture coordinates that flow along, the
// fine velocity, carrying the channels, and bringing their means back to the coarse
// run's.

import (
	"fmt"
	"math"
	"sync"

	"zarf/core/grid"
)

// Version is part of the key of a fine stage.
const Version = "upres/1"

// Settings of a fine stage.
type Settings struct {
	Factor   int     // fine voxels along a coarse one: 2, 3 or 4
	Strength float64 // 1: as Kolmogorov's law has it
	Seed     uint64
}

// Frame is what the coarse run holds: a window of the coarse domain.
type Frame struct {
	Low      [3]int // of the window, in coarse cells
	Velocity [3]*grid.Field
	Channels []*grid.Field // in a fixed order, the first of them smoke
}

// Solver is the state of a fine stage.
type Solver struct {
	Settings
	H    float64 // coarse voxel, m
	crew grid.Crew

	Low      [3]int    // of the window, in coarse cells
	Coarse   grid.Dims // of the window
	Channels []*grid.Field
	Drift    [2][3]*grid.Field // how far texture coordinates have come, coarse voxels, by phase
	Count    int               // frames made
	last     *Frame
}

// New makes a fine stage; h is the coarse voxel in metres.
func New(s Settings, h float64, crew grid.Crew) (*Solver, error) {
	if s.Factor < 2 || s.Factor > 4 {
		return nil, fmt.Errorf("upres: %d times as fine can't be had; choose 2, 3 or 4", s.Factor)
	}
	return &Solver{Settings: s, H: h, crew: crew}, nil
}

// Fine is the size of the fine window.
func (s *Solver) Fine() grid.Dims {
	return grid.Dims{NX: s.Coarse.NX * s.Factor, NY: s.Coarse.NY * s.Factor, NZ: s.Coarse.NZ * s.Factor}
}

// life is how many frames a phase of the texture coordinates lasts.
const life = 16

// pad is how many coarse cells the window has round what is there.
const pad = 2

// Advance takes the next coarse frame, dt seconds after the one before. full
// is the size of the coarse domain.
func (s *Solver) Advance(f *Frame, full grid.Dims, dt float64) {
	// The window follows what the coarse frames hold, so a fine cell that is far
	// from any smoke takes neither memory nor time.
	low, d := s.cover(f, full)
	s.layOut(low, d, len(f.Channels))
	now := s.window(f)
	// the first frame has nothing to carry: it is the coarse one, interpolated
	if s.last == nil {
		s.match(now)
		s.last, s.Count = f, s.Count+1
		return
	}
	before := s.window(s.last)
	// Coarse velocities at both ends of the frame, averaged: second order in time
	// for a whole frame as one step.
	var u [3]*grid.Field // the velocity half-way
	for c := range u {
		u[c] = grid.NewField(d)
		a, b := before.Velocity[c].Data, now.Velocity[c].Data
		for i := range u[c].Data {
			u[c].Data[i] = 0.5 * (a[i] + b[i])
		}
	}
	s.flowTextures(u, dt)
	energy := s.energy(u)
	s.carry(u, energy, dt)
	s.match(now)
	s.last, s.Count = f, s.Count+1
}

// Resume tells the solver the coarse frame of the state that was loaded.
func (s *Solver) Resume(f *Frame) { s.last = f }

// cover is the window that holds this frame and the last.
// Two cells of pad let fine smoke swirl out over the coarse run's edge and come
// back.
func (s *Solver) cover(f *Frame, full grid.Dims) (low [3]int, d grid.Dims) {
	lo, hi := f.Low, [3]int{}
	size := func(f *Frame) [3]int { n := f.Channels[0]; return [3]int{n.NX, n.NY, n.NZ} }
	for a, n := range size(f) {
		hi[a] = lo[a] + n
	}
	if s.last != nil {
		for a, n := range size(s.last) {
			lo[a], hi[a] = min(lo[a], s.last.Low[a]), max(hi[a], s.last.Low[a]+n)
		}
	}
	for a, n := range [3]int{full.NX, full.NY, full.NZ} {
		lo[a], hi[a] = max(0, lo[a]-pad), min(n, hi[a]+pad)
	}
	return lo, grid.Dims{NX: hi[0] - lo[0], NY: hi[1] - lo[1], NZ: hi[2] - lo[2]}
}

// layOut moves the state to another window.
// What two windows share is kept to the bit; new cells are empty, and their texture
// coordinates begin where they are.
func (s *Solver) layOut(low [3]int, d grid.Dims, channels int) {
	if s.Channels != nil && low == s.Low && d == s.Coarse {
		return
	}
	was, wasLow := s.Channels, s.Low
	old := s.Drift
	s.Low, s.Coarse = low, d
	s.Channels = make([]*grid.Field, channels)
	for n := range s.Channels {
		s.Channels[n] = grid.NewField(s.Fine())
		if was != nil {
			shift(s.Channels[n], was[n], wasLow, low, s.Factor)
		}
	}
	for p := range s.Drift {
		for c := range 3 {
			s.Drift[p][c] = grid.NewField(d)
			if old[p][c] != nil {
				shift(s.Drift[p][c], old[p][c], wasLow, low, 1)
			}
		}
	}
}

// shift copies what two windows share.
func shift(dst, src *grid.Field, from, to [3]int, by int) {
	dx, dy, dz := (from[0]-to[0])*by, (from[1]-to[1])*by, (from[2]-to[2])*by
	for k := range src.NZ {
		for j := range src.NY {
			y, z := j+dy, k+dz
			if y < 0 || z < 0 || y >= dst.NY || z >= dst.NZ {
				continue
			}
			lo, hi := max(0, -dx), min(src.NX, dst.NX-dx)
			if lo < hi {
				copy(dst.Row(y, z)[lo+dx:hi+dx], src.Row(j, k)[lo:hi])
			}
		}
	}
}

// window is a frame laid out for the solver's window.
// The frame itself where it fits: most frames of a still window aren't copied.
func (s *Solver) window(f *Frame) *Frame {
	if f.Low == s.Low && f.Channels[0].Dims == s.Coarse {
		return f
	}
	out := &Frame{Low: s.Low}
	move := func(src *grid.Field) *grid.Field {
		dst := grid.NewField(s.Coarse)
		shift(dst, src, f.Low, s.Low, 1)
		return dst
	}
	for c := range out.Velocity {
		out.Velocity[c] = move(f.Velocity[c])
	}
	for _, c := range f.Channels {
		out.Channels = append(out.Channels, move(c))
	}
	return out
}

// flowTextures carries the texture coordinates along and begins a phase anew
// when its time is over: its weight is nothing then.
func (s *Solver) flowTextures(u [3]*grid.Field, dt float64) {
	q := float32(dt / s.H)
	d := s.Coarse
	for p := range s.Drift {
		// Begun anew when the other phase has all of the weight: nobody sees it.
		// Without that the coordinates would be drawn out until the noise was
		// threads.
		if (s.Count+p*life/2)%life == 0 {
			for c := range 3 {
				clear(s.Drift[p][c].Data)
			}
			continue
		}
		var next [3]*grid.Field
		for c := range 3 {
			next[c] = grid.NewField(d)
		}
		s.crew.For(d.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range d.NY {
					for i := range d.NX {
						n := d.Index(i, j, k)
						x, y, z := q*u[0].Data[n], q*u[1].Data[n], q*u[2].Data[n]
						// semi-Lagrangian, one Euler step: the drift is smooth, and
						// lives half a second
						px, py, pz := float32(i)-x, float32(j)-y, float32(k)-z
						// a coordinate stays where it came from: drift grows by the way
						next[0].Data[n] = s.Drift[p][0].Sample(px, py, pz) + x
						next[1].Data[n] = s.Drift[p][1].Sample(px, py, pz) + y
						next[2].Data[n] = s.Drift[p][2].Sample(px, py, pz) + z
					}
				}
			}
		})
		s.Drift[p] = next
	}
}

// weights of the two phases: each rises and falls over its life.
func (s *Solver) weights() (w [2]float32) {
	for p := range w {
		age := float64((s.Count+p*life/2)%life) / life
		// sines half a life apart: their squares add up to 1, and so does the
		// noise's energy
		w[p] = float32(math.Sin(math.Pi * age))
	}
	norm := float32(1 / math.Hypot(float64(w[0]), float64(w[1])))
	w[0], w[1] = w[0]*norm, w[1]*norm
	return w
}

// energy is the speed, in m/s, of the smallest eddies that the coarse run
// holds: the root of what a mean over three cells along each axis takes away,
// softened over the neighbours.
func (s *Solver) energy(u [3]*grid.Field) *grid.Field {
	d := s.Coarse
	out := grid.NewField(d)
	for c := range u {
		// what three cells' mean removes are eddies of two to four cells
		low := grid.Soften(u[c], s.crew)
		for i := range out.Data {
			v := u[c].Data[i] - low.Data[i]
			out.Data[i] += v * v
		}
	}
	// the strength must vary more slowly than the noise that it multiplies, or their
	// product has divergence
	out = grid.Soften(out, s.crew)
	for i, v := range out.Data {
		out.Data[i] = float32(math.Sqrt(float64(v)))
	}
	return out
}

const batch = 512

// bench is the room for a run of fine cells.
type bench struct {
	x, y, z, u, v, w, a, b, c, d, e, g [batch]float32
}

var benches = sync.Pool{New: func() any { return new(bench) }}

// rows runs fn over the fine window's rows in pieces; cells far from anything
// in the coarse frames are left out.
func (s *Solver) rows(live []bool, fn func(t *bench, i, j, k, n int)) {
	d := s.Fine()
	s.crew.For(d.NZ, 1, func(k0, k1 int) {
		t := benches.Get().(*bench)
		defer benches.Put(t)
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				// rows in runs of coarse cells: all fine cells of one are taken or
				// left together
				row := live[(k/s.Factor*s.Coarse.NY+j/s.Factor)*s.Coarse.NX:][:s.Coarse.NX]
				for i := 0; i < s.Coarse.NX; i++ {
					if !row[i] {
						continue
					}
					e := i + 1
					for e < s.Coarse.NX && row[e] && (e+1-i)*s.Factor <= batch {
						e++
					}
					fn(t, i*s.Factor, j, k, (e-i)*s.Factor)
					i = e - 1
				}
			}
		}
	})
}

// near marks coarse cells within reach of smoke or another channel.
// Smoke in any of the frames counts: what has just gone may still be carried in.
func (s *Solver) near(frames ...*Frame) []bool {
	d := s.Coarse
	on := make([]bool, d.Len())
	for _, f := range frames {
		for _, c := range f.Channels {
			for i, v := range c.Data {
				on[i] = on[i] || v > 1e-4 || v < -1e-4
			}
		}
	}
	// two coarse cells: as far as anything goes in a frame that can be followed at
	// all
	for range 2 {
		for axis := range 3 {
			step := [3]int{1, d.NX, d.NX * d.NY}[axis]
			n := [3]int{d.NX, d.NY, d.NZ}[axis]
			next := append([]bool(nil), on...)
			for i, v := range on {
				if !v {
					continue
				}
				p := i / step % n
				if p > 0 {
					next[i-step] = true
				}
				if p+1 < n {
					next[i+step] = true
				}
			}
			on = next
		}
	}
	return on
}

// velocity fills t.u, t.v, t.w (m/s) at n positions t.x, t.y, t.z in coarse
// cells from the window's corner: the coarse flow and its fine whirls. It
// leaves the positions alone.
func (s *Solver) velocity(t *bench, n int, u [3]*grid.Field, energy *grid.Field, noise *whirls, w [2]float32) {
	half := [3]float32{0.5, 0.5, 0.5}
	x, y, z := t.x[:n], t.y[:n], t.z[:n]
	u[0].SampleBatch(t.u[:n], x, y, z, half)
	u[1].SampleBatch(t.v[:n], x, y, z, half)
	u[2].SampleBatch(t.w[:n], x, y, z, half)
	if s.Strength == 0 {
		return
	}
	energy.SampleBatch(t.d[:n], x, y, z, half)
	for p := range s.Drift {
		if w[p] < 1e-3 {
			continue
		}
		s.Drift[p][0].SampleBatch(t.a[:n], x, y, z, half)
		s.Drift[p][1].SampleBatch(t.b[:n], x, y, z, half)
		s.Drift[p][2].SampleBatch(t.c[:n], x, y, z, half)
		// octaves of half the size each, down to two fine cells
		for o, scale := 0, float32(1); o == 0 || int(scale)*2 <= s.Factor; o++ {
			// an octave's whirls are two texels across; the first has the size
			// of a coarse voxel
			// Kolmogorov: energy in an octave goes with k^(−5/3), so speeds with
			// 2^(−5/6)
			gain := float32(s.Strength*math.Pow(2, -5.0/6*float64(o+1))) * w[p]
			s.octave(t, n, scale*2, gain, float32(17*p+5*o), noise)
			scale *= 2
		}
	}
}

// octave adds one octave of noise, texels a coarse cell, at the positions less
// their drift.
func (s *Solver) octave(t *bench, n int, texels, gain, off float32, w *whirls) {
	var px, py, pz, q [batch]float32
	base := [3]float32{float32(s.Low[0]), float32(s.Low[1]), float32(s.Low[2])}
	// the tile repeats; floor and not a cast, as places may be negative
	turn := func(p float32) float32 {
		p *= 2 // the tile is stored twice as fine
		return p - tileFine*float32(math.Floor(float64(p/tileFine)))
	}
	for i := range n {
		// counted from the domain's corner, not the window's: a window that grows
		// sees the same noise
		px[i] = turn((t.x[i]+base[0]-t.a[i])*texels + off)
		py[i] = turn((t.y[i]+base[1]-t.b[i])*texels + 2*off)
		pz[i] = turn((t.z[i]+base[2]-t.c[i])*texels + 3*off)
	}
	for c, to := range [3][]float32{t.u[:n], t.v[:n], t.w[:n]} {
		w[c].SampleBatch(q[:n], px[:n], py[:n], pz[:n], [3]float32{})
		for i := range to {
			to[i] += gain * t.d[i] * q[i]
		}
	}
}

// carry advects the fine channels by MacCormack with the limiter of Selle et
// al. (2008), along ways traced by the midpoint rule through the fine velocity.
//
// Ways are worked out once for all channels and kept for the whole window, 24 bytes
// a fine cell: evaluating the fine velocity costs far more than sampling a channel.
func (s *Solver) carry(u [3]*grid.Field, energy *grid.Field, dt float64) {
	noise := whirlsOf(s.Seed, s.crew)
	d := s.Fine()
	live := s.near(s.window(s.last))
	inv := 1 / float32(s.Factor)
	step := float32(dt / s.H)
	var way [2][3]*grid.Field // back and forth, in fine cells
	for g := range way {
		for c := range 3 {
			way[g][c] = grid.NewField(d)
		}
	}
	wts := s.weights()
	s.rows(live, func(t *bench, i, j, k, n int) {
		// back (0) and forth (1), traced independently: MacCormack compares them
		for g, q := range [2]float32{-step, step} {
			for m := range n {
				t.x[m], t.y[m], t.z[m] = (float32(i+m)+0.5)*inv, (float32(j)+0.5)*inv, (float32(k)+0.5)*inv
			}
			s.velocity(t, n, u, energy, noise, wts)
			for m := range n {
				t.x[m] += 0.5 * q * t.u[m]
				t.y[m] += 0.5 * q * t.v[m]
				t.z[m] += 0.5 * q * t.w[m]
			}
			s.velocity(t, n, u, energy, noise, wts)
			o := d.Index(i, j, k)
			for c, v := range [3][]float32{t.u[:n], t.v[:n], t.w[:n]} {
				to := way[g][c].Data[o : o+n]
				for m := range to {
					to[m] = q * v[m] * float32(s.Factor)
				}
			}
		}
	})
	at := func(t *bench, g, i, j, k, n int) {
		o := d.Index(i, j, k)
		a, b, c := way[g][0].Data[o:], way[g][1].Data[o:], way[g][2].Data[o:]
		for m := range n {
			t.x[m], t.y[m], t.z[m] = float32(i+m)+a[m], float32(j)+b[m], float32(k)+c[m]
		}
	}
	for _, f := range s.Channels {
		hat, low, high := grid.NewField(d), grid.NewField(d), grid.NewField(d)
		s.rows(live, func(t *bench, i, j, k, n int) {
			at(t, 0, i, j, k, n)
			o := d.Index(i, j, k)
			f.SampleRangeBatch(hat.Data[o:o+n], low.Data[o:o+n], high.Data[o:o+n], t.x[:n], t.y[:n], t.z[:n], [3]float32{})
		})
		out := grid.NewField(d)
		s.rows(live, func(t *bench, i, j, k, n int) {
			at(t, 1, i, j, k, n)
			o := d.Index(i, j, k)
			hat.SampleBatch(t.e[:n], t.x[:n], t.y[:n], t.z[:n], [3]float32{})
			for m := range n {
				// out of the range that the first step read: the first step's value
				v := hat.Data[o+m] + 0.5*(f.Data[o+m]-t.e[m])
				if v < low.Data[o+m] || v > high.Data[o+m] {
					v = hat.Data[o+m]
				}
				out.Data[o+m] = v
			}
		})
		f.Data = out.Data
	}
}

// sharper is how far over the largest coarse value round it a fine channel may
// go: smoke may gather a little, heat and fuel may not, or specks would glow
// that the coarse run has not.
const sharper = 1.3

// match scales the fine channels so that their means over a coarse cell are
// the coarse run's. Where the fine has next to nothing it takes the coarse
// value as it is. What is cut off at the largest value round it is missing from
// the mean until the next frame.
//
// The ratio is taken a coarse cell and interpolated to the fine ones. So means hold nearly after one frame, and over frames to what sharper cuts off.
func (s *Solver) match(now *Frame) {
	inv := 1 / float32(s.Factor)
	live := s.near(now)
	for n, f := range s.Channels {
		c := now.Channels[n]
		mean := s.means(f)
		ratio, plain := grid.NewField(s.Coarse), grid.NewField(s.Coarse)
		for i, v := range c.Data {
			m := mean.Data[i]
			switch {
			// Only where the fine cells hold a tenth of what they should is a factor
			// good enough; below that it would blow up what is left of an edge.
			case m > 0.1*v && m > 1e-6 && v > 0:
				ratio.Data[i] = min(v/m, 2)
			case m < 0.1*v && m < -1e-6 && v < 0:
				ratio.Data[i] = min(v/m, 2)
			case v != 0:
				plain.Data[i] = 1
			}
		}
		lo, hi := extremes(c)
		room := float32(1)
		if n == 0 {
			room = sharper
		}
		d := f.Dims
		out := grid.NewField(d)
		s.rows(live, func(t *bench, i, j, k, n int) {
			for m := range n {
				t.x[m], t.y[m], t.z[m] = (float32(i+m)+0.5)*inv-0.5, (float32(j)+0.5)*inv-0.5, (float32(k)+0.5)*inv-0.5
			}
			x, y, z := t.x[:n], t.y[:n], t.z[:n]
			// ratios and plain values are interpolated, or cells would show as steps
			ratio.SampleBatch(t.a[:n], x, y, z, [3]float32{})
			plain.SampleBatch(t.b[:n], x, y, z, [3]float32{})
			c.SampleBatch(t.c[:n], x, y, z, [3]float32{})
			lo.SampleBatch(t.d[:n], x, y, z, [3]float32{})
			hi.SampleBatch(t.e[:n], x, y, z, [3]float32{})
			o := d.Index(i, j, k)
			for m := range n {
				v := t.a[m]*f.Data[o+m] + t.b[m]*t.c[m]
				// never beyond the neighbours' range: overshoot of temperature would
				// glow
				out.Data[o+m] = min(max(v, room*min(t.d[m], 0)), room*t.e[m])
			}
		})
		f.Data = out.Data
	}
}

// extremes are the smallest and largest value of every cell and its neighbours.
// Of the 27 cells about each, axis by axis: nine comparisons a cell.
func extremes(f *grid.Field) (lo, hi *grid.Field) {
	lo, hi = grid.NewField(f.Dims), grid.NewField(f.Dims)
	copy(lo.Data, f.Data)
	copy(hi.Data, f.Data)
	for axis, step := range [3]int{1, f.NX, f.NX * f.NY} {
		n := [3]int{f.NX, f.NY, f.NZ}[axis]
		a, b := append([]float32(nil), lo.Data...), append([]float32(nil), hi.Data...)
		for i := range a {
			// separable: extremes along x, then of those along y, then z
			if p := i / step % n; p > 0 {
				lo.Data[i], hi.Data[i] = min(lo.Data[i], a[i-step]), max(hi.Data[i], b[i-step])
				if p+1 < n {
					lo.Data[i], hi.Data[i] = min(lo.Data[i], a[i+step]), max(hi.Data[i], b[i+step])
				}
			} else if n > 1 {
				lo.Data[i], hi.Data[i] = min(lo.Data[i], a[i+step]), max(hi.Data[i], b[i+step])
			}
		}
	}
	return lo, hi
}

// means are the means over the fine cells of every coarse one.
// Plain sums in a fixed order: match divides by them.
func (s *Solver) means(f *grid.Field) *grid.Field {
	out := grid.NewField(s.Coarse)
	b := s.Factor
	q := 1 / float32(b*b*b)
	s.crew.For(s.Coarse.NZ, 1, func(k0, k1 int) {
		for k := k0 * b; k < k1*b; k++ {
			for j := range f.NY {
				row, to := f.Row(j, k), out.Row(j/b, k/b)
				for i := range to {
					var sum float32
					for _, v := range row[i*b : (i+1)*b] {
						sum += v
					}
					to[i] += q * sum
				}
			}
		}
	})
	return out
}
