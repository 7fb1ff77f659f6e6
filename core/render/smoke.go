package render

// Rays of the quick march through smoke and flame. Looks stand a step apart from the eye
// on; those in bricks with something in them are gathered into batches, read together,
// and put together front to back. Where domains overlap all are read at the same places:
// their densities add up, and light is taken by density from each.

import (
	"math"
	"slices"
	"sync"

	"zarf/core/geom"
	"zarf/core/look"
	"zarf/core/vec"
)

// reader is what a thread needs for a batch of looks.
type reader struct {
	looks                   [planes]vec.Looks
	rows                    [planes]vec.Four
	has                     [planes]bool // what there is in the batch
	tint                    vec.Four     // red, green and blue
	tinted                  bool
	kept, pass, light, seen [vec.MaxLooks]float32
	inv                     *[vec.MaxLooks]float32 // of a sum over volumes, one over its density; nil: rows aren't sums
	t                       [vec.MaxLooks]float64  // m along the ray
}

// trips are those of threads that follow rays.
var trips = sync.Pool{New: func() any { return &trip{read: new(reader), sum: new(reader)} }}

// Looks are worth reading from enough on, and no more than most are read: opaque smoke
// hides all but the first.
const (
	enough = 32
	most   = 48
)

// beam is a ray on its way through volumes, and what it has gathered.
type beam struct {
	p     *Picture
	t     *trip
	o, d  geom.Vec3
	from  look.RGB // what reaches the eye from before the volumes
	shift float64  // of looks, in steps
	grey  bool     // extinction of one colour
	wants bool     // to know how far away it is
	seen  float64  // m: how far; 0: nothing seen

	// by colour: what is left of the light from behind, and what is scattered to the eye
	// of the sun's light that comes straight, of that which comes by way of other smoke, and
	// of sky and fire
	through, straight, many, sky, fire, glow [3]float32
}

// span is a stretch of a ray, m, within bricks.
type span struct {
	near, far float64
	b         *bricks
}

// veil is what a ray gathers in volumes, for light of 1 from behind: radiance by where it
// comes from and colour, how much gets through, and how far away it is seen, m.
type veil = vec.Sixteen

// What numbers of a veil begin with, and the last.
const (
	veilEmission = 3 * iota
	veilSun
	veilSky
	veilFire
	veilThrough
	veilSeen
)

// marchVolumes follows a ray through all volumes up to far, m. through is what of the light
// reaches the eye, wants that the ray asks how far away they are seen; false: it meets none.
func (p *Picture) marchVolumes(t *trip, o, d geom.Vec3, far float64, through look.RGB, wants bool, v *veil) bool {
	t.spans = t.spans[:0]
	for _, b := range p.bricks {
		near, end, ok := b.enter(b.toBricks(o), d.Array())
		if near, end = near*b.h, min(end*b.h, far); ok && near < end {
			t.spans = append(t.spans, span{near, end, b})
		}
	}
	if len(t.spans) == 0 {
		return false
	}
	t.rays++
	m := beam{p: p, t: t, o: o, d: d, from: through, shift: 0.5, wants: wants, through: [3]float32{1, 1, 1}}
	// the first pass is a clean preview
	if p.jitter {
		m.shift = t.r.next()
	}
	e := p.scene.Look.Extinction
	m.grey = e[0] == e[1] && e[1] == e[2]
	r := t.read
	if len(t.spans) == 1 {
		s := &t.spans[0]
		m.alone(r, s.b, s.near, s.far)
	} else {
		m.together(r)
	}
	if wants && m.seen == 0 && m.left(0) < 0.98 {
		first, last := t.spans[0].near, t.spans[0].far
		for _, s := range t.spans[1:] {
			first, last = min(first, s.near), max(last, s.far)
		}
		m.seen = (first + last) / 2
	}
	m.settle(v)
	return true
}

