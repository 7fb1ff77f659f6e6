package render

// Light that smoke scatters more than once, and that of the sky: by discrete ordinates
// (Chandrasekhar 1950, ch. II; Carlson and Lathrop 1968). Radiance is followed along
// fourteen directions through coarse cells, which it leaves by the step characteristic:
// I' = I e^−τ + S (1 − e^−τ). Order after order, what one scatters is the next one's
// source, taken as the same all round: but for the first, which is that of each ray, it
// very nearly is.

import (
	"math"
	"slices"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/vec"
)

// ordinates are cells of smoke for light of one colour.
type ordinates struct {
	grid.Dims
	pass, mean [2][]float32 // by way through a cell, straight and diagonal: e^−τ, (1 − e^−τ)/τ
	albedo     []float32
	source     []float32 // what cells scatter of the light last followed
	parts      []float32 // mean radiance along each way, times its share, cells of one way after another
	eye        gaze
	flux       [3][]float32 // of the light last followed, for a light of 1
	sources    [len(ways)][]float32
	direct     float32 // scattering goes with 1 + direct·cos
	crew       grid.Crew
}

// way is a direction in which light travels, and its share of all (Lebedev 1976, 14
// points: exact for polynomials up to the fifth degree).
type way struct {
	d     [3]int
	share float32
}

var ways [14]way

func init() {
	n := 0
	for a := range 3 {
		for _, s := range [2]int{-1, 1} {
			ways[n].share = 1.0 / 15
			ways[n].d[a] = s
			n++
		}
	}
	for i := range 8 {
		ways[n] = way{[3]int{i&1*2 - 1, i>>1&1*2 - 1, i>>2&1*2 - 1}, 3.0 / 40}
		n++
	}
}

func (w *way) diagonal() int {
	if w.d[0] != 0 && w.d[1] != 0 {
		return 1
	}
	return 0
}

// unit is the direction that light comes from.
func (w *way) unit() geom.Vec3 {
	return geom.V(float64(-w.d[0]), float64(-w.d[1]), float64(-w.d[2])).Unit()
}

// gaze says how much of the light along each way goes on to the eye from a cell, where 1
// is as much as if it went all round.
type gaze []float32

// box is cells of a volume about all of its smoke; beyond them light goes straight on.
type box struct {
	grid.Dims
	full   grid.Dims // of which it is a part
	lo     [3]int    // its first cell
	origin geom.Vec3
	h      float64 // m
}

// newBox is the cells of a field that hold something, and one round them.
func newBox(v *Volume, f *grid.Field, cell float64) *box {
	b := &box{full: f.Dims, h: cell * v.H}
	size := [3]int{f.NX, f.NY, f.NZ}
	lo, hi := size, [3]int{-1, -1, -1}
	for k := range f.NZ {
		for j := range f.NY {
			row := f.Row(j, k)
			first := slices.IndexFunc(row, func(v float32) bool { return v != 0 })
			if first < 0 {
				continue
			}
			last := len(row) - 1
			for row[last] == 0 {
				last--
			}
			for a, p := range [3][2]int{{first, last}, {j, j}, {k, k}} {
				lo[a], hi[a] = min(lo[a], p[0]), max(hi[a], p[1])
			}
		}
	}
	var n [3]int
	for a := range n {
		if hi[a] < 0 {
			lo[a], hi[a] = 0, 0
		}
		b.lo[a] = max(lo[a]-1, 0)
		n[a] = min(hi[a]+2, size[a]) - b.lo[a]
	}
	b.Dims = grid.Dims{NX: n[0], NY: n[1], NZ: n[2]}
	b.origin = v.Origin.Add(geom.V(float64(b.lo[0]), float64(b.lo[1]), float64(b.lo[2])).Mul(b.h))
	return b
}

// middle is the middle of cell i.
func (b *box) middle(i int) geom.Vec3 {
	return b.origin.Add(geom.V(float64(i%b.NX)+0.5, float64(i/b.NX%b.NY)+0.5, float64(i/(b.NX*b.NY))+0.5).Mul(b.h))
}

// rows calls do for the box's rows: where they begin in all cells and in the box's.
func (b *box) rows(do func(all, own int)) {
	for k := range b.NZ {
		for j := range b.NY {
			do(((k+b.lo[2])*b.full.NY+j+b.lo[1])*b.full.NX+b.lo[0], (k*b.NY+j)*b.NX)
		}
	}
}

