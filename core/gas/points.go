package gas

// Smoke carried by points. A grid blurs what it carries a little in every step: the reading
// between voxels is a mean. Points that go along with the flow blur nothing (Harlow 1964,
// The particle-in-cell computing method), so that threads and edges stay as thin as they
// came in, for as long as the flow leaves them so. Each step the voxels are filled from the
// points by quadratic B-splines, a voxel and a half wide; what emitters and fire then add to
// voxels becomes points.
//
// What it costs: nine samples a point and step for its way (Ralston 1962, third order),
// sorting by planes, 27 voxels to add to. Grain is what is left of the points' randomness,
// about 0.4/√n of the density with n in a voxel.

import (
	"fmt"
	"math"
	"sync/atomic"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/vec"
)

// mostPoints is how many are carried at most: 2 GB.
const mostPoints = 1 << 26

// faint is the smoke, in voxels of density 1, under which a point is given up.
const faint = 1e-5

// skin is how near points come to what they don't get through, cells.
const skin = 1e-3

// points are smoke.
type points struct {
	at   [3][]float32 // cells from the limit's corner
	of   []float32    // how much: density times voxels
	room [4][]float32 // to sort into
	from []int        // where the planes of the box begin
	ours bool         // the voxels' smoke is that of the points
	held *grid.Field  // what voxels held of them, before anything was added
	want []float32    // what emitters hold there
	met  []uint32     // of voxels: those round them that fluid gets to, 0 where nobody has asked; nil: solids have moved
}

// columns are all that is known of points.
func (p *points) columns() [4]*[]float32 { return [4]*[]float32{&p.at[0], &p.at[1], &p.at[2], &p.of} }

// hold makes room for n points, of which nothing is known.
func (p *points) hold(n int) {
	for _, c := range p.columns() {
		*c = make([]float32, n)
	}
}

// carrySmoke takes points along the flow for dt seconds, and counts what lies in each voxel.
// What fades goes at so much a second.
func (s *Solver) carrySmoke(dt, fades float64) error {
	p := s.points
	if p == nil {
		return nil
	}
	if !p.ours { // the voxels were filled by somebody else
		p.hold(0)
		s.countPoints(false)
		if err := s.turnToPoints(); err != nil {
			return err
		}
	}
	s.travel(float32(dt/s.H), float32(math.Exp(-fades*dt)))
	s.sortPoints()
	s.countPoints(true)
	return nil
}

// countPoints makes the voxels' smoke that of the points that lie in each (told), or notes
// that none of it is.
func (s *Solver) countPoints(told bool) {
	p, l := s.points, &s.lay[onCentre]
	if p.held == nil {
		p.held, p.want = &grid.Field{Dims: s.Dims, Data: s.alloc(s.Len())}, s.alloc(s.Len())
	}
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for _, r := range l.spans(j, k) {
					o, n := s.Index(r.Lo, j, k), r.Hi-r.Lo
					clear(p.held.Data[o : o+n])
					clear(p.want[o : o+n])
				}
			}
			if !told {
				continue
			}
			for i := p.from[k]; i < p.from[k+1]; i++ {
				p.held.Data[s.cellOf(i, k)] += p.of[i]
			}
			for j := range s.NY {
				for _, r := range l.spans(j, k) {
					copy(s.Smoke.Row(j, k)[r.Lo:r.Hi], p.held.Row(j, k)[r.Lo:r.Hi])
				}
			}
		}
	})
}

// cellOf is the voxel of a point in plane k.
func (s *Solver) cellOf(i, k int) int {
	p := s.points
	return s.Index(clampInt(int(p.at[0][i])-s.Low[0], s.NX-1), clampInt(int(p.at[1][i])-s.Low[1], s.NY-1), k)
}

// trip is what a batch of points needs on its way.
type trip struct {
	x, y, z [batch]float32
	v       [3][3][batch]float32 // of the three stages, by component
}