// lay puts what a ray has gathered in volumes before what lies behind.
func (t *trip) lay(v *veil, o, d geom.Vec3, out *taken, through *look.RGB) {
	if v[veilSeen] > 0 && !out.hit {
		t.see(out, o, d, float64(v[veilSeen]), nil)
	}
	for c := range 3 {
		k := through[c]
		out.light[Emission][c] += k * float64(v[veilEmission+c])
		out.light[BySun][c] += k * float64(v[veilSun+c])
		out.light[BySky][c] += k * float64(v[veilSky+c])
		out.light[ByFire][c] += k * float64(v[veilFire+c])
		through[c] = k * float64(v[veilThrough+c])
	}
}

// left is what is left of the light from behind: of the colour that is left most.
func (m *beam) left(through float32) float64 {
	for c := range 3 {
		through = max(through, m.through[c]*float32(m.from[c]))
	}
	return float64(through)
}

// together takes the stretches of a ray on which the same volumes lie one after another.
func (m *beam) together(r *reader) {
	t := m.t
	t.ends = t.ends[:0]
	for _, s := range t.spans {
		t.ends = append(t.ends, s.near, s.far)
	}
	slices.Sort(t.ends)
	for n := 1; n < len(t.ends); n++ {
		near, far := t.ends[n-1], t.ends[n]
		if near >= far {
			continue
		}
		t.here = t.here[:0]
		for _, s := range t.spans {
			if s.near <= near && s.far >= far {
				t.here = append(t.here, s.b)
			}
		}
		on := true
		switch len(t.here) {
		case 0:
		case 1:
			on = m.alone(r, t.here[0], near, far)
		default:
			on = m.joint(r, near, far)
		}
		if !on {
			return
		}
	}
}

// alone follows the ray through one volume, and says whether to go on behind it.
func (m *beam) alone(r *reader, b *bricks, near, far float64) bool {
	w := stretch{walk: walk{b: b}, q: b.toBricks(m.o), d: m.d.Array(), step: m.p.scene.Look.Step * float64(b.fold)}
	h := b.h
	w.begin(near/h, far/h)
	r.clear()
	for w.find() {
		for first, n := w.among(m.shift); n > 0; {
			count := min(n, most-r.count())
			m.place(r, &w, first, count)
			first, n = first+float64(count), n-count
			if r.count() >= enough {
				if on := m.add(r, m.fetch(r, b), w.step*h); !on {
					return false
				}
				r.clear()
			}
		}
	}
	return r.count() == 0 || m.add(r, m.fetch(r, b), w.step*h)
}

// stretch walks through bricks with looks a step apart, in voxels, along q + t·d.
type stretch struct {
	walk
	q, d [3]float64
	step float64
	inv  float64
	way  vec.Way
}

func (w *stretch) begin(near, far float64) {
	w.start(w.b, w.q, w.d, near, far)
	w.inv = 1 / w.step
	for a, d := range w.d {
		w.way[3+a] = float32(d * w.step)
	}
}

// among is the first look in the brick that was found, counted from the eye on, and how
// many follow.
func (w *stretch) among(shift float64) (first float64, n int) {
	first = math.Ceil(w.from*w.inv - shift)
	return first, int(math.Ceil(w.to*w.inv-shift) - first)
}

func (r *reader) clear() {
	r.inv = nil
	for p := range r.looks {
		r.looks[p].Clear()
		r.has[p] = false
	}
}

// count is how many looks there are.
func (r *reader) count() int { return r.looks[ofSmoke].Len() }

// place reads looks in the brick that was found.
func (m *beam) place(r *reader, w *stretch, first float64, n int) {
	b := w.b
	t := (first + m.shift) * w.step
	if b.v.sharp != nil || m.wants {
		for i := range n {
			r.t[r.count()+i] = (t + float64(i)*w.step) * b.h
		}
	}
	if b.v.moves != nil && m.t.moment != 0 {
		m.placeMoved(r, w, t, n)
		return
	}
	for a := range 3 {
		w.way[a] = float32(w.q[a] + t*w.d[a])
	}
	r.read(b, w.lit, &w.way, n)
}

