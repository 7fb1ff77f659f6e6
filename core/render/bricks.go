package render

// Volumes as the quick march reads them: bricks of 8³ cells, with the values at all
// corners and four numbers each, where there is smoke or flame. A look within a brick
// reads everything by four loads, whatever the volume's edges; what is empty takes no
// memory.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// bricks of a volume. Positions are in values from half of one below the low corner on,
// so that brick n holds the values 8n − 1 to 8n + 7, which stand for voxels or for their
// halves; beyond the volume the outermost repeat.
type bricks struct {
	v      *Volume
	fold   int     // values a voxel along each axis: two where it is read smoothly
	h      float64 // m from value to value
	rest   *bricks // all planes but that of smoke, a value a voxel; nil: they are here
	cells  *bricks // the light of fire, a value a cell of it; nil: there is none
	n      [3]int  // an axis
	all    vec.Bricks
	at     []int32 // where each begins; none where there is nothing
	none   int32   // an empty brick, with which those begin that don't glow
	data   [planes][]uint16
	scale  [planes][4]float32 // of numbers there: powers of two, so that halves hold them
	coarse float32            // values in a cell of light by colours
	around look.RGB           // light of the sky, of which light in the smoke is a share
	lo, hi [3]float64
	empty  bool
}

// Planes are four numbers of each value: what smoke is, with the light in it where that is
// of one colour; light of the sun that has come by way of other smoke, that of sky and
// ground, that of fire and lamps, and what glows, by colour, where they are needed. The
// last has those bricks alone that come before none.
const (
	ofSmoke = iota
	ofMany
	ofSky
	ofFire
	ofGlow
	planes
)

// What a number of smoke is, and the fourth of ofMany.
const (
	density = iota
	sunStraight
	sunMany
	skyAll
	hue = 3 // what tints it
)

// newBricks lays a volume and the light in it out for the march. Where smoke is read
// smoothly, light by colours and what glows stay as fine as voxels.
func newBricks(v *Volume, l *lightGrid, smooth bool, crew grid.Crew) *bricks {
	coloured := l.many[1] != nil
	all := [planes]bool{ofSmoke: true, ofMany: coloured, ofSky: coloured, ofGlow: v.Glow[0] != nil}
	var b *bricks
	if smooth && v.spline != nil {
		b = layOut(v, l, 2, [planes]bool{ofSmoke: true}, crew)
		if all[ofSmoke] = false; all != ([planes]bool{}) {
			b.rest = layOut(v, l, 1, all, crew)
		}
	} else {
		b = layOut(v, l, 1, all, crew)
	}
	if l.fire[0] != nil && !v.empty {
		b.cells = layCells(v, l, crew)
	}
	return b
}

// layCells makes bricks of the light of fire in all cells that it is known in: they are so
// few that nothing is left out.
func layCells(v *Volume, l *lightGrid, crew grid.Crew) *bricks {
	f := l.fire[0].Dims
	b := &bricks{v: v, fold: 1, h: v.H * float64(l.coarse), n: [3]int{f.NX/tile + 1, f.NY/tile + 1, f.NZ/tile + 1}}
	b.all = vec.NewBricks(b.n)
	b.at = b.all.At
	for n := range b.at {
		b.at[n] = int32(n * vec.BrickSize)
	}
	b.all.Most = int32((len(b.at) - 1) * vec.BrickSize)
	b.none = b.all.Most + 1
	b.data[ofFire] = make([]uint16, len(b.at)*vec.BrickSize)
	by := &b.scale[ofFire]
	*by = [4]float32{1, 1, 1, 1}
	var inv [4]float32
	for c := range 3 {
		most, _ := vec.Largest(l.fire[c].Data)
		by[c] = fitting(most)
		inv[c] = 1 / by[c]
	}
	crew.For(len(b.at), 4, func(from, to int) {
		var m mason
		for n := from; n < to; n++ {
			for c := range 3 {
				b.copy(&m, c, l.fire[c], b.place(n))
			}
			vec.Braid(b.data[ofFire][b.at[n]:], &[4]*vec.BrickRows{&m.rows[0], &m.rows[1], &m.rows[2], &m.none}, &inv)
		}
	})
	return b
}

// fitting is a scale by which halves hold numbers up to the largest: 1, where they do as
// they are.
func fitting(most float32) float32 {
	if most > 1024 || most > 0 && most < 1.0/16 {
		_, e := math.Frexp(float64(most))
		return float32(math.Ldexp(1, min(max(e, -100), 100)))
	}
	return 1
}

