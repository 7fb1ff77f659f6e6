package mote

import (
	"math"
	"slices"
	"sort"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/noise"
	"zarf/core/sim"
)

// Place is where a particle is born, and what it takes from there.
type Place struct {
	P, V   geom.Vec3 // m, m/s
	Normal geom.Vec3 // of the surface there; zero: there is none
	Heat   float64   // K
}

// Trait is a value at birth, and by how much it may lie on either side of that.
type Trait struct{ Value, Spread float64 }

func (t Trait) draw(u float64) float64 { return t.Value + t.Spread*(2*u-1) }

// Born is what particles are like at birth.
type Born struct {
	Life    Trait // s; 0: they don't die of age
	Size    Trait // m
	Density Trait // kg/m³
	Heat    Trait // K, over that of the place where Warm is set
	Warm    bool  // takes the place's own temperature
	Inherit float64
	Speed   Trait   // m/s, along the normal, or where there is none any way
	Spin    float64 // radians a second at most, round any axis
	Own     map[string]Trait
}

// chance are numbers of chance of a particle: the same for the same seed, identity and
// purpose, in any order.
func chance(seed, id uint64, purpose int64) float64 {
	return float64(noise.Hash(seed, int64(id), purpose, 0x6d6f7465)>>11) / (1 << 53)
}

// anyway is a direction of even chance.
func anyway(u, v float64) geom.Vec3 {
	y := 2*u - 1
	r, phi := math.Sqrt(max(0, 1-y*y)), 2*math.Pi*v
	return geom.V(r*math.Cos(phi), y, r*math.Sin(phi))
}

// Bear adds a particle at each place and returns the row of the first.
func (s *Set) Bear(places []Place, b *Born, seed uint64, crew grid.Crew) int {
	names := make([]string, 0, len(b.Own))
	for name := range b.Own {
		names = append(names, name)
	}
	sort.Strings(names) // maps have no order, and columns keep theirs
	for _, name := range names {
		s.Declare(name)
	}
	first := s.Add(len(places))
	s.Spins = s.Spins || b.Spin > 0
	own := make([][]float32, len(names))
	for m, name := range names {
		own[m] = s.Declare(name).V
	}
	crew.For(len(places), 256, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			s.bear(first+n, &places[n], b, seed)
			for m, name := range names {
				own[m][first+n] = float32(b.Own[name].draw(chance(seed, s.ID[first+n], int64(10+m))))
			}
		}
	})
	return first
}

// bear makes row i a particle that is born at a place.
func (s *Set) bear(i int, p *Place, b *Born, seed uint64) {
	u := func(purpose int64) float64 { return chance(seed, s.ID[i], purpose) }
	v := p.V.Mul(b.Inherit)
	if b.Speed != (Trait{}) {
		dir := p.Normal
		if dir == (geom.Vec3{}) {
			dir = anyway(u(0), u(1))
		}
		v = v.Add(dir.Mul(b.Speed.draw(u(2))))
	}
	var spin geom.Vec3
	if b.Spin > 0 {
		spin = anyway(u(3), u(4)).Mul(b.Spin * u(5))
	}
	at, way, turn := p.P.Array(), v.Array(), spin.Array()
	for c := range 3 {
		s.P[c][i], s.V[c][i], s.Spin[c][i] = float32(at[c]), float32(way[c]), float32(turn[c])
	}
	s.Life[i] = float32(max(b.Life.draw(u(6)), 0))
	s.Size[i] = float32(max(b.Size.draw(u(7)), 0))
	s.Density[i] = float32(max(b.Density.draw(u(8)), 0))
	heat := b.Heat.draw(u(9))
	if b.Warm {
		heat += p.Heat
	}
	s.Heat[i] = float32(max(heat, 0))
}

// When says which values of a channel let particles be born.
type When int

// They are born where a value is between Low and High, or in the frame in which it falls
// below Low or rises above High.
const (
	Between When = iota
	Falls
	Rises
)