// travel moves all points by q cells a unit of velocity, and weakens them.
func (s *Solver) travel(q, keeps float32) {
	p := s.points
	lattices := [3]vec.Lattice{s.U.Lattice(atU.array()), s.V.Lattice(atV.array()), s.W.Lattice(atW.array())}
	n := len(p.of)
	s.crew.For((n+batch-1)/batch, 4, func(lo, hi int) {
		t := new(trip)
		for b := lo; b < hi; b++ {
			first, last := b*batch, min((b+1)*batch, n)
			s.travelBatch(t, &lattices, first, last, q)
			for i := first; i < last; i++ {
				p.of[i] *= keeps
				s.settlePoint(t, i, i-first)
			}
		}
	})
}

// travelBatch finds where points first to last get to, by Ralston's third-order steps through
// a flow that stands still meanwhile.
func (s *Solver) travelBatch(t *trip, lattices *[3]vec.Lattice, first, last int, q float32) {
	p, n := s.points, last-first
	var from [3][]float32
	for a := range from {
		from[a] = p.at[a][first:last]
	}
	to := [3][]float32{t.x[:n], t.y[:n], t.z[:n]}
	for stage, ahead := range [3]float32{0, 0.5, 0.75} {
		for a := range to {
			low := float32(s.Low[a])
			if stage == 0 {
				for i, x := range from[a] {
					to[a][i] = x - low
				}
				continue
			}
			v, k := t.v[stage-1][a][:n], ahead*q
			for i, x := range from[a] {
				to[a][i] = (x - low) + float32(k*v[i])
			}
		}
		for c := range lattices {
			lattices[c].Sample(t.v[stage][c][:n], to[0], to[1], to[2])
		}
	}
	for a := range to {
		low := float32(s.Low[a])
		v0, v1, v2 := t.v[0][a][:n], t.v[1][a][:n], t.v[2][a][:n]
		for i, x := range from[a] {
			d := float32(2*v0[i]) + float32(3*v1[i]) + float32(4*v2[i])
			to[a][i] = (x - low) + float32(q*(1.0/9))*d
		}
	}
	if s.stirred {
		s.whirled(to, from)
	}
}

// settlePoint keeps a point's way out of solids and within closed sides, and gives it up where
// it has left.
func (s *Solver) settlePoint(t *trip, i, m int) {
	p := s.points
	to := [3]float32{t.x[m], t.y[m], t.z[m]}
	if s.solid.any {
		from := [3]float32{p.at[0][i] - float32(s.Low[0]), p.at[1][i] - float32(s.Low[1]), p.at[2][i] - float32(s.Low[2])}
		if !s.aroundSolids(from, &to) {
			p.of[i] = 0
			return
		}
	}
	for a, n := range [3]int{s.NX, s.NY, s.NZ} {
		switch top := float32(n); {
		case !(to[a] >= skin): // or no number
			if s.open[2*a] || to[a] != to[a] {
				p.of[i] = 0
				return
			}
			to[a] = skin
		case to[a] > top-skin:
			if s.open[2*a+1] {
				p.of[i] = 0
				return
			}
			to[a] = top - skin
		}
	}
	if p.of[i] < faint || !s.tiles.Full() && !s.roomAt(to) {
		p.of[i] = 0
		return
	}
	for a := range to {
		p.at[a][i] = to[a] + float32(s.Low[a])
	}
}

// roomAt reports that all voxels round a place within the box are in use.
func (s *Solver) roomAt(at [3]float32) bool {
	x, y, z := uint(at[0]), uint(at[1]), uint(at[2])
	i, j, k := max(x, 1)-1, max(y, 1)-1, max(z, 1)-1
	i, j, k = i/grid.TileX, j/grid.TileY, k/grid.TileZ
	x, y, z = min(x+1, uint(s.NX-1))/grid.TileX, min(y+1, uint(s.NY-1))/grid.TileY, min(z+1, uint(s.NZ-1))/grid.TileZ
	on := s.tiles.On
	if home := s.tiles.Index(int(i), int(j), int(k)); i == x && j == y && k == z {
		return on[home]
	}
	for c := k; c <= z; c++ {
		for b := j; b <= y; b++ {
			for a := i; a <= x; a++ {
				if !on[s.tiles.Index(int(a), int(b), int(c))] {
					return false
				}
			}
		}
	}
	return true
}