// read reads looks; lit says that some of them may glow.
func (r *reader) read(b *bricks, lit bool, w *vec.Way, n int) {
	rest, way := b.of(ofMany), *w
	if rest != b {
		for a := range 3 { // from halves of voxels to voxels, each from half of one below the corner on
			way[a], way[3+a] = way[a]/2+0.25, way[3+a]/2
		}
	}
	// light by colours is the same over a cell and more; what tints smoke isn't
	long := float32(math.Sqrt(float64(way[3]*way[3] + way[4]*way[4] + way[5]*way[5])))
	for p := ofMany; p < ofFire; p++ {
		switch {
		case rest.data[p] == nil:
		case p == ofMany && b.v.tint != nil || !(long > 0):
			r.looks[p].Read(rest.data[p], &rest.all, math.MaxInt32, &way, n)
		default:
			r.looks[p].ReadFew(rest.data[p], &rest.all, math.MaxInt32, &way, n, max(int(0.75*rest.coarse/long), 1))
		}
	}
	if f := b.cells; f != nil {
		cell := *w
		by := 1 / b.coarse // both are counted from half a value below the corner on
		for a := range 3 {
			cell[a], cell[3+a] = (cell[a]-0.5)*by+0.5, cell[3+a]*by
		}
		gap := 1
		if long := float32(math.Sqrt(float64(cell[3]*cell[3] + cell[4]*cell[4] + cell[5]*cell[5]))); long > 0 {
			gap = max(int(0.75/long), 1)
		}
		r.looks[ofFire].ReadFew(f.data[ofFire], &f.all, math.MaxInt32, &cell, n, gap)
	}
	glows := &r.looks[ofGlow]
	switch {
	case rest.data[ofGlow] == nil:
	case lit:
		if !r.has[ofGlow] {
			r.has[ofGlow] = true
			glows.Clear()
			glows.Nothing(r.count())
		}
		if b.v.sharp == nil {
			glows.Read(rest.data[ofGlow], &rest.all, rest.none, &way, n)
		}
	case r.has[ofGlow]:
		glows.Nothing(n)
	}
	r.looks[ofSmoke].Read(b.data[ofSmoke], &b.all, math.MaxInt32, w, n)
}

// nothing adds looks at nothing.
func (r *reader) nothing(b *bricks, n int) {
	for p := range r.looks {
		if p == ofSmoke || p == ofGlow && r.has[p] || p != ofGlow && b.of(p).data[p] != nil {
			r.looks[p].Nothing(n)
		}
	}
}

// placeMoved is place at a moment: each look where its fluid stood at the frame.
func (m *beam) placeMoved(r *reader, w *stretch, t float64, n int) {
	b := w.b
	for i := range n {
		x := t + float64(i)*w.step
		n := float64(b.fold)
		p := b.v.moves.back(b.v, geom.V(w.q[0]+x*w.d[0]-0.5, w.q[1]+x*w.d[1]-0.5, w.q[2]+x*w.d[2]-0.5).Mul(1/n), m.t.moment).Mul(n)
		r.read(b, b.of(ofGlow).data[ofGlow] != nil, &vec.Way{float32(p.X + 0.5), float32(p.Y + 0.5), float32(p.Z + 0.5)}, 1)
	}
}