// Source is a fluid in which particles are born, by the values of a channel.
type Source struct {
	Field, Was *grid.Field // of cells, now and a frame before; Was is asked for by Falls and Rises
	H          float64     // m
	Origin     geom.Vec3   // the grid's corner
	When       When
	Low, High  float64
	Rate       float64        // a cubic metre a second; with Falls and Rises a cubic metre
	Limit      int            // a frame; 0: none
	Velocity   [3]*grid.Field // of faces, which particles inherit; nil: none
	Centred    bool           // no, of cells
	Heat       *grid.Field    // K
}

// Found is what a source came to.
type Found struct {
	Cells     int     // that let particles be born
	Expected  float64 // how many, without the limit
	Low, High float32 // of the channel, where nothing was born
}

// takes says whether a cell lets particles be born.
func (o *Source) takes(v, was float32) bool {
	switch o.When {
	case Falls:
		return was >= float32(o.Low) && v < float32(o.Low)
	case Rises:
		return was <= float32(o.High) && v > float32(o.High)
	}
	return v >= float32(o.Low) && v <= float32(o.High)
}

// cells are those of row (j,k) that let particles be born, added to list.
func (o *Source) cells(list []int32, j, k int) []int32 {
	row := o.Field.Row(j, k)
	if o.When == Between {
		lo, hi := float32(o.Low), float32(o.High)
		for i, v := range row {
			if v >= lo && v <= hi {
				list = append(list, int32(i))
			}
		}
		return list
	}
	if o.Was == nil {
		return list
	}
	for i, was := range o.Was.Row(j, k) {
		if o.takes(row[i], was) {
			list = append(list, int32(i))
		}
	}
	return list
}

// Places are where particles are born in a frame of dt seconds. Each cell draws by its own
// number of chance, so that neither threads nor other cells change what is born in it; what
// is over the limit is left out evenly.
func (o *Source) Places(dt float64, frame int, seed uint64, crew grid.Crew) ([]Place, Found) {
	d := o.Field.Dims
	h3 := o.H * o.H * o.H
	each := o.Rate * h3
	if o.When == Between {
		each *= dt
	}
	var f Found
	planes := make([]int, d.NZ)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		list := make([]int32, 0, d.NX)
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				planes[k] += len(o.cells(list, j, k))
			}
		}
	})
	for _, n := range planes {
		f.Cells += n
	}
	if f.Expected = float64(f.Cells) * each; f.Cells == 0 {
		f.Low, f.High, _ = o.Field.Range()
		return nil, f
	}
	if o.Limit > 0 && f.Expected > float64(o.Limit) {
		each *= float64(o.Limit) / f.Expected
	}
	born := make([]*plane, d.NZ)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			if planes[k] > 0 {
				born[k] = planesKept.Get().(*plane)
				o.bear(born[k], k, each, noise.Hash(seed, int64(frame), 0, 0))
			}
		}
	})
	all := 0
	for k, p := range born {
		if planes[k] = all; p != nil {
			all += len(p.out)
		}
	}
	out := make([]Place, all)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			if born[k] != nil {
				copy(out[planes[k]:], born[k].out)
				planesKept.Put(born[k])
			}
		}
	})
	if o.Limit > 0 && len(out) > o.Limit {
		kept := out[:0]
		for n := range o.Limit {
			kept = append(kept, out[n*all/o.Limit])
		}
		out = kept
	}
	return out, f
}

// plane is room for what a plane of cells bears. It is kept: new memory takes longer than what
// is put there.
type plane struct {
	out  []Place
	at   [3][]float32 // in cells
	row  []float32
	list []int32
}

var planesKept = sync.Pool{New: func() any { return new(plane) }}

