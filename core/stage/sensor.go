package stage

// Sensors measure what a domain holds within their form whenever a frame is finished, and
// drive values of elements from the next frame on. What they read of a frame is worked out
// from what was measured up to the one before, so a run that is resumed needs nothing but
// the figures that stand with its frames.

import (
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Measured is the figure of a frame under which a sensor's measure is kept.
func Measured(e *shot.Element) sim.Amount { return sim.Amount("sensor " + e.ID) }

// sensors are those that act in the domain.
func (c *Cast) sensors() (out []*shot.Element) {
	for _, e := range c.Bound() {
		if e.Kind == shot.Sensor {
			out = append(out, e)
		}
	}
	return out
}

// driving is what sensors do to values at a frame.
type driving struct {
	of   *shot.Shot
	at   int
	made int // how many frames had been measured
	fn   val.Drive
}

// push is what a sensor does to a value.
type push struct {
	how                  string
	reading, amount, low float64
}

// drive is what sensors make of values at a frame; nil where there are none.
func (c *Cast) drive(number int) val.Drive {
	if d := c.driving; d != nil && d.of == c.Shot && d.at == number && d.made == len(c.measured) {
		return d.fn
	}
	d := &driving{of: c.Shot, at: number, made: len(c.measured)}
	c.driving = d
	all := map[[2]string][]push{}
	for _, e := range c.sensors() {
		p := push{how: val.SensorHow.Of(e), reading: c.Reading(e, number)}
		if p.how != "times" {
			p.amount = val.SensorAmount.Of(e)
		}
		for _, x := range e.Driven() {
			q := p
			if x.Spans {
				q.how, q.low, q.amount = "span", x.From, x.To-x.From
			}
			at := [2]string{x.Element, x.Key}
			all[at] = append(all[at], q)
		}
	}
	if len(all) == 0 {
		return nil
	}
	d.fn = func(element, key string, v val.Value) val.Value {
		for _, p := range all[[2]string{element, key}] {
			for _, n := range []*float64{&v.Num, &v.Vec[0], &v.Vec[1], &v.Vec[2]} {
				switch p.how {
				case "times":
					*n *= p.reading
				case "span":
					*n = p.low + p.reading*p.amount
				case "plus":
					*n += p.reading * p.amount
				default:
					*n = p.reading * p.amount
				}
			}
		}
		return v
	}
	return d.fn
}

// Reading is what a sensor reads for a frame, by what was measured up to the one before.
func (c *Cast) Reading(e *shot.Element, number int) float64 {
	list := c.readings(e, number)
	return list[len(list)-1]
}

// readings are what a sensor reads from a run's first frame on up to one; at least one.
func (c *Cast) readings(e *shot.Element, number int) (list []float64) {
	first := Start(c.Shot)
	curve := look.NewTable(shot.Curve, val.SensorCurve.Value(e), 0, 1)
	low, high := val.SensorLow.Of(e), val.SensorHigh.Of(e)
	inverted, latched, hold := val.SensorInverted.Of(e), val.SensorLatched.Of(e), int(val.SensorHold.Of(e))
	answer := func(m float64) float64 {
		x := 0.0
		if high != low {
			x = min(max((m-low)/(high-low), 0), 1)
		} else if m >= high {
			x = 1
		}
		if x = curve.At(x)[0]; inverted {
			x = 1 - x
		}
		return x
	}
	follow := 1.0
	if within := val.SensorSmooth.Of(e); within > 0 {
		follow = 1 - math.Exp(-1/(within*c.Shot.Rate()))
	}
	out := answer(rest(e))
	most, since := out, 0
	list = append(list, out)
	for f := first; f < number; f++ {
		x := answer(c.measure(e, f))
		if since++; x >= most || !latched && since > hold {
			most, since = x, 0
		}
		out += (most - out) * follow
		list = append(list, out)
	}
	return list
}

// Readings are what a sensor reads in runs of a domain, from a shot's first frame on up to
// one, by what stands with the frames before.
func Readings(s *shot.Shot, d, e *shot.Element, past func(number int) (sim.Stats, bool), upTo int) []float64 {
	return (&Cast{Shot: s, Domain: d, Past: past}).readings(e, upTo)
}

// never is what is measured where nothing is near, m, and minus it where nothing has fired
// yet, s: figures of frames have to be finite.
const never = 1e9

// touching is what distances and times of 0 are told as: figures of frames leave 0 out.
const touching = 1e-6

// rest is what a sensor measures before anything is there.
func rest(e *shot.Element) float64 {
	switch val.SensorChannel.Of(e) {
	case "near", "reach":
		return never
	case "since":
		return -never
	}
	return 0
}

// fired is how long ago a sensor fired, s, at the end of a frame: the last time that it came
// to read half or more.
func (c *Cast) fired(e *shot.Element, number int) float64 {
	list := c.readings(e, number)
	for n := len(list) - 1; n >= 0; n-- {
		if list[n] >= 0.5 && (n == 0 || list[n-1] < 0.5) {
			return max(float64(len(list)-1-n)/c.Shot.Rate(), touching)
		}
	}
	return -never
}

// apart is how far an element is from a form at a frame, m, 0 where they meet; never where
// it doesn't act in the domain. It is told by the points of one form's box that are nearest
// to the other's.
func (c *Cast) apart(form *geom.Shape, id string, number int) float64 {
	for _, o := range c.Bound() {
		if o.ID != id {
			continue
		}
		other := geom.Shape{}
		if o.Placed() {
			other = c.Form(o, float64(number))
		} else {
			other = geom.Shape{Form: geom.Sphere, Centre: geom.FromArray(val.Position.At(o, c.Now(float64(number)))), Turn: geom.RotationXYZ(geom.Vec3{}), Size: geom.V(1e-3, 1e-3, 1e-3), Taper: 1}
		}
		return max(gap(form, &other), touching)
	}
	return never
}

// gap is how far two forms are apart, by going from one to the other and back by what each
// one's distance tells, which comes to the nearest places of such as bulge outwards.
func gap(a, b *geom.Shape) float64 {
	p := a.Centre
	toward := func(s *geom.Shape, p geom.Vec3) (geom.Vec3, float64) {
		d := s.Distance(p)
		if d > 0 {
			p = p.Sub(s.Normal(p).Mul(d))
		}
		return p, d
	}
	best := math.Inf(1)
	for range 32 {
		q, _ := toward(b, p)
		r, d := toward(a, q)
		if d = max(d, 0); d > best*(1-1e-4) {
			break
		}
		best, p = d, r
	}
	return best
}

// reached is how far from a form the nearest cell of a field is that is over a value, m.
func reached(form *geom.Shape, f *grid.Field, h float64, origin geom.Vec3, over float64, crew grid.Crew) float64 {
	part := make([]float64, f.NZ)
	crew.For(f.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			part[k] = never
			for j := range f.NY {
				for i, v := range f.Row(j, k) {
					if float64(v) <= over {
						continue
					}
					d := form.Distance(origin.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(h)))
					part[k] = min(part[k], max(d-h/2, touching))
				}
			}
		}
	})
	best := never
	for _, d := range part {
		best = min(best, d)
	}
	return best
}