// fetch readies a batch of a volume, filled up to whole vectors with nothing, and returns
// how many looks it holds then.
func (m *beam) fetch(r *reader, b *bricks) int {
	v := b.v
	count, n := r.count(), r.looks[ofSmoke].Rows(&r.rows[ofSmoke], &b.scale[ofSmoke])
	if v.opacity != nil {
		den := &r.rows[ofSmoke][density]
		for i, x := range den[:count] {
			den[i] = v.opacity.One(x)
		}
	}
	for p := ofMany; p <= ofFire; p++ {
		if r.has[p] = b.of(p).data[p] != nil; r.has[p] {
			r.looks[p].Rows(&r.rows[p], &b.of(p).scale[p])
		}
	}
	if r.tinted = v.tint != nil; r.tinted {
		for i, x := range r.rows[ofMany][hue][:n] {
			c := v.tint.At(float64(x))
			r.tint[0][i], r.tint[1][i], r.tint[2][i] = float32(c[0]), float32(c[1]), float32(c[2])
		}
	}
	switch {
	case !r.has[ofGlow]:
	case v.sharp == nil:
		r.looks[ofGlow].Rows(&r.rows[ofGlow], &b.of(ofGlow).scale[ofGlow])
	default:
		m.flame(r, b, count, n)
	}
	return n
}

// flame works a flame out that is drawn finer than voxels.
func (m *beam) flame(r *reader, b *bricks, count, n int) {
	v := b.v
	for i := range n {
		var g look.RGB
		if i < count {
			p := v.toGrid(m.o.Add(m.d.Mul(r.t[i])))
			if v.moves != nil && m.t.moment != 0 {
				p = v.moves.back(v, p, m.t.moment)
			}
			g = v.sharp.at(float32(p.X), float32(p.Y), float32(p.Z))
		}
		for c := range 3 {
			r.rows[ofGlow][c][i] = float32(g[c])
		}
	}
}

// joint follows the ray through volumes that overlap, in steps of the finest.
func (m *beam) joint(r *reader, near, far float64) bool {
	long := math.Inf(1)
	for _, b := range m.t.here {
		long = min(long, m.p.scene.Look.Step*b.v.H)
	}
	sum := m.t.sum
	end := math.Ceil(far/long - m.shift)
	for first := math.Ceil(near/long - m.shift); first < end; first += most {
		n := int(min(most, end-first))
		some := false
		for _, b := range m.t.here {
			if m.align(r, b, long, first, n) {
				m.fetch(r, b)
				sum.join(r, n, !some)
				some = true
			}
		}
		if !some {
			continue
		}
		sum.share(n)
		for i := range n {
			sum.t[i] = (first + m.shift + float64(i)) * long
		}
		full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
		if !m.add(sum, full, long) {
			return false
		}
	}
	return true
}

// align puts n looks, all of the ray's from first on, into the bricks of a volume, and
// says whether any of them holds something.
func (m *beam) align(r *reader, b *bricks, long, first float64, n int) bool {
	w := stretch{walk: walk{b: b}, q: b.toBricks(m.o), d: m.d.Array(), step: long / b.h}
	w.begin(max((first+m.shift)*w.step-1e-9, 0), (first+m.shift+float64(n))*w.step)
	r.clear()
	nothing := func(upTo float64) {
		if gap := int(upTo-first) - r.count(); gap > 0 {
			r.nothing(b, gap)
		}
	}
	some := false
	for w.find() {
		from, count := w.among(m.shift)
		if count = min(count, n-int(from-first)); count > 0 {
			nothing(from)
			m.place(r, &w, from, count)
			some = true
		}
	}
	if some {
		nothing(first + float64(n))
	}
	return some
}

