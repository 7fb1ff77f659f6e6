package gas

// Solids thinner than a voxel. Their faces are shut by what lies between the middles of
// cells (sim.ShutThin); what is carried along is then read from one side of them alone:
// a way ends before a shut face that it would go through, and of the eight cells round
// its end those count that open faces join to the one it lies in (Guendelman, Selle,
// Losasso, Fedkiw 2005).

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/sim"
)

// sheets are the faces that thin solids shut.
type sheets struct {
	// By cell, for its lower faces: bit a says that the one along axis a is shut, bit 4 + a
	// that what shuts it is thin: fluid is within a cell on both sides. nil: there never
	// were any.
	shut    []uint8
	normals [3]map[int32][3]float32
	lo, hi  [3]int // cells beside them, those at hi not included
	near    *patches
}

func (t *sheets) any() bool { return t.hi[0] > t.lo[0] }

// shutThin finds them, in a range of corners whose shares of faces were just filled in.
func (s *Solver) shutThin(r span3) {
	so := &s.solid
	t := &so.sheets
	if t.shut != nil {
		s.crew.For(s.NZ, 4, func(k0, k1 int) { clear(t.shut[s.Index(0, 0, k0):s.Index(0, 0, k1)]) })
	}
	t.lo, t.hi = [3]int{s.NX, s.NY, s.NZ}, [3]int{}
	open := [3]*grid.Field{so.fx, so.fy, so.fz}
	w := &sim.Walls{Dims: s.Dims, H: s.H, Origin: s.Origin, List: so.list, Node: so.node, Open: open, Lo: r.lo, Crew: s.crew}
	for a, n := range [3]int{s.NX, s.NY, s.NZ} {
		w.Hi[a] = min(r.hi[a], n)
	}
	vel := [3]*grid.Field{so.vx, so.vy, so.vz}
	for a, list := range sim.ShutThin(w) {
		t.normals[a] = make(map[int32][3]float32, len(list))
		f := open[a]
		for _, sheet := range list {
			n := int(sheet.Face)
			at := [3]int{n % f.NX, n / f.NX % f.NY, n / (f.NX * f.NY)}
			t.normals[a][sheet.Face] = sheet.Normal
			if so.moving {
				vel[a].Data[n] = s.solidVelocity(at[0], at[1], at[2], a)
			}
		}
	}
}

// ajar is the open share of a face under which nothing goes through.
const ajar = 0.01

// markSheets notes, in a range of corners, which faces are shut, and which of them by
// something thin: one between two cells that fluid gets into, or of a cell that it doesn't
// get into with such cells on both sides of it.
func (s *Solver) markSheets(r span3) {
	so := &s.solid
	t := &so.sheets
	if !slices.ContainsFunc(so.list, func(c sim.Collider) bool { return sim.Thin(&c.Shape, s.H) }) {
		return
	}
	n := [3]int{s.NX, s.NY, s.NZ}
	if t.shut == nil {
		t.shut = make([]uint8, s.Len())
	}
	t.near = newPatches(n)
	step := [3]int{1, s.NX, s.NX * s.NY}
	open := [3]*grid.Field{so.fx, so.fy, so.fz}
	for k := r.lo[2]; k < min(r.hi[2], n[2]); k++ {
		for j := r.lo[1]; j < min(r.hi[1], n[1]); j++ {
			for i := r.lo[0]; i < min(r.hi[0], n[0]); i++ {
				at := [3]int{i, j, k}
				c := s.Index(i, j, k)
				for a := range 3 {
					if at[a] == 0 || open[a].At(i, j, k) >= ajar {
						continue
					}
					t.shut[c] |= 1 << a
					before := so.blocked[c-step[a]]
					thin := !before && !so.blocked[c]
					thin = thin || so.blocked[c] && !before && at[a]+1 < n[a] && !so.blocked[c+step[a]]
					thin = thin || before && !so.blocked[c] && at[a] > 1 && !so.blocked[c-2*step[a]]
					if !thin {
						continue
					}
					t.shut[c] |= 16 << a
					t.near.mark(i, j, k)
					for b := range 3 {
						t.lo[b], t.hi[b] = min(t.lo[b], at[b]), max(t.hi[b], at[b]+1)
					}
					t.lo[a] = min(t.lo[a], at[a]-1)
				}
			}
		}
	}
}

// oneSided is a cell that is read from one side of a sheet, and what it gets of each field.
type oneSided struct {
	cell int
	v    [maxChannels]float32
}

// maxChannels is how many fields are carried together at most.
const maxChannels = 5

