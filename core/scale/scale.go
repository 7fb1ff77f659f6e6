package scale

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/gas"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
)

// Kind is which law an effect is held against.
type Kind string

// The kinds.
// Sources of each are in the comment of the package.
const (
	Rising Kind = "rising"
	Blast  Kind = "blast"
)

// Constants of the laws, as the package's comment has them.
const (
	froude     = 0.72
	fireLasts  = 0.155 // s for a metre of radius
	slowsAs    = 0.4
	leastFront = 6  // voxels that a front must have gone
	leastCount = 10 // frames on the way
	leastBlast = 5  // frames for which a blast burns
)

// Point is a front's distance at a time of the picture.
// Time counts from the first frame that was read.
type Point struct{ T, L float64 } // s, m

// Change is one value to be set.
// A change is data, so that the page can offer it and the editor can make it.
type Change struct {
	Element string // as shot.Owner finds it
	Key     string
	Value   shot.Value
}

// Mend is a change that would bring reading and size together.
type Mend struct {
	Label   string
	Changes []Change
}

// Reading is how large a take reads.
// Speeds are those of the picture: slow motion makes them slow, and the effect
// large.
type Reading struct {
	Kind     Kind
	Why      string  // why nothing can be said; then the rest is empty
	Size     float64 // m: how far its front went
	Reads    float64 // m
	Speed    float64 // m/s of the front on the screen
	Wants    float64 // m/s that its size demands
	Slope    float64 // of a blast: p in R ∝ t^p
	Measured []Point
	Demanded []Point
	Mends    []Mend
}

// Off is how many times too small it reads; under 1 too large.
func (r *Reading) Off() float64 { return r.Size / r.Reads }

// Fits reports a reading within a factor of 1.6 of the size. Readings are good to a
// quarter, and a mend should be worth its run.
func (r *Reading) Fits() bool { return r.Off() < 1.6 && r.Off() > 1/1.6 }

// Of reads a take: frames by number, of domain d in shot s.
//
// The front is the farthest that anything visible is from where it first was, frame
// by frame. It is followed up to nine tenths of its way, where walls and the shot's
// end don't yet show.
func Of(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) Reading {
	var order []int
	for n := range frames {
		order = append(order, n)
	}
	slices.Sort(order)
	if why := silent(s, d, frames, order); why != "" {
		return Reading{Why: why}
	}
	kind := Rising
	if blast(frames, order) {
		kind = Blast
	}
	way, at := follow(s, frames, order, kind)
	h := val.Voxel.Of(d)
	if len(way) == 0 {
		for _, f := range frames {
			if f.Of(sim.SmokeTotal) > 0 {
				return Reading{Why: "This take was made before fronts were measured; run it again."}
			}
		}
		return Reading{Why: "No frame holds smoke or fire that can be seen."}
	}
	// the way of the front: until it stands, or something stops it
	// The end is where nine tenths were first reached, not where the most was.
	most := 0.0
	for _, p := range way {
		most = max(most, p.L)
	}
	end := slices.IndexFunc(way, func(p Point) bool { return p.L >= 0.9*most })
	if kind == Blast {
		end = len(way) - 1
	}
	way, at = way[:end+1], at[:end+1]
	// Under that a slope fitted to the points says more about noise than about
	// speed.
	least := leastCount
	if kind == Blast {
		least = leastBlast
	}
	if len(way) < least || most-way[0].L < leastFront*h {
		return Reading{Why: fmt.Sprintf("Too few frames: the front was on its way for %d frames and %s m; at least %d frames and %d voxels are needed.", len(way), shot.Short(shot.Tidy(most-way[0].L)), least, leastFront)}
	}
	r := Reading{Kind: kind, Size: way[end].L, Measured: way}
	r.read(s, d, frames, at)
	return r
}