// join adds a volume's batch to a sum over volumes, light by density; begin where it is
// the first.
func (s *reader) join(r *reader, n int, begin bool) {
	full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	if begin {
		s.tinted = false
		s.has = [planes]bool{}
		s.fresh(ofSmoke, full)
		for c := range s.tint {
			clear(s.tint[c][:full])
		}
	}
	den := r.rows[ofSmoke][density][:n]
	by := func(to, from []float32) { vec.AddTimes(to, den, from) }
	for c := sunStraight; c <= skyAll; c++ {
		by(s.rows[ofSmoke][c][:n], r.rows[ofSmoke][c][:n])
	}
	for p := ofMany; p <= ofGlow; p++ {
		if !r.has[p] {
			continue
		}
		if !s.has[p] {
			s.has[p] = true
			s.fresh(p, full)
		}
		for c := range 3 {
			if p == ofGlow {
				vec.Add(s.rows[p][c][:n], s.rows[p][c][:n], r.rows[p][c][:n])
			} else {
				by(s.rows[p][c][:n], r.rows[p][c][:n])
			}
		}
	}
	// what isn't tinted counts as white, from the first volume on
	s.tinted = s.tinted || r.tinted
	for c := range 3 {
		if r.tinted {
			by(s.tint[c][:n], r.tint[c][:n])
		} else {
			vec.Add(s.tint[c][:n], s.tint[c][:n], den)
		}
	}
	vec.Add(s.rows[ofSmoke][density][:n], s.rows[ofSmoke][density][:n], den)
}

// fresh clears a plane.
func (s *reader) fresh(p, n int) {
	for c := range s.rows[p] {
		clear(s.rows[p][c][:n])
	}
}

// share readies sums over volumes: what is one over their density.
func (s *reader) share(n int) {
	s.inv = &s.light
	for i, den := range s.rows[ofSmoke][density][:n] {
		if s.inv[i] = 0; den > 0 {
			s.inv[i] = 1 / den
		}
	}
}

// add puts a batch of n looks, long m apart, before what lies behind, and says whether
// anything of that is still seen.
//
// Within a step density is constant, so the light that it scatters to the eye is
// (1 − e^(−τ)) times the source, whatever the step: no banding from its length.
func (m *beam) add(r *reader, n int, long float64) bool {
	before := m.left(0)
	e := m.p.scene.Look.Extinction
	clearest := 0
	if m.grey && !r.tinted {
		m.addGrey(r, n, long)
	} else {
		for c := range 3 {
			if e[c] <= e[clearest] {
				clearest = c
			}
		}
		for _, by := range [3]int{1, 2, 0} { // the clearest last, for kept
			m.colour(r, (clearest+by)%3, n, long)
		}
	}
	if before >= 0.5 && m.wants && m.seen == 0 && m.left(0) < 0.5 {
		// half is the usual depth of smoke: neither its first veil nor what is behind it
		for i, k := range r.kept[:n] {
			if float64(k)*m.from[clearest] < 0.5 || i == n-1 {
				m.seen = r.t[max(i-1, 0)]
				break
			}
		}
	}
	if m.left(0) < opaque {
		m.through = [3]float32{}
		return false
	}
	return true
}

// addGrey is add for smoke that takes all colours alike.
func (m *beam) addGrey(r *reader, n int, long float64) {
	var smoke, many, sky, fire, glow [4]float32
	pass := &r.rows[ofSmoke][density]
	vec.Fade(pass[:n], pass[:n], float32(m.p.scene.Look.Extinction[0]*long))
	left := vec.Dim(pass, &r.kept, m.through[0], n)
	r.within(pass, n)
	r.mean(pass, n)
	vec.Shares(&smoke, pass, &r.rows[ofSmoke], n)
	if r.has[ofMany] {
		vec.Shares(&many, pass, &r.rows[ofMany], n)
		vec.Shares(&sky, pass, &r.rows[ofSky], n)
	}
	if r.has[ofFire] {
		vec.Shares(&fire, pass, &r.rows[ofFire], n)
	}
	if r.has[ofGlow] {
		vec.Shares(&glow, &r.seen, &r.rows[ofGlow], n)
	}
	for c := range 3 {
		m.through[c] = left
		m.straight[c] += smoke[sunStraight]
		// what holds light of one colour has none by colours
		m.many[c] += smoke[sunMany] + many[c]
		m.sky[c] += smoke[skyAll] + sky[c]
		m.fire[c] += fire[c]
		m.glow[c] += glow[c] * float32(long)
	}
}