// besideSheets reads the fields anew for cells whose way back, or whose surroundings at its
// end, a sheet lies across; by planes. reach is how far ways go, cells.
func (s *Solver) besideSheets(list []*parcel, reach int) [][]oneSided {
	t := &s.solid.sheets
	if !t.any() {
		return nil
	}
	if s.solid.moving {
		reach += s.solid.goes + 2
	}
	out := make([][]oneSided, s.NZ)
	var lo, hi [3]int
	for a, n := range [3]int{s.NX, s.NY, s.NZ} {
		lo[a], hi[a] = max(t.lo[a]-reach, 0), min(t.hi[a]+reach, n)
	}
	near, h := t.near.grown(reach+1), &s.lay[onHalo]
	s.crew.For(max(hi[2]-lo[2], 0), 1, func(k0, k1 int) {
		for k := lo[2] + k0; k < lo[2]+k1; k++ {
			for j := lo[1]; j < hi[1]; j++ {
				for _, run := range s.lay[onCentre].spans(j, k) {
					lo, hi := max(run.Lo, lo[0]), min(run.Hi, hi[0])
					if lo >= hi {
						continue
					}
					read := func(lo, hi int) { out[k] = s.besideRow(out[k], list, lo, hi, j, k) }
					if s.longest(0, ((k+1)*h.NY+j+1)*h.NX+lo+1, hi-lo) > reach-1 { // speeds that no survey has seen
						read(lo, hi)
						continue
					}
					near.runs(lo, hi, j, k, read)
				}
			}
		}
	})
	return out
}

// besideRow is besideSheets for cells lo to hi of a row; it adds them to out.
func (s *Solver) besideRow(out []oneSided, list []*parcel, lo, hi, j, k int) []oneSided {
	h := &s.lay[onHalo]
	for i := lo; i < hi; i++ {
		m := ((k+1)*h.NY+j+1)*h.NX + i + 1
		end := [3]float32{float32(i) + 0.5 + 2*s.way[0][0][m], float32(j) + 0.5 + 2*s.way[0][1][m], float32(k) + 0.5 + 2*s.way[0][2][m]}
		if one, ok := s.readOneSided(list, [3]int{i, j, k}, end); ok {
			out = append(out, one)
		}
	}
	return out
}

// readOneSided reads the fields at the end of a way from a cell, if a sheet may matter.
func (s *Solver) readOneSided(list []*parcel, cell [3]int, end [3]float32) (out oneSided, ok bool) {
	n := [3]int{s.NX, s.NY, s.NZ}
	var base, lo, hi [3]int
	for a, x := range end {
		if !(x >= 0 && x <= float32(n[a])) {
			return out, false // from outside
		}
		base[a] = int(x+0.5) - 1
		lo[a], hi[a] = max(min(base[a], cell[a]), 0), min(max(base[a]+1, cell[a]), n[a]-1)
	}
	if s.solid.moving && len(s.solid.thinWas) > 0 {
		m := s.solid.goes + 1
		for a := range 3 {
			lo[a], hi[a] = max(lo[a]-m, 0), min(hi[a]+m, n[a]-1)
		}
		if !s.sheetIn(lo, hi) {
			return out, false
		}
		return s.readWas(list, cell, end), true
	}
	if !s.sheetIn(lo, hi) {
		return out, false
	}
	return s.readStill(list, cell, end), true
}

// readStill is readOneSided where no sheet moves.
func (s *Solver) readStill(list []*parcel, cell [3]int, end [3]float32) (out oneSided) {
	n := [3]int{s.NX, s.NY, s.NZ}
	var base [3]int
	in := s.stopAtSheet([3]float32{float32(cell[0]) + 0.5, float32(cell[1]) + 0.5, float32(cell[2]) + 0.5}, cell, &end)
	// corners of the dual cell, clamped to the box; those joined to the one that the way
	// ends in
	var at [8][3]int
	var weight [8]float32
	start := 0
	for a, x := range end {
		base[a] = int(x+0.5) - 1
		if in[a] > base[a] {
			start |= 1 << a
		}
	}
	for c := range at {
		weight[c] = 1
		for a := range 3 {
			q := base[a] + c>>a&1
			f := end[a] + 0.5 - float32(base[a]+1)
			if c>>a&1 == 0 {
				f = 1 - f
			}
			weight[c] *= f
			at[c][a] = min(max(q, 0), n[a]-1)
		}
	}
	joined := s.joined(&at, start)
	out.cell = s.Index(cell[0], cell[1], cell[2])
	var sum float32
	for c, w := range weight {
		if joined>>c&1 == 0 {
			continue
		}
		sum += w
		m := s.Index(at[c][0], at[c][1], at[c][2])
		for p := range list {
			out.v[p] += w * list[p].f.Data[m]
		}
	}
	for p := range list {
		if sum > 1e-4 {
			out.v[p] /= sum
		} else {
			out.v[p] = list[p].f.Data[s.Index(in[0], in[1], in[2])]
		}
	}
	return out
}