// aroundSolids ends a way at sheets that lie across it, and outside solids; false: it
// ended deep inside one, and what was there is gone.
func (s *Solver) aroundSolids(from [3]float32, to *[3]float32) bool {
	so := &s.solid
	j, k := clampInt(int(to[1]), s.NY-1), clampInt(int(to[2]), s.NZ-1)
	if !so.within(j, k, s.goes+so.goes+2) {
		return true
	}
	f := &grid.Field{Dims: grid.Dims{NX: s.NX + 1, NY: s.NY + 1, NZ: s.NZ + 1}, Data: so.node}
	near := s.nearCorners(so.lo, so.hi)
	if d, g, l := near.inside(f, to[0], to[1], to[2]); l > 0 {
		for a := range to {
			to[a] += -d / l * g[a]
		}
	}
	if so.sheets.any() {
		s.beforeSheets(from, to)
	}
	return f.Sample(to[0], to[1], to[2]) > -1
}

// beforeSheets ends a way before the first sheet that it would go through: those that stand
// by the faces that they shut, moving ones as they were, from where the way is seen as they
// move along.
func (s *Solver) beforeSheets(from [3]float32, to *[3]float32) {
	if !s.solid.moving || len(s.solid.thinWas) == 0 {
		var cell [3]int
		for a, n := range [3]int{s.NX, s.NY, s.NZ} {
			cell[a] = clampInt(int(from[a]), n-1)
		}
		// rounding must not take it to the other side of a face that it lies beside
		for a, c := range s.stopAtSheet(from, cell, to) {
			to[a] = min(max(to[a], float32(c)+skin), float32(c+1)-skin)
		}
		return
	}
	place := func(q *[3]float32) geom.Vec3 {
		return s.Origin.Add(geom.V(float64(q[0]), float64(q[1]), float64(q[2])).Mul(s.H))
	}
	a, b := place(&from), place(to)
	var along geom.Vec3
	if c := s.nearest(b); c != nil {
		along = c.Velocity(b, s.solid.dt).Mul(s.solid.dt)
	}
	if t, met := s.sheetWas(a, b.Sub(along)); met {
		b = a.Add(b.Sub(along).Sub(a).Mul(0.999 * t)).Add(along)
		for n, v := range b.Sub(s.Origin).Mul(1 / s.H).Array() {
			to[n] = float32(v)
		}
	}
}

// strip is how many rows of voxels points are sorted by: what they are read and spread by stays in
// the cache.
const strip = 8