// follow is a front's way: the farthest that anything visible is from where it was first,
// of a blast the radius of a ball as large as what is visible, until it is burnt out.
func follow(s *shot.Shot, frames map[int]sim.Stats, order []int, kind Kind) (way []Point, at []int) {
	var from [3]float64
	for _, n := range order {
		f := frames[n]
		// A frame without anything that can be seen has no front.
		if f.Bulk == 0 {
			continue
		}
		if way == nil {
			for a := range 3 {
				// The middle of what is seen first is taken for where it began.
				from[a] = (f.Low[a] + f.High[a]) / 2
			}
		}
		far, t := 0.0, float64(n-order[0])/s.Rate()
		for a := range 3 {
			far = max(far, from[a]-f.Low[a], f.High[a]-from[a])
		}
		if kind == Blast { // a ball as large as all of it
			far = math.Cbrt(3 * f.Bulk / (4 * math.Pi))
		}
		way, at = append(way, Point{t, far}), append(at, n)
		if kind == Blast && burntOut(frames, order, n) { // from here on it only rises
			break
		}
	}
	return way, at
}

// silent tells why a size can't be read at all: something drives the front that has a pace
// of its own, or a fire burns on. Wrong words would cost more than none.
func silent(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats, order []int) string {
	all, late := 0.0, 0.0
	for i, n := range order {
		v := frames[n].Of(sim.HeatMade)
		all += v
		if i >= len(order)*3/4 {
			late += v
		}
	}
	if all <= 0 || late < 0.1*all {
		return driven(s, d)
	}
	return burning(s, d, late*s.Rate()/(val.TimeScale.Of(s)*float64(len(order)-len(order)*3/4)))
}

// driven tells what drives gas in a domain besides its own weight. A wind slows what rises
// as it carries it across.
func driven(s *shot.Shot, d *shot.Element) string {
	for _, e := range s.Elements {
		if e.Muted || !e.Acts(d) || e.Kind == shot.Wind && val.Grip.Of(e) < 0.05 {
			continue
		}
		switch e.Kind {
		case shot.Guide, shot.Pull, shot.Vortex, shot.Radial, shot.Wind:
			return e.Name + " drives it: its speed isn't its own, and its size can't be read from it. Mute that and run it coarsely to ask."
		}
	}
	return ""
}

// burning is what is told of a fire that burns on: how high the flame of its power is.
func burning(s *shot.Shot, d *shot.Element, warms float64) string {
	kw := gas.Power(s, warms)
	across := 0.0
	for _, e := range s.Of(shot.Emitter) {
		if e.Acts(d) {
			if w, _, ok := gas.Bed(e, s.Eval(val.First.Of(s))); ok {
				across = max(across, w)
			}
		}
	}
	said := fmt.Sprintf("A fire that burns on has no front to read. It gives %s kW", shot.Short(shot.Tidy(kw)))
	if flame := gas.FlameHeight(kw, across); flame > 0 && across > 0 {
		return said + fmt.Sprintf(": in nature and in still air the flame of such a fire over %s m is %s m high.", shot.Short(shot.Tidy(across)), shot.Short(math.Round(flame*10)/10))
	}
	return said + "."
}

// burntOut reports that by a frame 95 % of a fire's heat was made.
func burntOut(frames map[int]sim.Stats, order []int, n int) bool {
	all, sum := 0.0, 0.0
	for _, f := range order {
		v := frames[f].Of(sim.HeatMade)
		if all += v; f <= n {
			sum += v
		}
	}
	return sum >= 0.95*all
}

// blast tells a fire that is made at once: four fifths of its heat within a
// quarter of its frames.
// Told by the run and not by the set-up: what burns at once is a blast, whatever it
// was made with.
func blast(frames map[int]sim.Stats, order []int) bool {
	all, best := 0.0, 0.0
	n := max(len(order)/4, 1)
	for i := range order {
		all += frames[order[i]].Of(sim.HeatMade)
		sum := 0.0
		for _, f := range order[i:min(i+n, len(order))] {
			sum += frames[f].Of(sim.HeatMade)
		}
		best = max(best, sum)
	}
	return all > 0 && best > 0.8*all
}