// layOut makes bricks of so many values a voxel, with those planes that are wanted.
func layOut(v *Volume, l *lightGrid, fold int, want [planes]bool, crew grid.Crew) *bricks {
	b := &bricks{v: v, empty: v.empty, fold: fold, h: v.H / float64(fold), coarse: l.coarse * float32(fold), around: l.around}
	if v.empty {
		return b
	}
	for a, n := range [3]int{v.Density.NX, v.Density.NY, v.Density.NZ} {
		b.n[a] = fold*n/tile + 1 // a value more, with both halves beyond
	}
	list := b.number()
	for p := range want {
		switch {
		case want[p] && p == ofGlow:
			b.data[p] = make([]uint16, int(b.none)+vec.BrickSize)
		case want[p]:
			b.data[p] = make([]uint16, (len(list)+1)*vec.BrickSize)
		}
	}
	b.weigh(l)
	crew.For(len(list), 8, func(from, to int) {
		var m mason
		for p, scale := range b.scale {
			for c, v := range scale {
				m.by[p][c] = 1 / v
			}
		}
		for _, n := range list[from:to] {
			b.fill(&m, n, l)
		}
	})
	return b
}

// of are the bricks that hold a plane.
func (b *bricks) of(plane int) *bricks {
	if plane == ofFire && b.cells != nil {
		return b.cells
	}
	if b.rest != nil && plane != ofSmoke {
		return b.rest
	}
	return b
}

// number gives bricks with something in them their places, those that glow first, and
// lists them.
func (b *bricks) number() (list []int) {
	v, t := b.v, b.v.tiles
	b.all = vec.NewBricks(b.n)
	b.at = b.all.At
	lo, hi := b.n, [3]int{-1, -1, -1}
	var dark []int
	for n := range b.at {
		at := b.place(n)
		// a tile is told with a ring of a voxel, which holds the brick's lower side
		m := t.Index(min(at[0]/b.fold, t.NX-1), min(at[1]/b.fold, t.NY-1), min(at[2]/b.fold, t.NZ-1))
		switch {
		case v.lit != nil && v.lit[m]:
			list = append(list, n)
		case v.major[m] > 0:
			dark = append(dark, n)
		default:
			continue
		}
		for a, i := range at {
			lo[a], hi[a] = min(lo[a], i), max(hi[a], i)
		}
	}
	b.none = int32(len(list) * vec.BrickSize)
	for n := range b.at {
		b.at[n] = b.none
	}
	for m, n := range list {
		b.at[n] = int32(m * vec.BrickSize)
	}
	for m, n := range dark {
		b.at[n] = b.none + int32((m+1)*vec.BrickSize)
	}
	for a, n := range [3]int{v.Density.NX, v.Density.NY, v.Density.NZ} {
		// up to half a voxel beyond the volume
		side := 0.5 * float64(b.fold)
		b.lo[a], b.hi[a] = float64(lo[a]*tile), math.Min(float64((hi[a]+1)*tile), float64(b.fold*n)+0.5+side)
		if lo[a] == 0 {
			b.lo[a] = 0.5 - side
		}
	}
	list = append(list, dark...)
	b.all.Most = int32(len(list) * vec.BrickSize) // the empty one counts
	return list
}

// place is where brick n lies.
func (b *bricks) place(n int) [3]int {
	return [3]int{n % b.n[0], n / b.n[0] % b.n[1], n / (b.n[0] * b.n[1])}
}

// mason is room for filling a brick: its four numbers, and nothing.
type mason struct {
	rows [4]vec.BrickRows
	none vec.BrickRows
	by   [planes][4]float32 // one over scale

	// between which values of a field those of a brick lie: alike for all of its numbers
	s       vec.Spread
	x, y, z between
	of      laid
}

// laid says of which brick, and on which cells.
type laid struct {
	at    [3]int
	cells grid.Dims
	scale float32
}

// weigh finds scales that halves hold the largest numbers with, and small ones of dim light.
func (b *bricks) weigh(l *lightGrid) {
	v := b.v
	for p := range b.scale {
		b.scale[p] = [4]float32{1, 1, 1, 1}
	}
	fit := func(plane, number int, most float32) { b.scale[plane][number] = fitting(most) }
	all := func(f *grid.Field) (most float32) {
		if f != nil {
			most, _ = vec.Largest(f.Data)
		}
		return most
	}
	fit(ofSmoke, density, slices.Max(v.major))
	if v.opacity != nil {
		fit(ofSmoke, density, all(v.Density))
	}
	fit(ofSmoke, sunMany, all(l.many[0]))
	fit(ofSmoke, skyAll, all(l.sky[0]))
	for c := range 3 {
		fit(ofMany, c, all(l.many[c]))
		fit(ofSky, c, all(l.sky[c]))
		if len(v.bright) > 0 {
			fit(ofGlow, c, slices.Max(v.bright))
		}
	}
	fit(ofMany, hue, all(v.tintBy))
}