// within are the box's values of those of all cells, and back puts them among these.
func (b *box) within(all []float32) []float32 {
	own := make([]float32, b.Len())
	b.rows(func(m, n int) { copy(own[n:n+b.NX], all[m:]) })
	return own
}

func (b *box) back(all, own []float32) {
	b.rows(func(m, n int) { copy(all[m:], own[n:n+b.NX]) })
}

// newGaze is that of a box of cells, for an eye.
func newGaze(b *box, l look.Lobes, eye geom.Vec3, crew grid.Crew) gaze {
	size := b.Len()
	g := make(gaze, len(ways)*size)
	// so fine that the nearest will do
	var t [2049]float32
	for i := range t {
		t[i] = float32(4 * math.Pi * l.At(float64(i)/1024-1))
	}
	crew.For(b.NZ, 1, func(k0, k1 int) {
		for i := k0 * b.NX * b.NY; i < k1*b.NX*b.NY; i++ {
			to := eye.Sub(b.middle(i))
			to = to.Mul(1 / max(to.Len(), 1e-9))
			x, y, z := float32(to.X*1024), float32(to.Y*1024), float32(to.Z*1024)
			var v [len(ways)]float32
			var sides, corners float32
			for a, c := range [3]float32{x, y, z} {
				at := min(uint(1024.5+c), 2048)
				v[2*a], v[2*a+1] = t[2048-at], t[at] // against an axis, and along
				sides += v[2*a] + v[2*a+1]
			}
			const k = 0.57735027 // of a corner along each axis
			for n, c := range [4]float32{x + y + z, y + z - x, x + z - y, z - x - y} {
				at := min(uint(1024.5+k*c), 2048)
				v[6+7-n], v[6+n] = t[at], t[2048-at]
				corners += v[6+7-n] + v[6+n]
			}
			sum := 1 / (sides*ways[0].share + corners*ways[6].share)
			for n := range v {
				g[n*size+i] = v[n] * sum
			}
		}
	})
	return g
}

// newOrdinates takes the optical depth across cells, times ratio, and the share of light
// that they scatter on.
func newOrdinates(d grid.Dims, od []float32, ratio float64, albedo []float32, eye gaze, crew grid.Crew) *ordinates {
	o := &ordinates{Dims: d, albedo: albedo, eye: eye, crew: crew}
	for k, long := range [2]float64{1, math.Sqrt(3)} {
		o.pass[k], o.mean[k] = make([]float32, o.Len()), make([]float32, o.Len())
		q := float32(ratio * long)
		crew.For(o.Len(), 1<<12, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				tau := q * od[i]
				p := fade(tau)
				o.pass[k][i], o.mean[k][i] = p, 1-tau/2
				if tau > 0.01 {
					o.mean[k][i] = (1 - p) / tau
				}
			}
		})
	}
	o.parts = make([]float32, len(ways)*o.Len())
	for a := range o.flux {
		o.flux[a] = make([]float32, o.Len())
	}
	return o
}

// scattered makes dst the mean radiance in cells that scatter src, which may be nil, as
// much by each way as aim says, or, without that, as goes with the flux of src; and that enter comes into, by way; outside says, for places
// in cells beyond the sides, what is left of that. nil: all. What of it goes to the eye is
// added to seen.
func (o *ordinates) scattered(dst, seen, src []float32, aim, enter *[len(ways)]float32, outside func(n int, at [3]float64) float32) {
	if o.source == nil {
		o.source = make([]float32, o.Len())
	}
	source := o.source
	if src == nil {
		clear(source)
	}
	o.crew.For(len(src), 1<<12, func(lo, hi int) {
		for i, v := range src[lo:hi] {
			source[lo+i] = v * o.albedo[lo+i]
		}
	})
	o.crew.For(len(ways), 1, func(lo, hi int) {
		for n := lo; n < hi; n++ {
			part := o.parts[n*o.Len():][:o.Len()]
			var from func([3]float64) float32
			if outside != nil && enter[n] > 0 {
				from = func(at [3]float64) float32 { return enter[n] * outside(n, at) }
			}
			switch {
			case src == nil && enter[n] == 0:
				clear(part)
			case aim != nil || src == nil:
				k := float32(1)
				if aim != nil {
					k = aim[n]
				}
				o.follow(&ways[n], k, source, part, enter[n], from)
			default:
				o.follow(&ways[n], 1, o.along(n, source), part, enter[n], from)
			}
		}
	})
	if seen == nil {
		seen = make([]float32, o.Len())
	}
	o.crew.For(o.Len(), 1<<12, func(lo, hi int) {
		vec.Collect(dst[lo:hi], seen[lo:hi], o.parts, o.eye, lo, o.Len())
		if aim == nil {
			vec.Flux([3][]float32{o.flux[0][lo:hi], o.flux[1][lo:hi], o.flux[2][lo:hi]}, o.parts, directions, lo, o.Len())
		}
	})
}

