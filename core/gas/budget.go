package gas

// What lots of cells ought to hold of a channel. That a sum over the whole box agrees tells
// nothing of where it was made and where it was taken: reading back makes warmth where the
// edge of a source is sharp, and where that is taken from wherever the correction sharpened
// something, a plume carries half as much again over its source and ever less on its way.
// So sums are kept by lots of 8³ cells, from what flows through their faces, as finite
// volumes keep them (LeVeque 2002, Finite volume methods for hyperbolic problems, ch. 4):
//
//	want = Σf + dt/h Σ u (f₀ + 4 f½ + f₁)/6
//
// over the faces of a lot, by Simpson's rule in time. f on a face is the mean of two cells; half
// a step on it is what lay half a step upstream before and lies half a step downstream after,
// the mean of both, which cancels what flow along the face does. What that is wrong by goes
// from one lot to the next; as differences are spread over lots side by side before they are
// mended, it goes out again, and what was made or lost stays.

import (
	"math"
	"slices"

	"zarf/core/grid"
	"zarf/core/vec"
)

const (
	lotBits = 3 // of a cell's place that lie within a lot; tiles are whole lots
	lotSize = 1 << lotBits
)

// budget is by lot, x fastest, in cells full of a channel.
type budget struct {
	grid.Dims                  // lots along each axis
	want          []float64    // what there should be after the step
	all           []float64    // what there is
	over, under   []float64    // what the correction added, and what it took
	up, down      []float32    // what may stay of these
	past          [3][]float64 // what goes on through the face to the next along each axis
	much, ov, und *grid.Field
}

// lots lays a budget out for the solver's box, with nothing in it.
func (b *budget) lots(d grid.Dims) {
	few := func(n int) int { return (n + lotSize - 1) >> lotBits }
	if n := (grid.Dims{NX: few(d.NX), NY: few(d.NY), NZ: few(d.NZ)}); n != b.Dims {
		*b = budget{Dims: n, up: make([]float32, n.Len()), down: make([]float32, n.Len()), much: grid.NewField(n), ov: grid.NewField(n), und: grid.NewField(n)}
		for _, list := range []*[]float64{&b.want, &b.all, &b.over, &b.under, &b.past[0], &b.past[1], &b.past[2]} {
			*list = make([]float64, n.Len())
		}
		return
	}
	for _, list := range [][]float64{b.want, b.all, b.over, b.under} {
		clear(list)
	}
}

// layers runs fn over the planes of the box, those of one layer of lots by one thread.
func (b *budget) layers(s *Solver, fn func(k int)) {
	s.crew.For(b.NZ, 1, func(q0, q1 int) {
		for k := q0 << lotBits; k < min(q1<<lotBits, s.NZ); k++ {
			fn(k)
		}
	})
}

// parts runs fn over the runs of cells that may hold something of a channel after it went
// reach cells, cut where lots begin. What lies in solids is left out.
func (b *budget) parts(s *Solver, channel, reach int, fn func(lot, o, n int)) {
	a, l := &s.alive[channel], &s.lay[onCentre]
	b.layers(s, func(k int) {
		for j := range s.NY {
			if !a.any(j-reach, j+reach, k-reach, k+reach, s.NY, s.NZ) {
				continue
			}
			row := b.Index(0, j>>lotBits, k>>lotBits)
			stony := s.solid.any && s.solid.within(j, k, 0)
			for _, p := range l.spans(j, k) {
				for i := p.Lo; i < p.Hi; {
					e, o := min(i|(lotSize-1)+1, p.Hi), l.Index(i, j, k)
					if stony {
						lot := row + i>>lotBits
						s.free(o, e-i, func(o, n int) { fn(lot, o, n) })
					} else {
						fn(row+i>>lotBits, o, e-i)
					}
					i = e
				}
			}
		}
	})
}

// begin takes down what there is of a channel, what comes as gas makes room for itself in
// dt seconds, and half of what flows.
func (b *budget) begin(s *Solver, channel int, dt float64) {
	b.lots(s.Dims)
	f, made := s.channels()[channel].Data, s.roomMade()
	b.parts(s, channel, 0, func(lot, o, n int) {
		sum := vec.Sum(f[o : o+n])
		if made {
			for i, v := range s.source.Data[o : o+n] {
				if v != 0 {
					sum += float64(f[o+i]) * math.Expm1(float64(v)*dt)
				}
			}
		}
		b.want[lot] += sum
	})
	b.flow(s, channel, 0, dt/s.H, -0.5)
}