// fill takes over what lies in brick n.
func (b *bricks) fill(m *mason, n int, l *lightGrid) {
	v, p := b.v, b.place(n)
	lay := func(plane, numbers int) {
		from := [4]*vec.BrickRows{&m.none, &m.none, &m.none, &m.none}
		for c := range from {
			if numbers&(1<<c) != 0 {
				from[c] = &m.rows[c]
			}
		}
		vec.Braid(b.data[plane][b.at[n]:], &from, &m.by[plane])
	}
	if b.data[ofSmoke] != nil {
		if b.fold > 1 {
			v.spline.lay(&m.rows[density], p)
		} else {
			b.copy(m, density, v.Density, p)
		}
		b.spread(m, sunStraight, l.sun, l.scale, p)
		if l.many[1] == nil {
			b.spread(m, sunMany, l.many[0], l.coarse, p)
			b.spread(m, skyAll, l.sky[0], l.coarse, p)
			lay(ofSmoke, 15)
		} else {
			lay(ofSmoke, 1<<density|1<<sunStraight)
		}
	}
	colours := func(plane int, from *[3]*grid.Field) {
		for c := range 3 {
			b.spread(m, c, from[c], l.coarse, p)
		}
		lay(plane, 7)
	}
	if b.data[ofMany] != nil {
		colours(ofSky, &l.sky)
		if v.tint != nil {
			b.copy(m, hue, v.tintBy, p)
			for c := range 3 {
				b.spread(m, c, l.many[c], l.coarse, p)
			}
			lay(ofMany, 15)
		} else {
			colours(ofMany, &l.many)
		}
	}
	if b.data[ofGlow] != nil && b.at[n] < b.none {
		for c := range 3 {
			b.copy(m, c, v.Glow[c], p)
		}
		lay(ofGlow, 7)
	}
}

// copy takes a number from a field of the volume's voxels.
func (b *bricks) copy(m *mason, number int, f *grid.Field, p [3]int) {
	const edge = vec.BrickValues
	if b.fold > 1 {
		b.spread(m, number, f, 1, p)
		return
	}
	to := &m.rows[number]
	first := tile*p[0] - 1
	for z := range edge {
		for y := range edge {
			row, out := f.Row(min(max(tile*p[1]-1+y, 0), f.NY-1), min(max(tile*p[2]-1+z, 0), f.NZ-1)), &to[z*edge+y]
			if first >= 0 && first+edge <= len(row) {
				*(*[edge]float32)(out[:]) = *(*[edge]float32)(row[first:])
				continue
			}
			for i := range edge {
				out[i] = row[min(max(first+i, 0), f.NX-1)]
			}
		}
	}
}

// between says between which two of n points an axis' values of a brick lie, and how far
// along.
type between struct {
	a, b [vec.BrickValues]int
	f    [vec.BrickValues]float32
}

func (b *bricks) among(n, voxels, brick int, scale float32) (r between) {
	inv := 1 / (scale * float32(b.fold))
	for i := range r.a {
		x := (float32(min(max(tile*brick-1+i, 0), b.fold*voxels-1))+0.5)*inv - 0.5
		r.a[i], r.f[i] = vec.Split(x, n)
		r.b[i] = min(r.a[i]+1, n-1)
	}
	return r
}