// along is what cells scatter along way n of light with the flux that it has.
func (o *ordinates) along(n int, source []float32) []float32 {
	if o.sources[n] == nil {
		o.sources[n] = make([]float32, o.Len())
	}
	d := directions[n]
	vec.Lean(o.sources[n], source, o.flux, [3]float32{o.direct * d[0], o.direct * d[1], o.direct * d[2]})
	return o.sources[n]
}

// directions are those in which light travels along the ways.
var directions = make([][3]float32, len(ways))

func init() {
	for n := range ways {
		d := ways[n].unit()
		directions[n] = [3]float32{float32(-d.X), float32(-d.Y), float32(-d.Z)}
	}
}

// follow makes out the mean radiance along a way, times its share: slice by slice, each
// cell's light from the one behind it.
func (o *ordinates) follow(w *way, aim float32, src, out []float32, enter float32, outside func([3]float64) float32) {
	if w.d[0] != 0 && w.diagonal() == 0 {
		o.alongRows(w, aim, src, out, enter, outside)
		return
	}
	size, stride := [3]int{o.NX, o.NY, o.NZ}, [3]int{1, o.NX, o.NX * o.NY}
	main, a, b := 2, 0, 1
	if w.d[2] == 0 {
		main, a, b = 1, 0, 2
	}
	kind := w.diagonal()
	pass, mean := o.pass[kind], o.mean[kind]
	s := vec.Slice{N: size[a], Rows: size[b], Wide: size[a] + 2, Step: stride[b]}
	before, now := make([]float32, s.Wide*(size[b]+2)), make([]float32, s.Wide*(size[b]+2))
	for i := range before {
		before[i], now[i] = enter, enter
	}
	first, last := 0, size[main]
	if w.d[main] < 0 {
		first, last = size[main]-1, -1
	}
	for n := first; n != last; n += w.d[main] {
		if outside != nil {
			o.rim(before, [3]int{main, a, b}, size, n-w.d[main], n == first, outside)
		}
		in, to, at := before[(1-w.d[b])*s.Wide+1-w.d[a]:], now[s.Wide+1:], n*stride[main]
		vec.Carry(to, in, pass[at:], mean[at:], src[at:], out[at:], s, aim, w.share)
		before, now = now, before
	}
}

// alongRows is follow along x. Rows don't ask each other, so four go on together: each
// must wait for its own last cell.
func (o *ordinates) alongRows(w *way, aim float32, src, out []float32, enter float32, outside func([3]float64) float32) {
	first := 0
	if w.d[0] < 0 {
		first = o.NX - 1
	}
	pass, mean, step, rows := o.pass[0], o.mean[0], w.d[0], o.NY*o.NZ
	for r := 0; r < rows; r += 4 {
		var at [4]int
		var light [4]float32
		for q := range at {
			row := min(r+q, rows-1)
			at[q], light[q] = row*o.NX+first, enter
			if outside != nil {
				light[q] = outside([3]float64{float64(first-step) + 0.5, float64(row%o.NY) + 0.5, float64(row/o.NY) + 0.5})
			}
		}
		for range o.NX {
			for q, n := range at {
				v, p, e := light[q], pass[n], aim*src[n]
				light[q] = v*p + e*(1-p)
				out[n] = w.share * (e + (v-e)*mean[n])
				at[q] = n + step
			}
		}
	}
}