// measure is what a sensor has measured of a frame; what it does at rest where nobody knows.
func (c *Cast) measure(e *shot.Element, number int) float64 {
	if m, there := c.measured[number]; there {
		return m[e.ID]
	}
	if c.Past != nil {
		if st, there := c.Past(number); there {
			if m, there := st.Amounts[Measured(e)]; there {
				return m
			}
		}
	}
	return rest(e)
}

// Advance makes a run's next frame and lets the domain's sensors measure it.
func Advance(r Runner, stop func() bool) (int, sim.Stats, error) {
	number, st, err := r.Advance(stop)
	if err == nil {
		c := r.Base()
		for _, e := range c.sensors() {
			if c.measured == nil {
				c.measured = map[int]map[string]float64{}
			}
			if c.measured[number] == nil {
				c.measured[number] = map[string]float64{}
			}
			m := c.sense(r, e, number)
			c.measured[number][e.ID] = m
			if m != rest(e) {
				st.Put(Measured(e), m)
			}
		}
		if err = c.fault; err != nil {
			return number, st, err
		}
	}
	return number, st, err
}

// sense measures a frame that is finished.
func (c *Cast) sense(r Runner, e *shot.Element, number int) float64 {
	form := c.Form(e, float64(number))
	channel := val.SensorChannel.Of(e)
	switch channel {
	case "near":
		return c.apart(&form, val.SensorFrom.Of(e), number)
	case "since":
		for _, o := range c.sensors() {
			if o.ID == val.SensorFrom.Of(e) {
				return c.fired(o, number)
			}
		}
		return rest(e)
	case frame.Strain, frame.Soaked:
		return c.felt(r, e, channel, &form, number)
	case "reach":
		channel = "density"
	}
	field, h, origin, many := c.sensed(r, e, channel, &form, number)
	if channel == "particles" {
		return many
	}
	if field == nil {
		return rest(e)
	}
	if val.SensorChannel.Of(e) == "reach" {
		return reached(&form, field, h, origin, val.SensorOver.Of(e), c.Crew)
	}
	how, over := val.SensorMeasure.Of(e), 0.0
	if how == "share" {
		over = val.SensorOver.Of(e)
	}
	m := within(&form, field, h, origin, over)
	switch how {
	case "mean":
		return m.sum / max(m.cells, 1e-9)
	case "most":
		return m.most
	case "total":
		return m.sum * h * h * h
	}
	return m.over / max(m.cells, 1e-9)
}