// spread takes a number from a field of cells scale voxels wide.
func (b *bricks) spread(m *mason, number int, f *grid.Field, scale float32, p [3]int) {
	const edge = vec.BrickValues
	d := b.v.Density.Dims
	x, y, z, s := &m.x, &m.y, &m.z, &m.s
	if of := (laid{p, f.Dims, scale}); m.of != of {
		m.of = of
		*x, *y, *z = b.among(f.NX, d.NX, p[0], scale), b.among(f.NY, d.NY, p[1], scale), b.among(f.NZ, d.NZ, p[2], scale)
		for i := range edge {
			s.X[0][i], s.X[1][i], s.FX[i] = int32(x.a[i]-x.a[0]), int32(x.b[i]-x.a[0]), x.f[i]
			s.Y[i], s.Y[edge+i], s.F[0][i] = f.NX*y.a[i], f.NX*y.b[i], y.f[i]
			s.Z[i], s.Z[edge+i], s.F[1][i] = f.NX*f.NY*z.a[i], f.NX*f.NY*z.b[i], z.f[i]
		}
	}
	first, to := x.a[0], &m.rows[number]
	if x.b[edge-1]-first < 8 && first+s.Y[2*edge-1]+s.Z[2*edge-1]+8 <= len(f.Data) {
		to.Fill(f.Data[first:], s)
		return
	}
	// as Fill, without its looks beyond what is asked for
	for k := range edge {
		for j := range edge {
			r0, r1 := f.Row(y.a[j], z.a[k]), f.Row(y.b[j], z.a[k])
			r2, r3 := f.Row(y.a[j], z.b[k]), f.Row(y.b[j], z.b[k])
			at := func(i int) float32 {
				return vec.Lerp(vec.Lerp(r0[i], r1[i], y.f[j]), vec.Lerp(r2[i], r3[i], y.f[j]), z.f[k])
			}
			for i := range edge {
				to[k*edge+j][i] = vec.Lerp(at(x.a[i]), at(x.b[i]), x.f[i])
			}
		}
	}
}

// enter is from where to where a ray of q + t·d, t in voxels, goes through bricks.
func (b *bricks) enter(q, d [3]float64) (near, far float64, ok bool) {
	if b.empty {
		return 0, 0, false
	}
	near, far = 0, math.Inf(1)
	for a := range 3 {
		inv := 1 / d[a]
		t0, t1 := (b.lo[a]-q[a])*inv, (b.hi[a]-q[a])*inv
		if t0 > t1 {
			t0, t1 = t1, t0
		}
		// NaN, of a ray within a side, leaves the rest as it is
		if t0 > near {
			near = t0
		}
		if t1 < far {
			far = t1
		}
	}
	return near, far, near < far
}

// walk goes along a ray from brick to brick (Amanatides and Woo 1987).
type walk struct {
	b        *bricks
	t, end   float64 // voxels
	next     [3]float64
	over     [3]float64
	idx, way [3]int
	at       int
	stride   [3]int
	from, to float64 // of the bricks last found
	lit      bool    // something in them glows
}

// start begins a walk along q + t·d from t to end.
func (w *walk) start(b *bricks, q, d [3]float64, t, end float64) {
	w.b, w.t, w.end = b, t, end
	w.stride = [3]int{1, b.n[0], b.n[0] * b.n[1]}
	w.at = 0
	for a := range 3 {
		p := q[a] + t*d[a]
		w.idx[a] = min(max(int(p*(1.0/tile)), 0), b.n[a]-1)
		w.at += w.idx[a] * w.stride[a]
		switch {
		case d[a] > 1e-12:
			inv := 1 / d[a]
			w.way[a], w.over[a] = 1, tile*inv
			w.next[a] = t + (float64(w.idx[a]+1)*tile-p)*inv
		case d[a] < -1e-12:
			inv := 1 / d[a]
			w.way[a], w.over[a] = -1, -tile*inv
			w.next[a] = t + (float64(w.idx[a])*tile-p)*inv
		default:
			w.way[a], w.next[a] = 0, math.Inf(1)
		}
	}
}

// find goes on to the next bricks with something in them, all that follow each other.
func (w *walk) find() bool {
	found := false
	w.lit = false
	for w.t < w.end {
		base, from := w.b.at[w.at], w.t
		if base == w.b.none && found {
			return true
		}
		a := 0
		if w.next[1] < w.next[a] {
			a = 1
		}
		if w.next[2] < w.next[a] {
			a = 2
		}
		w.t = min(w.next[a], w.end)
		w.next[a] += w.over[a]
		if i := w.idx[a] + w.way[a]; i >= 0 && i < w.b.n[a] {
			w.idx[a] = i
			w.at += w.way[a] * w.stride[a]
		} else {
			w.next[a] = math.Inf(1)
		}
		if base != w.b.none {
			if !found {
				w.from, found = from, true
			}
			w.to, w.lit = w.t, w.lit || base < w.b.none
		}
	}
	return found
}

// toBricks takes a point to where bricks have it.
func (b *bricks) toBricks(p geom.Vec3) [3]float64 {
	q := p.Sub(b.v.Origin).Mul(1 / b.h)
	return [3]float64{q.X + 0.5, q.Y + 0.5, q.Z + 0.5}
}