// sortPoints puts points in the order of the strips of rows that they are in, plane by plane, and
// leaves out those that were given up. Within a strip their order stays, so bits don't depend on
// threads.
func (s *Solver) sortPoints() {
	p := s.points
	n := len(p.of)
	parts := min(64, n/4096+1)
	each := (n + parts - 1) / parts
	counts := make([][]int32, parts)
	strips := (s.NY + strip - 1) / strip
	place := func(i int) int {
		return clampInt(int(p.at[2][i])-s.Low[2], s.NZ-1)*strips + clampInt(int(p.at[1][i])-s.Low[1], s.NY-1)/strip
	}
	s.crew.For(parts, 1, func(lo, hi int) {
		for c := lo; c < hi; c++ {
			counts[c] = make([]int32, s.NZ*strips)
			for i := c * each; i < min((c+1)*each, n); i++ {
				if p.of[i] != 0 {
					counts[c][place(i)]++
				}
			}
		}
	})
	if len(p.from) != s.NZ+1 {
		p.from = make([]int, s.NZ+1)
	}
	all := 0
	for q := range s.NZ * strips {
		if q%strips == 0 {
			p.from[q/strips] = all
		}
		for c := range counts {
			count := int(counts[c][q])
			counts[c][q] = int32(all)
			all += count
		}
	}
	p.from[s.NZ] = all
	for c := range p.room {
		if cap(p.room[c]) < all {
			p.room[c] = make([]float32, all, all+all/4)
		}
		p.room[c] = p.room[c][:all]
	}
	s.crew.For(parts, 1, func(lo, hi int) {
		for c := lo; c < hi; c++ {
			for i := c * each; i < min((c+1)*each, n); i++ {
				if p.of[i] == 0 {
					continue
				}
				q := place(i)
				to := counts[c][q]
				counts[c][q]++
				p.room[0][to], p.room[1][to], p.room[2][to], p.room[3][to] = p.at[0][i], p.at[1][i], p.at[2][i], p.of[i]
			}
		}
	})
	for c, col := range p.columns() {
		*col, p.room[c] = p.room[c], *col
	}
}

// slab is how many planes of points are spread together. They reach a plane beyond either side, so
// that every other slab can be spread at once, and sums are in the same order on any threads.
const slab = 4

// fillFromPoints makes the voxels' smoke that of the points, those made just now with them.
func (s *Solver) fillFromPoints(made [][4][]float32) {
	p, l := s.points, &s.lay[onCentre]
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range s.NY {
				for _, r := range l.spans(j, k) {
					clear(s.Smoke.Row(j, k)[r.Lo:r.Hi])
				}
			}
		}
	})
	if s.solid.any && p.met == nil {
		p.met = make([]uint32, s.Len())
	}
	sorted := len(p.from) == s.NZ+1
	slabs := (s.NZ + slab - 1) / slab
	for odd := range 2 {
		s.crew.For((slabs+1-odd)/2, 1, func(n0, n1 int) {
			for n := n0; n < n1; n++ {
				first := (2*n + odd) * slab
				for k := first; k < min(first+slab, s.NZ); k++ {
					if sorted {
						lo, hi := p.from[k], p.from[k+1]
						s.deposit([3][]float32{p.at[0][lo:hi], p.at[1][lo:hi], p.at[2][lo:hi]}, p.of[lo:hi], k)
					}
					c := &made[k]
					s.deposit([3][]float32{c[0], c[1], c[2]}, c[3], k)
				}
			}
		})
	}
}

// spline are the weights of the voxels before, at and behind a place that lies f from the
// middle of its own, of n along an axis: what would lie beyond the box stays in it.
func spline(f float32, c, n int) (w [3]float32) {
	a, b := 0.5-f, 0.5+f
	w = [3]float32{0.5 * a * a, 0.75 - f*f, 0.5 * b * b}
	if c == 0 {
		w[1], w[0] = w[1]+w[0], 0
	}
	if c == n-1 {
		w[1], w[2] = w[1]+w[2], 0
	}
	return w
}

// deposit adds the smoke of points in plane k to the voxels round them.
func (s *Solver) deposit(at [3][]float32, of []float32, k int) {
	lowX, lowY, lowZ := float32(s.Low[0]), float32(s.Low[1]), float32(s.Low[2])
	nx, plane := s.NX, s.NX*s.NY
	for i, m := range of {
		x, y, z := at[0][i]-lowX, at[1][i]-lowY, at[2][i]-lowZ
		a, b := clampInt(int(x), nx-1), clampInt(int(y), s.NY-1)
		wx, wy, wz := spline(x-float32(a)-0.5, a, nx), spline(y-float32(b)-0.5, b, s.NY), spline(z-float32(k)-0.5, k, s.NZ)
		if s.solid.any && s.solid.within(b, k, 2) {
			if met := s.metRound(a, b, k); met != allMet {
				s.spreadBeside(met, [3]int{a, b, k}, m, &wx, &wy, &wz)
				continue
			}
		}
		home := k*plane + b*nx + a
		for dz, z := range wz {
			if z == 0 {
				continue
			}
			for dy, y := range wy {
				w := m * z * y
				if w == 0 {
					continue
				}
				o := home + (dz-1)*plane + (dy-1)*nx
				if a > 0 && a+1 < nx {
					row := (*[3]float32)(s.Smoke.Data[o-1:])
					row[0] += w * wx[0]
					row[1] += w * wx[1]
					row[2] += w * wx[2]
					continue
				}
				s.Smoke.Data[o] += w * wx[1]
				if a > 0 {
					s.Smoke.Data[o-1] += w * wx[0]
				}
				if a+1 < nx {
					s.Smoke.Data[o+1] += w * wx[2]
				}
			}
		}
	}
}