// rim fills what comes in round a slice, or all of it where it is the first.
func (o *ordinates) rim(slice []float32, axis, size [3]int, s int, all bool, outside func([3]float64) float32) {
	na, nb := size[axis[1]], size[axis[2]]
	for q := -1; q <= nb; q++ {
		row := slice[(q+1)*(na+2):][:na+2]
		gap := na + 1
		if all || q < 0 || q == nb {
			gap = 1
		}
		for i := 0; i < len(row); i += gap {
			var at [3]float64
			at[axis[0]], at[axis[1]], at[axis[2]] = float64(s)+0.5, float64(i)-0.5, float64(q)+0.5
			row[i] = outside(at)
		}
	}
}

// mostOrders is how many are followed; what further ones would add is told from how
// those before fell off, cell by cell.
const mostOrders = 12

// orders adds to seen all light that goes to the eye from j0 on, the source's own light in
// the cells, of so many bounces in all. on knows where light goes; nil: with its flux.
func (o *ordinates) orders(seen, j0 []float32, bounces int, on *onward) {
	var none [len(ways)]float32
	now, next := slices.Clone(j0), make([]float32, o.Len())
	for n := 1; n < bounces; n++ {
		rest, was := 0, []float32(nil)
		if n == mostOrders {
			rest, n = bounces-1-n, bounces
			was = slices.Clone(seen)
		}
		if on != nil {
			o.scattered(next, nil, now, on.aim(n), &none, nil)
			on.see(seen, next, n, o.crew)
		} else {
			o.scattered(next, seen, now, nil, &none, nil)
		}
		if rest > 0 {
			o.crew.For(o.Len(), 1<<10, func(lo, hi int) {
				for i := lo; i < hi; i++ {
					if now[i] > 0 {
						r := min(float64(next[i]/now[i]), 0.9999)
						seen[i] += (seen[i] - was[i]) * float32(r*(1-math.Pow(r, float64(rest)))/(1-r))
					}
				}
			})
		}
		now, next = next, now
	}
}

// onward is light of the sun that has been scattered n times. In a medium without end n
// lobes of Henyey and Greenstein make one of their directness' product; sides change that
// little.
type onward struct {
	lobes look.Lobes
	sun   geom.Vec3
	cos   []float32 // by cell, between the sun's light and the way to the eye
}

func newOnward(b *box, l *look.Look, eye geom.Vec3, crew grid.Crew) *onward {
	o := &onward{lobes: l.Lobes, sun: l.SunDir, cos: make([]float32, b.Len())}
	crew.For(b.Len(), 1<<10, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			to := eye.Sub(b.middle(i))
			o.cos[i] = float32(-to.Dot(l.SunDir) / max(to.Len(), 1e-9))
		}
	})
	return o
}

// aim is how much of light that was scattered n times goes along each way.
func (o *onward) aim(n int) *[len(ways)]float32 {
	var aim [len(ways)]float32
	var sum float32
	for w := range ways {
		aim[w] = float32(o.lobes.After(n - 1).At(ways[w].unit().Dot(o.sun)))
		sum += aim[w] * ways[w].share
	}
	for w := range aim {
		aim[w] /= sum
	}
	return &aim
}

// see adds what of light that was scattered n times goes on to the eye.
func (o *onward) see(seen, light []float32, n int, crew grid.Crew) {
	t := newPhase(o.lobes.After(n))
	crew.For(len(light), 1<<12, func(lo, hi int) {
		for i, v := range light[lo:hi] {
			seen[lo+i] += v * t.at(o.cos[lo+i])
		}
	})
}

// phase is a phase function by cosine, times 4π, as powers of a fraction are dear.
type phase [257]float32

func newPhase(l look.Lobes) *phase {
	var t phase
	for i := range t {
		t[i] = float32(4 * math.Pi * l.At(2*float64(i)/256-1))
	}
	return &t
}

func (t *phase) at(cos float32) float32 {
	x := (cos + 1) * 128
	at := min(max(int(x), 0), 255)
	return t[at] + (t[at+1]-t[at])*(x-float32(at))
}

// spiral are directions of even area, and the way along which light from each comes nearest.
var spiral [2048]struct {
	d    geom.Vec3
	near int
}