// bear finds places in plane k of cells, each of which bears so many.
func (o *Source) bear(p *plane, k int, each float64, seed uint64) {
	d := o.Field.Dims
	p.out = p.out[:0]
	for c := range p.at {
		p.at[c] = p.at[c][:0]
	}
	for j := range d.NY {
		p.list = o.cells(p.list[:0], j, k)
		for _, i := range p.list {
			bits := noise.Hash(seed, int64(d.Index(int(i), j, k)), 0, 0)
			n := int(each + float64(bits>>11)/(1<<53))
			for m := range n {
				bits = noise.Hash(bits, int64(m), 0, 1)
				const unit = 1.0 / (1 << 21)
				part := func(shift uint) float64 { return (float64(bits>>shift&(1<<21-1)) + 0.5) * unit }
				q := geom.V(float64(i)+part(0), float64(j)+part(21), float64(k)+part(42))
				p.at[0], p.at[1], p.at[2] = append(p.at[0], float32(q.X)), append(p.at[1], float32(q.Y)), append(p.at[2], float32(q.Z))
				p.out = append(p.out, Place{P: o.Origin.Add(q.Mul(o.H))})
			}
		}
	}
	o.read(p)
}

// read gives places, in cells at, the fluid's velocity and temperature there.
func (o *Source) read(p *plane) {
	p.row = slices.Grow(p.row[:0], len(p.out))[:len(p.out)]
	sample := func(f *grid.Field, off [3]float32, set func(p *Place, v float64)) {
		l := f.Lattice(off)
		l.Sample(p.row, p.at[0], p.at[1], p.at[2])
		for i, v := range p.row {
			set(&p.out[i], float64(v))
		}
	}
	if u := o.Velocity; u[0] != nil {
		off := (&Field{Centred: o.Centred}).offsets()
		sample(u[0], off[0], func(p *Place, v float64) { p.V.X = v })
		sample(u[1], off[1], func(p *Place, v float64) { p.V.Y = v })
		sample(u[2], off[2], func(p *Place, v float64) { p.V.Z = v })
	}
	if o.Heat != nil {
		sample(o.Heat, [3]float32{0.5, 0.5, 0.5}, func(p *Place, v float64) { p.Heat = v })
	}
}

// Form is a body from whose surface or room particles are born.
type Form struct {
	sim.Emitter
	Rate  float64 // a second
	Limit int     // a frame; 0: none

	mesh *geom.Mesh
	upTo []float64 // area up to the end of each triangle, m²
}

// Places are where particles are born in a frame of dt seconds: over the surface by its
// area, or in the room within, less what the emitter's breakup leaves out.
func (f *Form) Places(dt float64, frame int, seed uint64) []Place {
	seed = noise.Hash(seed, int64(frame), 0, 2)
	u := func(n, purpose int64) float64 { return float64(noise.Hash(seed, n, purpose, 3)>>11) / (1 << 53) }
	want := int(f.Rate*dt + u(-1, 0))
	if f.Limit > 0 {
		want = min(want, f.Limit)
	}
	if want <= 0 {
		return nil
	}
	if f.Surface > 0 && f.mesh == nil {
		f.measure()
	}
	out := make([]Place, 0, want)
	for n := range int64(want) {
		p, ok := f.draw(n, u)
		if ok && (f.Breakup <= 0 || u(n, 100) < f.Gaps(p.P)) {
			p.V = f.Velocity(p.P, dt)
			out = append(out, p)
		}
	}
	return out
}

// measure readies the surface's triangles, in the form's own axes.
func (f *Form) measure() {
	still := f.Shape
	still.Centre, still.Turn = geom.Vec3{}, geom.RotationXYZ(geom.Vec3{})
	f.mesh = still.Mesh()
	sum := 0.0
	for n := range f.mesh.Tri {
		a, b, c := f.mesh.Corners(n)
		sum += b.Sub(a).Cross(c.Sub(a)).Len() / 2
		f.upTo = append(f.upTo, sum)
	}
}

// tries bounds how often a place in a form's room is looked for.
const tries = 64