// end takes down the other half of what flows, and weakens what the correction added to a
// channel, or took, until each lot holds what it should, or nothing of that is left; then
// everywhere until the sum over the box agrees.
func (b *budget) end(s *Solver, channel, reach int, dt float64) {
	p := &s.parcels[channel]
	f, first := p.f.Data, p.hat.Data
	b.flow(s, channel, reach, dt/s.H, 0.5)
	b.parts(s, channel, reach, func(lot, o, n int) {
		b.all[lot] += vec.Sum(f[o : o+n])
		over, under := vec.Bent(f[o:o+n], first[o:o+n])
		b.over[lot], b.under[lot] = b.over[lot]+over, b.under[lot]+under
	})
	b.share(s.crew)
	b.parts(s, channel, reach, func(lot, o, n int) {
		if up, down := b.up[lot], b.down[lot]; up < 1 || down < 1 {
			vec.Bend(f[o:o+n], first[o:o+n], up, down)
		}
	})
}

// scale mends what a scheme without a correction made or lost: what lots hold is multiplied,
// by straight lines between their middles so that no edges show, and then everywhere alike
// until the sum over the box agrees. Nothing becomes more than there is anywhere: gas can't
// miss more than all of its density.
func (b *budget) scale(s *Solver, channel, reach int, dt float64) {
	f := s.channels()[channel].Data
	b.flow(s, channel, reach, dt/s.H, 0.5)
	sum := func(into []float64) {
		b.parts(s, channel, reach, func(lot, o, n int) { into[lot] += vec.Sum(f[o : o+n]) })
	}
	sum(b.all)
	b.parts(s, channel, reach, func(lot, o, n int) {
		top, _ := vec.Largest(f[o : o+n])
		b.under[lot] = max(b.under[lot], float64(top))
	})
	most := float32(slices.Max(b.under))
	var want float64
	for c, all := range b.all {
		want += b.want[c]
		b.much.Data[c], b.ov.Data[c] = float32(all-b.want[c]), float32(math.Abs(all))
	}
	much, ov := grid.Soften(b.much, s.crew), grid.Soften(b.ov, s.crew)
	by := b.und
	for c := range by.Data {
		by.Data[c] = 1
		if a := ov.Data[c]; a > 0 {
			by.Data[c] = min(max(1-much.Data[c]/a, 0.8), 1.25)
		}
	}
	to := func(i int) float32 { return (float32(i)+0.5)/lotSize - 0.5 }
	b.parts(s, channel, reach, func(_, o, n int) {
		i, y, z := o%s.NX, to(o/s.NX%s.NY), to(o/(s.NX*s.NY))
		lot := float32(i >> lotBits)
		before, here, behind := by.Sample(lot-1, y, z), by.Sample(lot, y, z), by.Sample(lot+1, y, z)
		for m := range f[o : o+n] {
			q := here
			if x := to(i+m) - lot; x < 0 {
				q -= x * (before - here)
			} else {
				q += x * (behind - here)
			}
			f[o+m] = min(max(q*f[o+m], -most), most)
		}
	})
	clear(b.over)
	sum(b.over)
	all := 0.0
	for _, v := range b.over {
		all += v
	}
	if q := want / all; all != 0 && q > 0.8 && q < 1.25 {
		b.parts(s, channel, reach, func(_, o, n int) {
			for m := range n {
				f[o+m] = min(max(float32(q)*f[o+m], -most), most)
			}
		})
	}
}

// share works out what may stay of the correction in each lot.
func (b *budget) share(crew grid.Crew) {
	for c, all := range b.all {
		b.much.Data[c], b.ov.Data[c], b.und.Data[c] = float32(all-b.want[c]), float32(b.over[c]), float32(b.under[c])
	}
	if b.NZ < 16 { // waking threads would take longer
		crew = grid.Crew{}
	}
	much, ov, und := grid.Soften(b.much, crew), grid.Soften(b.ov, crew), grid.Soften(b.und, crew)
	var want, all, over, under float64
	for c := range b.all {
		up, down := 1.0, 1.0
		switch m := float64(much.Data[c]); {
		case m > 0 && ov.Data[c] > 0:
			up = max(0, 1-m/float64(ov.Data[c]))
		case m < 0 && und.Data[c] > 0:
			down = max(0, 1+m/float64(und.Data[c]))
		}
		b.up[c], b.down[c] = float32(up), float32(down)
		want, all = want+b.want[c], all+b.all[c]-(1-up)*b.over[c]+(1-down)*b.under[c]
		over, under = over+up*b.over[c], under+down*b.under[c]
	}
	if up, down, _ := shares(want, all, over, under); up < 1 || down < 1 {
		for c := range b.up {
			b.up[c], b.down[c] = b.up[c]*float32(up), b.down[c]*float32(down)
		}
	}
}