func init() {
	const n = len(spiral)
	for i := range spiral {
		y := 1 - (2*float64(i)+1)/float64(n)
		phi := float64(i) * math.Pi * (3 - math.Sqrt(5))
		r := math.Sqrt(1 - y*y)
		d, most := geom.V(r*math.Cos(phi), y, r*math.Sin(phi)), -1.0
		spiral[i].d = d
		for w := range ways {
			if cos := ways[w].unit().Dot(d); cos > most {
				spiral[i].near, most = w, cos
			}
		}
	}
}

// around is the light of sky and ground by the ways that it comes along, and its mean.
func (s *Scene) around() (by [len(ways)]look.RGB, mean look.RGB) {
	var count [len(ways)]float64
	for i := range spiral {
		d, near := spiral[i].d, spiral[i].near
		y := d.Y
		l := s.sky(d)
		if s.Look.Ground && y < 0 {
			l = s.Look.GroundColour.Mul(s.open)
		}
		mean = mean.Add(l.Scale(1.0 / float64(len(spiral))))
		by[near] = by[near].Add(l)
		count[near]++
	}
	var sum look.RGB
	for w := range by {
		by[w] = by[w].Scale(1 / count[w])
		sum = sum.Add(by[w].Scale(float64(ways[w].share)))
	}
	for w := range by {
		for c := range 3 {
			if sum[c] > 0 {
				by[w][c] *= mean[c] / sum[c]
			}
		}
	}
	return by, mean
}

// spreading is what light within a volume is spread by, over all colours.
type spreading struct {
	v        *Volume
	s        *Scene
	sw       *sweeps
	by       int // cells of the sweeps in one of these
	box      *box
	od, sun  []float32
	eye      gaze
	on       *onward
	around   [len(ways)]look.RGB
	channels int
	crew     grid.Crew
}

// multiple works out what reaches the volume's smoke by way of other smoke, and all that
// sky and fire give; od is the depth across the cells of the sun's light, and outside that
// of other volumes.
func (l *lightGrid) multiple(v *Volume, s *Scene, sw *sweeps, crew grid.Crew) {
	k, by := &s.Look, int(l.coarse/l.scale)
	p := &spreading{v: v, s: s, sw: sw, by: by, channels: 1, crew: crew}
	od, sun := shrunk(sw.od, by, float32(by)/float32(by*by*by), crew), shrunk(l.sun, by, 0, crew)
	p.box = newBox(v, od, float64(l.coarse))
	p.od, p.sun = p.box.within(od.Data), p.box.within(sun.Data)
	if !k.Grey() || v.tint != nil {
		p.channels = 3
	}
	p.around, l.around = s.around()
	p.eye = newGaze(p.box, k.Lobes, s.Camera.Eye, crew)
	p.on = newOnward(p.box, k, s.Camera.Eye, crew)
	for c := range p.channels {
		l.channel(c, p)
	}
}

// channel is multiple for a colour, or for all.
func (l *lightGrid) channel(c int, p *spreading) {
	k, b := &p.s.Look, p.box
	ratio, albedo := 0.0, 0.0
	if e := k.Extinction[c]; e > 0 {
		ratio, albedo = e/((k.Extinction[0]+k.Extinction[1]+k.Extinction[2])/3), k.Scattering[c]/e
	}
	albedos := p.v.albedos(b, albedo, c)
	o := newOrdinates(b.Dims, p.od, ratio, albedos, p.eye, p.crew)
	put := func(seen []float32) *grid.Field {
		f := grid.NewField(b.full)
		b.back(f.Data, seen)
		return f
	}
	seen, j := make([]float32, b.Len()), make([]float32, b.Len())
	if k.Sun.Max() > 0 {
		p.crew.For(len(j), 1<<10, func(lo, hi int) {
			for i, t := range p.sun[lo:hi] {
				if ratio != 1 {
					t = float32(math.Pow(float64(t), ratio))
				}
				j[lo+i] = t / (4 * math.Pi)
			}
		})
		o.orders(seen, j, k.Bounces, p.on)
	}
	l.many[c] = put(seen)
	// what is more direct than a cosine can be goes straight on, as if it hadn't been
	// scattered (Joseph, Wiscombe and Weinman 1976)
	g := (1-k.Lobes.Share)*k.Lobes.G + k.Lobes.Share*k.Lobes.Back
	if straight := (3*g - 1) / 2; straight > 0 {
		less := 1 - albedo*straight
		for i := range albedos {
			albedos[i] *= float32((1 - straight) / less)
		}
		o = newOrdinates(b.Dims, p.od, ratio*less, albedos, p.eye, p.crew)
	}
	o.direct = float32(min(max(3*g, -1), 1))
	clear(seen)
	o.scattered(j, seen, nil, nil, p.entering(c, l.around), p.sw.beyond(p.by, b.lo))
	o.orders(seen, j, k.Bounces, nil)
	l.sky[c] = put(seen)
	if l.fire[0] != nil {
		l.scatterFire(c, p, o, k.Bounces)
	}
}