// within works out how much of the light that is given off in steps is seen: T falls from
// kept to kept − pass along each as e^−τ does, whose mean Simpson's rule tells to τ⁴/2880.
func (r *reader) within(pass *[vec.MaxLooks]float32, n int) {
	if !r.has[ofGlow] {
		return
	}
	vec.Seen(r.seen[:n], r.kept[:n], pass[:n])
}

// mean makes weights of sums those of means.
func (r *reader) mean(w *[vec.MaxLooks]float32, n int) {
	if r.inv != nil {
		for i, k := range r.inv[:n] {
			w[i] *= k
		}
	}
}

// colour is add for one colour of what isn't grey. Light of the sun in smoke of coloured
// extinction is told by the depth that it has come through, for the mean of that.
func (m *beam) colour(r *reader, c, n int, long float64) {
	e := m.p.scene.Look.Extinction[c]
	pass := &r.pass
	vec.Fade(pass[:n], r.rows[ofSmoke][density][:n], float32(e*long))
	m.through[c] = vec.Dim(pass, &r.kept, m.through[c], n)
	r.within(pass, n)
	if r.has[ofGlow] {
		m.glow[c] += r.shared(&r.seen, ofGlow, c, n) * float32(long)
	}
	if r.tinted {
		for i, k := range r.tint[c][:n] {
			pass[i] *= k
		}
		r.mean(pass, n)
	}
	r.mean(pass, n)
	var smoke [4]float32
	vec.Shares(&smoke, pass, &r.rows[ofSmoke], n)
	if m.grey {
		m.straight[c] += smoke[sunStraight]
	} else {
		m.straight[c] += m.sunBy(r, float32(e/m.p.mean), n)
	}
	// what holds light of one colour has none by colours
	m.many[c] += smoke[sunMany]
	m.sky[c] += smoke[skyAll]
	if r.has[ofMany] {
		m.many[c] += r.shared(pass, ofMany, c, n)
		m.sky[c] += r.shared(pass, ofSky, c, n)
	}
	if r.has[ofFire] {
		m.fire[c] += r.shared(pass, ofFire, c, n)
	}
}

// sunBy is the sun's light by what passes of a colour, whose extinction is so much of the
// mean, by which depths are told.
func (m *beam) sunBy(r *reader, ratio float32, n int) float32 {
	depth := r.rows[ofSmoke][sunStraight][:n]
	var light [vec.MaxLooks]float32
	copy(light[:n], depth)
	r.mean(&light, n)
	vec.Fade(light[:n], light[:n], ratio)
	var sum float32
	for i, w := range r.pass[:n] {
		if r.inv != nil { // the weight is that of a sum
			w *= r.rows[ofSmoke][density][i]
		}
		sum += w * light[i]
	}
	return sum
}

// shared is a plane's light of a colour by weight.
func (r *reader) shared(w *[vec.MaxLooks]float32, plane, c, n int) float32 {
	var sum [4]float32
	vec.Shares(&sum, w, &r.rows[plane], n)
	return sum[c]
}

// settle makes a veil of what a ray has gathered.
// Emission isn't scattered, so it takes no albedo. The sun is far away, so the phase
// function is that of the ray.
func (m *beam) settle(v *veil) {
	l := &m.p.scene.Look
	phase := float32(l.Lobes.At(m.d.Dot(l.SunDir)))
	around := m.t.spans[0].b.around
	*v = veil{veilSeen: float32(m.seen)}
	for c := range 3 {
		v[veilEmission+c] = float32(l.Flame) * m.glow[c]
		if e := l.Extinction[c]; e > 0 {
			k := float32(l.Scattering[c] / e)
			v[veilSun+c] = k * (phase*m.straight[c] + m.many[c]) * float32(l.Sun[c])
			v[veilSky+c] = k * m.sky[c] * float32(around[c])
			v[veilFire+c] = k * m.fire[c]
		}
		v[veilThrough+c] = m.through[c]
	}
}