// allMet are all 27 voxels round one, as bits, x fastest.
const allMet = 1<<27 - 1

// metRound are those of the 27 voxels round one that fluid gets to from it: not through
// solids, and not through sheets.
func (s *Solver) metRound(i, j, k int) uint32 {
	known := &s.points.met[s.Index(i, j, k)] // of a plane that one thread alone has
	if *known == 0 {
		*known = s.findMet(i, j, k)
	}
	return *known
}

func (s *Solver) findMet(i, j, k int) uint32 {
	so := &s.solid
	n, step := [3]int{s.NX, s.NY, s.NZ}, [3]int{1, s.NX, s.NX * s.NY}
	home := [3]int{i, j, k}
	if so.blocked[s.Index(i, j, k)] {
		return allMet
	}
	var outside uint32 // what lies beyond the box counts as met: nothing is put there
	met, last := uint32(1<<13), uint32(0)
	by := [3]int{1, 3, 9}
	for met != last {
		last = met
		for c := range 27 {
			if last>>c&1 == 0 {
				continue
			}
			at := [3]int{home[0] + c%3 - 1, home[1] + c/3%3 - 1, home[2] + c/9 - 1}
			cell := s.Index(at[0], at[1], at[2])
			for a := range 3 {
				d := c / by[a] % 3
				if d > 0 && at[a] > 0 && !so.blocked[cell-step[a]] && (so.sheets.shut == nil || so.sheets.shut[cell]>>a&1 == 0) {
					met |= 1 << (c - by[a])
				}
				if d < 2 && at[a]+1 < n[a] && !so.blocked[cell+step[a]] && (so.sheets.shut == nil || so.sheets.shut[cell+step[a]]>>a&1 == 0) {
					met |= 1 << (c + by[a])
				}
			}
		}
	}
	for c := range 27 {
		for a := range 3 {
			if q := home[a] + c/by[a]%3 - 1; q < 0 || q >= n[a] {
				outside |= 1 << c
			}
		}
	}
	return met | outside
}

// spreadBeside is deposit where not all voxels round the point's own are met from it: those that are
// share what the others would get.
func (s *Solver) spreadBeside(met uint32, home [3]int, m float32, wx, wy, wz *[3]float32) {
	var sum float32
	for c := range 27 {
		if met>>c&1 != 0 {
			sum += wx[c%3] * wy[c/3%3] * wz[c/9]
		}
	}
	for c := range 27 {
		if w := wx[c%3] * wy[c/3%3] * wz[c/9]; met>>c&1 != 0 && w != 0 {
			s.Smoke.Data[s.Index(home[0]+c%3-1, home[1]+c/3%3-1, home[2]+c/9-1)] += m * w / sum
		}
	}
}