// readWas is readOneSided where sheets move: what is read is of a substep before, when they were where
// they came from. A cell's side of a sheet is that of the place which moves with the sheet to the cell's
// middle; from there the way goes on to its end, or to a sheet as it was, and those cells count whose
// middles no sheet lies before.
func (s *Solver) readWas(list []*parcel, cell [3]int, end [3]float32) (out oneSided) {
	n := [3]int{s.NX, s.NY, s.NZ}
	place := func(x, y, z float64) geom.Vec3 { return s.Origin.Add(geom.V(x, y, z).Mul(s.H)) }
	at := place(float64(cell[0])+0.5, float64(cell[1])+0.5, float64(cell[2])+0.5)
	from := at
	if c := s.nearest(at); c != nil {
		if d := c.Shape.Distance(at); d < 2*sim.Gap { // within it, it is on the nearer side
			at = at.Add(c.Shape.Normal(at).Mul(2*sim.Gap - d))
		}
		from = at.Sub(c.Velocity(at, s.solid.dt).Mul(s.solid.dt))
	}
	to := place(float64(end[0]), float64(end[1]), float64(end[2]))
	if t, met := s.sheetWas(from, to); met {
		to = from.Add(to.Sub(from).Mul(0.999 * t))
	}
	q := to.Sub(s.Origin).Mul(1 / s.H)
	var sum float32
	out.cell = s.Index(cell[0], cell[1], cell[2])
	x := [3]float64{q.X - 0.5, q.Y - 0.5, q.Z - 0.5}
	nearest, best := out.cell, -1.0
	for c := range 8 {
		w := 1.0
		var m [3]int
		for a := range 3 {
			f := x[a] - math.Floor(x[a])
			if m[a] = int(math.Floor(x[a])) + c>>a&1; c>>a&1 == 0 {
				f = 1 - f
			}
			w *= f
			m[a] = min(max(m[a], 0), n[a]-1)
		}
		if _, met := s.sheetWas(to, place(float64(m[0])+0.5, float64(m[1])+0.5, float64(m[2])+0.5)); met {
			continue
		}
		k := s.Index(m[0], m[1], m[2])
		if sum += float32(w); w > best {
			nearest, best = k, w
		}
		for p := range list {
			out.v[p] += float32(w) * list[p].f.Data[k]
		}
	}
	for p := range list {
		switch {
		case sum > 1e-4:
			out.v[p] /= sum
		case best >= 0:
			out.v[p] = list[p].f.Data[nearest]
		}
	}
	return out
}

// sheetWas is the share of a way at which it meets a sheet as that was a substep before.
func (s *Solver) sheetWas(from, to geom.Vec3) (t float64, met bool) {
	t = 1
	for i := range s.solid.thinWas {
		if u, _, ok := s.solid.thinWas[i].Meets(from, to, 0); ok && u < t {
			t, met = u, true
		}
	}
	return t, met
}

// sheetIn reports a sheet between the cells from lo to hi.
func (s *Solver) sheetIn(lo, hi [3]int) bool {
	shut := s.solid.sheets.shut
	for k := lo[2]; k <= hi[2]; k++ {
		for j := lo[1]; j <= hi[1]; j++ {
			for i := lo[0]; i <= hi[0]; i++ {
				if b := shut[s.Index(i, j, k)]; b > 15 && (b&16 != 0 && i > lo[0] || b&32 != 0 && j > lo[1] || b&64 != 0 && k > lo[2]) {
					return true
				}
			}
		}
	}
	return false
}

// stopAtSheet goes from a place in a cell towards end through the cells between, and ends the
// way before the first face that is shut; it returns the cell that it ends in.
func (s *Solver) stopAtSheet(from [3]float32, cell [3]int, end *[3]float32) [3]int {
	var way, next, each [3]float32
	for a := range 3 {
		way[a] = end[a] - from[a]
		// when the next face is met, and how long a cell takes, of the way
		next[a], each[a] = math.MaxFloat32, math.MaxFloat32
		if d := float32(math.Abs(float64(way[a]))); d > 1e-6 {
			room := from[a] - float32(cell[a])
			if way[a] > 0 {
				room = float32(cell[a]+1) - from[a]
			}
			next[a], each[a] = room/d, 1/d
		}
	}
	n := [3]int{s.NX, s.NY, s.NZ}
	for {
		a := 0
		for b := range 3 {
			if next[b] < next[a] {
				a = b
			}
		}
		if next[a] > 1 {
			return cell
		}
		to, upper := cell, cell
		if way[a] > 0 {
			to[a]++
			upper = to
		} else {
			to[a]--
		}
		if to[a] < 0 || to[a] >= n[a] {
			return cell
		}
		if s.solid.sheets.shut[s.Index(upper[0], upper[1], upper[2])]>>a&1 != 0 {
			for b := range 3 {
				end[b] = from[b] + 0.999*next[a]*way[b]
			}
			return cell
		}
		cell = to
		next[a] += each[a]
	}
}

// joined are the corners, as bits, that open faces join to one of them.
func (s *Solver) joined(at *[8][3]int, start int) uint8 {
	met := uint8(1) << start
	for range 3 {
		for c := range 8 {
			if met>>c&1 == 0 {
				continue
			}
			for a := range 3 {
				to := c ^ 1<<a
				if met>>to&1 != 0 {
					continue
				}
				up := at[max(c, to)]
				// at the box's side both are one cell
				if at[c] == at[to] || s.solid.sheets.shut[s.Index(up[0], up[1], up[2])]>>a&1 == 0 {
					met |= 1 << to
				}
			}
		}
	}
	return met
}