// flow takes from lots half of what flows out of them in a step of q cells a unit of velocity,
// and gives it to those that it flows into: that of before the step, read so much of a step
// up (below 0), or of after it, down the stream.
func (b *budget) flow(s *Solver, channel, reach int, q, part float64) {
	f, a := s.channels()[channel], &s.alive[channel]
	for axis := range b.past {
		clear(b.past[axis])
	}
	b.layers(s, func(k int) {
		for j := range s.NY {
			if !a.any(j-1-reach, j+2+reach, k-1-reach, k+2+reach, s.NY, s.NZ) {
				continue
			}
			row := b.Index(0, j>>lotBits, k>>lotBits)
			b.along(s, f, j, k, row, q, part)
			if e := j + 1; e&(lotSize-1) == 0 && e < s.NY {
				b.across(s, 1, f, e, k, row, q, part)
			}
			if e := k + 1; e&(lotSize-1) == 0 && e < s.NZ {
				b.across(s, 2, f, j, e, row, q, part)
			}
		}
	})
	for axis, step := range [3]int{1, b.NX, b.NX * b.NY} {
		for c, v := range b.past[axis] {
			if v != 0 {
				b.want[c] -= v
				b.want[c+step] += v
			}
		}
	}
	for side, open := range s.open {
		if open {
			s.leaving(side, f, func(i, j, k int, out float64) {
				b.want[b.Index(i>>lotBits, j>>lotBits, k>>lotBits)] -= 0.5 * q * out
			})
		}
	}
}

// along reckons what flows along a row, whose lots begin at one, from lot to lot. Nothing flows
// from or to solids.
func (b *budget) along(s *Solver, f *grid.Field, j, k, lot int, q, part float64) {
	u, row, shut := s.U.Row(j, k), f.Row(j, k), s.shut(j, k)
	for _, p := range s.lay[onCentre].spans(j, k) {
		for i := p.Lo&^(lotSize-1) + lotSize; i < p.Hi; i += lotSize {
			if shut == nil || !shut[i-1] && !shut[i] {
				b.past[0][lot+i>>lotBits-1] += crossing(q*float64(u[i]), part, row[max(i-2, 0)], row[i-1], row[i], row[min(i+1, s.NX-1)])
			}
		}
	}
}

// across reckons what flows along y (1) or z (2) through a row of faces, out of the lots from
// one on.
func (b *budget) across(s *Solver, axis int, f *grid.Field, j, k, lot int, q, part float64) {
	y, z := axis%2, axis/2
	v, below, above := s.velocity()[axis].Row(j, k), f.Row(j-y, k-z), f.Row(j, k)
	first, last := f.Row(max(j-2*y, 0), max(k-2*z, 0)), f.Row(min(j+y, s.NY-1), min(k+z, s.NZ-1))
	shut, before := s.shut(j, k), s.shut(j-y, k-z)
	if shut == nil {
		shut = before
	} else if before == nil {
		before = shut
	}
	for _, p := range s.lay[onU+axis].spans(j, k) {
		for i := p.Lo; i < p.Hi; {
			e, sum := min(i|(lotSize-1)+1, p.Hi), 0.0
			for m := i; m < e; m++ {
				if shut == nil || !shut[m] && !before[m] {
					sum += crossing(q*float64(v[m]), part, first[m], below[m], above[m], last[m])
				}
			}
			b.past[axis][lot+i>>lotBits] += sum
			i = e
		}
	}
}

// shut tells of the cells of a row which are in solids; nil: none is.
func (s *Solver) shut(j, k int) []bool {
	if !s.solid.any || !s.solid.within(j, k, 0) {
		return nil
	}
	o := s.Index(0, j, k)
	return s.solid.blocked[o : o+s.NX]
}

// crossing is half of what goes through a face by which c cells pass in a step, of four cells in
// a row about it: straight lines between them are read that part of c from the face.
func crossing(c, part float64, f0, f1, f2, f3 float32) float64 {
	if f0 == 0 && f1 == 0 && f2 == 0 && f3 == 0 {
		return 0
	}
	a, b, mean := f1, f2, 0.5*(float64(f1)+float64(f2))
	x := min(max(part*c, -1.5), 1.5) + 0.5 // from the middle of the second
	switch {
	case x < 0:
		a, b, x = f0, f1, x+1
	case x > 1:
		a, b, x = f2, f3, x-1
	}
	return c * (mean/6 + ((1-x)*float64(a)+x*float64(b))/3)
}
