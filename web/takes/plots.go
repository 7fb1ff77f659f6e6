package takes

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/check"
	"zarf/core/scale"
	"zarf/core/shot"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
	"zarf/web/desk"
)

// plot is a small curve of one quantity over a take's frames, drawn as SVG in a
// box of plotW by plotH.
type plot struct {
	Title string
	Unit  string
	Path  string // of the curve
	Area  string // the curve closed to the base line
	Top   string // the largest value
	Last  string // the value at the last frame
	From  int
	To    int
}

const (
	plotW = 240
	plotH = 46
)

// always are what is plotted of every solver's frames, after its own figures.
var always = []stage.Quantity{
	{Name: "speed", Label: "Fastest", Unit: "m/s", Of: func(s *sim.Stats) float64 { return s.MaxSpeed }},
	{Name: "substeps", Label: "Substeps", Of: func(s *sim.Stats) float64 { return float64(s.Substeps) }},
	{Name: "voxels", Label: "Voxels in use", Of: func(s *sim.Stats) float64 { return float64(s.Voxels) }},
}

// scaleView is a take's reading with its curves drawn.
type scaleView struct {
	scale.Reading
	Front, Law string // paths in a box of plotW by 2·plotH
	Long, Far  string // what the box's sides mean
}

func newScale(r scale.Reading) *scaleView {
	v := &scaleView{Reading: r}
	t, l := 0.0, 0.0
	for _, p := range r.Measured {
		t, l = max(t, p.T), max(l, p.L)
	}
	for _, p := range r.Demanded {
		t, l = max(t, min(p.T, 3*t)), max(l, p.L)
	}
	if t == 0 || l == 0 {
		return v
	}
	path := func(list []scale.Point) string {
		var b strings.Builder
		for _, p := range list {
			if p.T > t {
				break
			}
			c := "L"
			if b.Len() == 0 {
				c = "M"
			}
			fmt.Fprintf(&b, "%s%.1f %.1f", c, p.T/t*plotW, 2*plotH-p.L/l*2*plotH)
		}
		return b.String()
	}
	v.Front, v.Law = path(r.Measured), path(r.Demanded)
	v.Long, v.Far = fmt.Sprintf("%.3g s", t), metres(l)
	return v
}

// metres writes a length in two figures.
func metres(v float64) string {
	switch {
	case v >= 10:
		return fmt.Sprintf("%.0f m", v)
	case v >= 1:
		return fmt.Sprintf("%.1f m", v)
	}
	return fmt.Sprintf("%.0f cm", 100*v)
}

// Says is the reading in words.
func (v *scaleView) Says() string {
	return fmt.Sprintf("Reads as about %s; the shot says %s.", metres(v.Reads), metres(v.Size))
}

// Facts are the figures behind it.
func (v *scaleView) Facts() string {
	if v.Kind == scale.Blast {
		return fmt.Sprintf("A blast: its front goes as the %.2f-th power of time, %.1f is natural; it grew in %.2f s.", v.Slope, 0.4, v.Measured[len(v.Measured)-1].T)
	}
	return fmt.Sprintf("Its front goes at %.2g m/s on the screen; its size and warmth ask for %.2g m/s.", v.Speed, v.Wants)
}

// plots draws every quantity that has something to show.
func plots(doc *shot.Shot, d *shot.Element, stats map[int]sim.Stats) []plot {
	var order []int
	for n := range stats {
		order = append(order, n)
	}
	if len(order) < 2 {
		return nil
	}
	slices.Sort(order)
	var out []plot
	list := always
	if solver := stage.Of(d); solver != nil {
		list = append(slices.Clone(solver.Amounts), always...)
	}
	for _, e := range doc.Of(shot.Sensor) {
		if e.Acts(d) {
			list = append(list, stage.Quantity{Name: stage.Measured(e), Label: "Measured by " + e.Name})
		}
	}
	for _, q := range list {
		k := 1.0
		if q.Shown != nil {
			k = q.Shown(doc)
		}
		values := make([]float64, len(order))
		top := 0.0
		for i, n := range order {
			st := stats[n]
			values[i] = q.Read(&st) * k
			top = max(top, math.Abs(values[i]))
		}
		if top == 0 || math.IsInf(top, 0) || math.IsNaN(top) {
			continue
		}
		p := plot{Title: q.Label, Unit: q.Unit, Top: figures(top), Last: figures(values[len(values)-1]), From: order[0], To: order[len(order)-1]}
		var b strings.Builder
		span := float64(max(1, p.To-p.From))
		for i, v := range values {
			c := 'L'
			if i == 0 {
				c = 'M'
			}
			fmt.Fprintf(&b, "%c%.1f %.1f", c, 2+float64(order[i]-p.From)/span*(plotW-4), plotH-2-max(v, 0)/top*(plotH-4))
		}
		p.Path = b.String()
		p.Area = fmt.Sprintf("%sL%d %dL2 %dZ", p.Path, plotW-2, plotH-2, plotH-2)
		out = append(out, p)
	}
	return out
}

// figures shows a number in three figures, or as a count.
func figures(v float64) string {
	if v == math.Trunc(v) || math.Abs(v) >= 1000 {
		return desk.CountWords(math.Round(v))
	}
	return fmt.Sprintf("%.3g", v)
}

// account is a take with what its run tells.
type account struct {
	*desk.TakeView
	Hangs string // what was made from it
	Plots []plot
	Scale *scaleView
	After []check.Finding // what its frames tell
}

// read fills in what a take's frames tell.
func (v *account) read(frames map[int]cache.Frame) {
	doc, err := v.Shot()
	if err != nil {
		return
	}
	stats := run.Stats(frames)
	d := doc.Element(v.Domain)
	if d == nil || len(stats) == 0 {
		return
	}
	v.Plots = plots(doc, d, stats)
	v.After = stage.After(doc, d, stats)
	if slices.ContainsFunc(v.After, func(f check.Finding) bool { return f.ID == "empty" }) {
		v.After = append(v.After, stage.WhyEmpty(doc, d)...)
	}
	if solver := stage.Of(d); solver != nil && solver.Fronts {
		v.Scale = newScale(scale.Of(doc, d, stats))
	}
}