// read works out from a front's way how large it reads, what speed its size
// demands, and the way that this would take.
//
// A blast goes by how long a fireball of its size burns; what rises
// goes by a front's Froude number, u = Fr √(g' L), with g' from its mean warmth.
// Reads is the size whose law the measured speed fits; Wants the speed that the real
// size demands.
func (r *Reading) read(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats, at []int) {
	way := r.Measured
	// The last third of the way, where the start's own push has worn off.
	last := way[len(way)*2/3:]
	u, _ := line(last)
	r.Speed = max(u, 1e-6)
	l := (last[0].L + last[len(last)-1].L) / 2
	if r.Kind == Blast {
		// Logarithms need a time before the first point; the frame before is when it
		// was lit.
		t0 := way[0].T - 1/s.Rate()
		var logs []Point
		for _, p := range way[len(way)/4:] {
			logs = append(logs, Point{math.Log(p.T - t0), math.Log(p.L)})
		}
		r.Slope, _ = line(logs)
		r.Reads = (way[len(way)-1].T - t0) / fireLasts
		r.Wants = r.Speed * r.Reads / r.Size
		whole := fireLasts * r.Size // s that its size demands
		for i := range 24 {
			t := whole * float64(i+1) / 24
			r.Demanded = append(r.Demanded, Point{t0 + t, r.Size * math.Pow(t/whole, slowsAs)})
		}
	} else {
		air := val.AirTemperature.Of(s)
		g := 0.0
		for _, n := range at[len(at)*2/3:] {
			// Cold smoke that sinks goes by the same law downwards.
			warm := math.Abs(frames[n].Of(sim.Warm))
			g += 9.81 * warm / (air + warm)
		}
		g /= float64(len(at) - len(at)*2/3)
		// A ten-thousandth of gravity: no weight to speak of.
		if g < 1e-3 {
			*r = Reading{Kind: r.Kind, Why: "It is as warm as the air: what drives it is not its own weight, and size can't be read from its speed."}
			return
		}
		r.Wants = froude * math.Sqrt(g*l)
		r.Reads = r.Size * math.Pow(r.Wants/r.Speed, 2)
		p := way[0]
		r.Demanded = append(r.Demanded, p)
		for i := 1; i < 400 && p.L < 1.2*r.Size; i++ {
			// Half frames, as the curve is drawn and not only read.
			p = Point{p.T + 0.5/s.Rate(), p.L + froude*math.Sqrt(g*max(p.L, 1e-3))*0.5/s.Rate()}
			r.Demanded = append(r.Demanded, p)
		}
	}
	r.mends(s, d)
}

// line fits L = a + b·T and gives b and a.
func line(p []Point) (b, a float64) {
	var n, x, y, xx, xy float64
	for _, q := range p {
		n, x, y, xx, xy = n+1, x+q.T, y+q.L, xx+q.T*q.T, xy+q.T*q.L
	}
	// 0 for points at one time only.
	det := n*xx - x*x
	if det == 0 {
		return 0, y / max(n, 1)
	}
	b = (n*xy - x*y) / det
	return b, (y - b*x) / n
}

// mends offers what would bring reading and size together: time, which scales
// every speed; buoyancy, whose square root speeds go by; damping where a blast
// doesn't slow down.
// Each mend alone would do; keyed values are left alone, and values are rounded to
// two figures, as nobody dials in more.
func (r *Reading) mends(s *shot.Shot, d *shot.Element) {
	if r.Fits() {
		return
	}
	// Size goes with the square of speed.
	fast := math.Sqrt(r.Off()) // how many times too fast
	if r.Kind == Blast {
		fast = r.Off()
	}
	two := func(v float64) float64 {
		if v == 0 {
			return 0
		}
		m := math.Pow(10, math.Floor(math.Log10(math.Abs(v)))-1)
		return shot.Tidy(math.Round(v/m) * m)
	}
	add := func(e *shot.Element, k val.NumKey, v float64) {
		entry := shot.Find(e.Kind, k.Name())
		v = two(min(max(v, entry.Min), entry.Max))
		// A mend that changes nothing isn't offered.
		if v == k.Of(e) || e.Keyed(k) {
			return
		}
		label := fmt.Sprintf("%s %s instead of %s", entry.Label, entry.Show(shot.Num(v), "m"), entry.Show(k.Value(e), "m"))
		r.Mends = append(r.Mends, Mend{label, []Change{{e.Address(), k.Name(), shot.Num(v)}}})
	}
	add(s.Self, val.TimeScale, val.TimeScale.Of(s)/fast)
	if r.Kind == Rising {
		add(d, val.Lift, val.Lift.Of(d)/(fast*fast))
	}
	if fast > 1 {
		add(d, val.Damping, val.Damping.Of(d)+r.Speed/r.Size*(1-1/fast)*2)
	}
}