// scatterFire adds what smoke scatters on of the light of fire and lamps, of a colour, or of
// all: then it is followed as one, and has in each cell the colours of what comes straight.
func (l *lightGrid) scatterFire(c int, p *spreading, o *ordinates, bounces int) {
	b := p.box
	for a := range o.flux {
		o.flux[a] = b.within(l.flow[a])
	}
	if p.channels == 3 {
		seen := b.within(l.fire[c].Data)
		o.orders(seen, b.within(l.straight[c]), bounces, nil)
		b.back(l.fire[c].Data, seen)
		return
	}
	var by [3][]float32
	for f := range by {
		by[f] = b.within(l.straight[f])
	}
	all, more := make([]float32, b.Len()), make([]float32, b.Len())
	vec.Add(all, by[0], by[1])
	vec.Add(all, all, by[2])
	o.orders(more, all, bounces, nil)
	var mean [3]float32 // of colours, for cells that nothing comes to straight
	sum := vec.Sum(all)
	for f := range by {
		if sum > 0 {
			mean[f] = float32(vec.Sum(by[f]) / sum)
		}
	}
	for f := range by {
		seen := b.within(l.fire[f].Data)
		p.crew.For(len(seen), 1<<12, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				k := mean[f]
				if all[i] > 0 {
					k = by[f][i] / all[i]
				}
				seen[i] += more[i] * k
			}
		})
		b.back(l.fire[f].Data, seen)
	}
}

// entering is the sky's light of a colour, or of all, by the ways that it comes in along, in
// shares of the mean.
func (p *spreading) entering(c int, around look.RGB) *[len(ways)]float32 {
	var enter [len(ways)]float32
	for n := range ways {
		from, of := p.around[n][c], around[c]
		if p.channels == 1 {
			from, of = p.around[n][0]+p.around[n][1]+p.around[n][2], around[0]+around[1]+around[2]
		}
		if of > 0 {
			enter[n] = float32(from / of)
		}
	}
	return &enter
}

// albedos are the share of light of a colour that cells scatter on.
func (v *Volume) albedos(b *box, albedo float64, c int) []float32 {
	out := make([]float32, b.Len())
	for i := range out {
		out[i] = float32(albedo)
		if v.tint != nil {
			p := v.toGrid(b.middle(i))
			out[i] *= float32(v.tint.At(float64(v.tintBy.Sample(float32(p.X)-0.5, float32(p.Y)-0.5, float32(p.Z)-0.5)))[c])
		}
	}
	return out
}

// shrunk takes blocks of by³ cells together: times q their sum, or, where q is 0, their
// mean.
func shrunk(f *grid.Field, by int, q float32, crew grid.Crew) *grid.Field {
	d := grid.Dims{NX: (f.NX + by - 1) / by, NY: (f.NY + by - 1) / by, NZ: (f.NZ + by - 1) / by}
	out := grid.NewField(d)
	crew.For(d.NZ, 1, func(k0, k1 int) {
		count, sum := make([]float32, d.NX), make([]float32, f.NX)
		for i := range count {
			count[i] = float32(min((i+1)*by, f.NX) - i*by)
		}
		for k := k0; k < k1; k++ {
			for j := range d.NY {
				clear(sum)
				rows := 0
				for z := k * by; z < min((k+1)*by, f.NZ); z++ {
					for y := j * by; y < min((j+1)*by, f.NY); y++ {
						vec.Add(sum, sum, f.Row(y, z))
						rows++
					}
				}
				to := out.Row(j, k)
				for i := range to {
					var s float32
					for _, v := range sum[i*by : min((i+1)*by, f.NX)] {
						s += v
					}
					if q > 0 {
						to[i] = s * q
					} else {
						to[i] = s / (count[i] * float32(rows))
					}
				}
			}
		}
	})
	return out
}