// draw is a place on the surface or in the room.
func (f *Form) draw(n int64, u func(n, purpose int64) float64) (Place, bool) {
	if f.Surface > 0 {
		if len(f.upTo) == 0 || f.upTo[len(f.upTo)-1] <= 0 {
			return Place{}, false
		}
		tri := sort.SearchFloat64s(f.upTo, u(n, 0)*f.upTo[len(f.upTo)-1])
		a, b, c := f.mesh.Corners(min(tri, len(f.upTo)-1))
		x, y := u(n, 1), u(n, 2)
		if x+y > 1 {
			x, y = 1-x, 1-y
		}
		at := a.Add(b.Sub(a).Mul(x)).Add(c.Sub(a).Mul(y))
		normal := b.Sub(a).Cross(c.Sub(a)).Unit()
		return Place{P: f.Shape.Turn.Apply(at).Add(f.Shape.Centre), Normal: f.Shape.Turn.Apply(normal)}, true
	}
	box := f.Shape.Bounds()
	size := box.Size()
	for m := range int64(tries) {
		p := box.Min.Add(geom.V(size.X*u(n, 3*m+10), size.Y*u(n, 3*m+11), size.Z*u(n, 3*m+12)))
		if f.Shape.Distance(p) < 0 {
			return Place{P: p}, true
		}
	}
	return Place{}, false
}

// Moment is what in a particle's life others are born by.
type Moment int

// The moments.
const (
	AtBirth Moment = iota
	AtAge
	AtDeath
	OnHit
	Along // all the way
)

// Offspring are born from the particles of another stage.
type Offspring struct {
	At    Moment
	Age   float64 // s, with AtAge
	Count float64 // for each of their parents; Along: a second
	Limit int     // a frame; 0: none
}

// Places are where they are born in a frame of dt seconds, from the set as the frame has
// left it, its dead still there: by what the frame's steps did, and by which was born in
// it, from the row of the first on.
func (o *Offspring) Places(from *Set, did *Counts, first int, dt float64, frame int, seed uint64) []Place {
	seed = noise.Hash(seed, int64(frame), 0, 4)
	var out []Place
	from.parents(o, did, first, dt, func(i int) {
		u := func(purpose int64) float64 { return chance(seed, from.ID[i], purpose) }
		many := o.Count
		if o.At == Along {
			many *= dt
		}
		p := geom.V(float64(from.P[0][i]), float64(from.P[1][i]), float64(from.P[2][i]))
		v := geom.V(float64(from.V[0][i]), float64(from.V[1][i]), float64(from.V[2][i]))
		for m := range int64(many + u(-1)) {
			at := p
			if o.At == Along {
				at = p.Sub(v.Mul(dt * u(m)))
			}
			out = append(out, Place{P: at, V: v, Heat: float64(from.Heat[i])})
		}
	})
	if all := len(out); o.Limit > 0 && all > o.Limit {
		for n := range o.Limit {
			out[n] = out[n*all/o.Limit]
		}
		out = out[:o.Limit]
	}
	return out
}

// parents calls fn for the rows of those that bear.
func (s *Set) parents(o *Offspring, did *Counts, first int, dt float64, fn func(i int)) {
	switch o.At {
	case AtBirth:
		for i := first; i < s.Len(); i++ {
			fn(i)
		}
	case AtDeath:
		for _, i := range did.Deaths {
			fn(int(i))
		}
	case OnHit:
		for _, i := range did.Hits {
			fn(int(i))
		}
	default:
		// ages are sums of steps: what rounding leaves must not count twice
		age := o.Age - dt/1000
		for i, st := range s.State {
			if a := float64(s.Age[i]); st != Dead && (o.At == Along || a >= age && a-dt < age) {
				fn(i)
			}
		}
	}
}

// tilted is a direction of even chance within a cone of so many degrees about another.
func tilted(n geom.Vec3, degrees, u, v float64) geom.Vec3 {
	if degrees <= 0 {
		return n
	}
	cos := 1 - u*(1-math.Cos(degrees*math.Pi/180))
	side := geom.V(1, 0, 0)
	if math.Abs(n.X) > 0.9 {
		side = geom.V(0, 1, 0)
	}
	a := n.Cross(side).Unit()
	b := n.Cross(a)
	sin, phi := math.Sqrt(max(0, 1-cos*cos)), 2*math.Pi*v
	return n.Mul(cos).Add(a.Mul(sin * math.Cos(phi))).Add(b.Mul(sin * math.Sin(phi)))
}