// felt is a number of cloth within a form, by the area that each vertex stands for.
func (c *Cast) felt(r Runner, e *shot.Element, channel string, form *geom.Shape, number int) float64 {
	by := c.Shot.Senses(e, c.Domain)
	var p *frame.Points
	switch {
	case by == nil:
	case by == c.Domain:
		s := r.Shown()
		p = s.Points
	default:
		if f := c.Fed(by, number); f != nil {
			p = f.Points
		}
	}
	if p == nil || len(p.Tri) == 0 || p.Of(channel) == nil {
		return rest(e)
	}
	v, at := p.Of(channel), make([]geom.Vec3, len(p.P))
	for i, x := range p.P {
		at[i] = geom.V(float64(x[0]), float64(x[1]), float64(x[2]))
	}
	area := make([]float64, len(p.P))
	for _, t := range p.Tri {
		one := at[t[1]].Sub(at[t[0]]).Cross(at[t[2]].Sub(at[t[0]])).Len() / 6
		for _, i := range t {
			area[i] += one
		}
	}
	over := val.SensorOver.Of(e)
	var m mass
	for i, a := range area {
		if a == 0 || form.Distance(at[i]) > 0 {
			continue
		}
		x := float64(v[i])
		m.cells, m.sum, m.most = m.cells+a, m.sum+x*a, max(m.most, x)
		if x > over {
			m.over += a
		}
	}
	switch val.SensorMeasure.Of(e) {
	case "mean":
		return m.sum / max(m.cells, 1e-12)
	case "most":
		return m.most
	case "total":
		return m.sum
	}
	return m.over / max(m.cells, 1e-12)
}

// sensed is the field that a sensor measures, its voxels in m and its corner, or how many
// particles lie within its form; nothing where there is none.
func (c *Cast) sensed(r Runner, e *shot.Element, channel string, form *geom.Shape, number int) (field *grid.Field, h float64, origin geom.Vec3, many float64) {
	by := c.Shot.Senses(e, c.Domain)
	if by == nil {
		return
	}
	if by == c.Domain {
		s := r.Shown()
		if channel == "particles" {
			if s.Points == nil {
				return
			}
			return nil, 0, origin, counted(form, s.Points.Alive())
		}
		return s.channel(channel), s.H, s.Origin, 0
	}
	f := c.Fed(by, number)
	if f == nil {
		return
	}
	if channel == "particles" {
		if f.Points != nil {
			many = counted(form, f.Points.Alive())
		}
		return
	}
	l, err := LatticeOf(f, channel)
	if l != nil && err == nil {
		var list []*grid.Field
		if list, err = l.Read(channel); len(list) == 1 {
			field, h, origin = list[0], l.H, l.Origin
		}
	}
	c.Failed(err, by)
	return
}

// channel is a field of what is shown; a liquid's surface tells where it is full.
func (s *Shown) channel(name string) *grid.Field {
	switch name {
	case frame.Temperature:
		return s.Heat
	case frame.Burn:
		return s.Burn
	}
	if s.Surface == nil {
		return s.Density
	}
	full := grid.NewField(s.Surface.Dims)
	for i, d := range s.Surface.Data {
		full.Data[i] = min(max(0.5-d/float32(s.H), 0), 1)
	}
	return full
}

// counted is how many points lie in a form.
func counted(form *geom.Shape, p *frame.Points) (n float64) {
	if p == nil {
		return 0
	}
	box := form.Bounds()
	for _, x := range p.P {
		q := geom.V(float64(x[0]), float64(x[1]), float64(x[2]))
		if box.Contains(geom.Box{Min: q, Max: q}) && form.Distance(q) <= 0 {
			n++
		}
	}
	return n
}

// mass is what a form holds of a field: of so many cells the sum, how many are over a value,
// and the largest.
type mass struct{ cells, sum, over, most float64 }

// within sums a field over a form, by how much of each cell lies within it; beyond the field
// is nothing.
func within(form *geom.Shape, f *grid.Field, h float64, origin geom.Vec3, over float64) (m mass) {
	box := form.Bounds()
	lo, hi := box.Min.Sub(origin).Mul(1/h).Array(), box.Max.Sub(origin).Mul(1/h).Array()
	step := 1 // of a form that would be very many cells every other, or fewer
	for (hi[0]-lo[0])*(hi[1]-lo[1])*(hi[2]-lo[2])/float64(step*step*step) > 4e6 {
		step++
	}
	// a form smaller than a cell is looked at by parts of it
	parts := 1
	for s := box.Size(); s.MinComponent() < 4*h/float64(parts) && parts < 8; {
		parts *= 2
	}
	unit := float64(step) / float64(parts)
	for z := math.Floor(lo[2]); z < hi[2]; z += unit {
		for y := math.Floor(lo[1]); y < hi[1]; y += unit {
			for x := math.Floor(lo[0]); x < hi[0]; x += unit {
				p := geom.V(x+unit/2, y+unit/2, z+unit/2)
				w := min(max(0.5-form.Distance(origin.Add(p.Mul(h)))/(h*unit), 0), 1)
				if w <= 0 {
					continue
				}
				m.cells += w
				i, j, k := int(math.Floor(p.X)), int(math.Floor(p.Y)), int(math.Floor(p.Z))
				if i < 0 || j < 0 || k < 0 || i >= f.NX || j >= f.NY || k >= f.NZ {
					continue
				}
				v := float64(f.At(i, j, k))
				m.sum += w * v
				m.most = max(m.most, v)
				if v > over {
					m.over += w
				}
			}
		}
	}
	each := unit * unit * unit
	m.cells, m.sum, m.over = m.cells*each, m.sum*each, m.over*each
	return m
}