// turnToPoints makes points of what was added to the voxels' smoke, and fills these from all
// points.
func (s *Solver) turnToPoints() error {
	p := s.points
	if p == nil {
		return nil
	}
	p.ours = true
	made := make([][4][]float32, s.NZ)
	seed := math.Float64bits(s.Time)
	l := &s.lay[onCentre]
	var all atomic.Int64
	all.Store(int64(len(p.of)))
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			over := false
			for j := range s.NY {
				for _, r := range l.spans(j, k) {
					before := len(made[k][3])
					over = s.newInRow(&made[k], r, j, k, seed) || over
					if all.Add(int64(len(made[k][3])-before)) > mostPoints {
						return
					}
				}
			}
			if over {
				s.weaken(k)
			}
		}
	})
	if all.Load() > mostPoints {
		return fmt.Errorf("gas: the smoke takes more than %d million points; give fewer points per voxel, less smoke or larger voxels", mostPoints>>20)
	}
	s.fillFromPoints(made)
	for c, col := range p.columns() {
		for k := range made {
			*col = append(*col, made[k][c]...)
		}
	}
	return nil
}

// newInRow makes points of what was added to a run of voxels. Where an emitter holds smoke, up to
// half too much is chance, and count as what it holds: topping up alone what is
// too little would hold too much. It says whether there are such voxels, and leaves in held
// what their points are to be weakened by.
func (s *Solver) newInRow(to *[4][]float32, r grid.Span, j, k int, seed uint64) (over bool) {
	p := s.points
	o := s.Index(0, j, k)
	for i := r.Lo; i < r.Hi; i++ {
		n := o + i
		smoke, was := s.Smoke.Data[n], p.held.Data[n]
		p.held.Data[n] = 1
		switch want := p.want[n]; {
		case s.solid.any && s.solid.blocked[n]:
		case smoke-was > faint:
			s.newPoints(to, smoke-was, i, j, k, seed)
		case was > want && was < 1.5*want:
			p.held.Data[n], over = want/was, true
		}
	}
	return over
}

// weaken takes from the points of plane k what is too much in their voxels.
func (s *Solver) weaken(k int) {
	p := s.points
	if len(p.from) != s.NZ+1 {
		return
	}
	for i := p.from[k]; i < p.from[k+1]; i++ {
		p.of[i] *= p.held.Data[s.cellOf(i, k)]
	}
}

// newPoints makes points of smoke in a voxel, spread evenly (Roberts 2018, a lattice by the
// powers of 1/φ₃, φ₃⁴ = φ₃ + 1). Of less than a point holds one is made by that chance.
func (s *Solver) newPoints(to *[4][]float32, more float32, i, j, k int, seed uint64) {
	roll := noise.Hash(seed, int64(i+s.Low[0]), int64(j+s.Low[1]), int64(k+s.Low[2]))
	unit := func(bits int) float64 { return float64(roll>>bits&0xffff) / 65536 }
	want := float64(more) * s.PerVoxel
	count := int(want + unit(0))
	if count == 0 {
		return
	}
	each := more / float32(count)
	if want < 1 {
		each = float32(1 / s.PerVoxel)
	}
	const a1, a2, a3 = 0.8191725133961645, 0.6710436067037893, 0.5497004779019703
	for m := range count {
		f := float64(m)
		for c, v := range [3]float64{unit(16) + a1*f, unit(32) + a2*f, unit(48) + a3*f} {
			to[c] = append(to[c], float32([3]int{i, j, k}[c]+s.Low[c])+float32(v-math.Floor(v)))
		}
		to[3] = append(to[3], each)
	}
}

// takePoints takes over the points of another solver, of voxels of another size.
func (s *Solver) takePoints(o *Solver) {
	p := s.points
	if p == nil || o.points == nil || !o.points.ours {
		return // the voxels' smoke becomes points
	}
	n, q := len(o.points.of), o.H/s.H
	p.hold(n)
	shift := o.Limit.Origin.Sub(s.Limit.Origin).Mul(1 / s.H).Array()
	for a := range p.at {
		for i, x := range o.points.at[a] {
			p.at[a][i] = float32(float64(x)*q + shift[a])
		}
	}
	for i, m := range o.points.of {
		p.of[i] = m * float32(q*q*q)
	}
	p.ours = true
}
