package web

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/check"
	"zarf/core/gas"
	"zarf/core/scale"
	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/run"
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

// quantities are what is plotted, in order; those that are zero throughout are
// left out.
var quantities = []struct {
	title, unit string
	of          func(gas.FrameStats) float64
	shown       func(*shot.Shot) float64 // turns the solver's unit into that shown
}{
	{"Fuel in the air", "kg", func(s gas.FrameStats) float64 { return s.FuelTotal }, nil},
	{"Fuel burnt a frame", "kg", func(s gas.FrameStats) float64 { return s.FuelBurnt }, nil},
	{"Heat made a frame", "MJ", func(s gas.FrameStats) float64 { return s.HeatMade }, heatUnit},
	{"Heat held", "MJ", func(s gas.FrameStats) float64 { return s.HeatTotal }, heatUnit},
	{"Soot made a frame", "m³", func(s gas.FrameStats) float64 { return s.SootMade }, nil},
	{"Smoke held", "m³", func(s gas.FrameStats) float64 { return s.SmokeTotal }, nil},
	{"Gas expanded a frame", "m³", func(s gas.FrameStats) float64 { return s.Expanded }, nil},
	{"Hottest", "K over air", func(s gas.FrameStats) float64 { return s.PeakHeat }, nil},
	{"Fastest", "m/s", func(s gas.FrameStats) float64 { return s.MaxSpeed }, nil},
	{"Height of smoke", "m", func(s gas.FrameStats) float64 { return gasOnly(s, s.Top) }, nil},
	{"Liquid held", "m³", func(s gas.FrameStats) float64 { return s.Volume }, nil},
	{"Liquid that came in a frame", "m³", func(s gas.FrameStats) float64 { return s.VolumeMade - gasOnly(s, s.VolumeMade) }, nil},
	{"Liquid taken away in a frame", "m³", func(s gas.FrameStats) float64 { return s.Drained }, nil},
	{"Height of the liquid", "m", func(s gas.FrameStats) float64 { return s.Top - gasOnly(s, s.Top) }, nil},
	{"Particles", "", func(s gas.FrameStats) float64 { return float64(s.Particles) }, nil},
	{"Drops of foam", "", func(s gas.FrameStats) float64 { return float64(s.Drops) }, nil},
	{"Substeps", "", func(s gas.FrameStats) float64 { return float64(s.Substeps) }, nil},
	{"Voxels in use", "", func(s gas.FrameStats) float64 { return float64(s.Voxels) }, nil},
}

// gasOnly is a figure that means something else of a liquid.
func gasOnly(s gas.FrameStats, v float64) float64 {
	if s.Particles > 0 {
		return 0
	}
	return v
}

// heatUnit turns K·m³ of air into MJ.
func heatUnit(s *shot.Shot) float64 { return s.Get("air_density").Num * gas.HeatCapacity / 1e6 }

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
func plots(doc *shot.Shot, stats map[int]gas.FrameStats) []plot {
	var order []int
	for n := range stats {
		order = append(order, n)
	}
	if len(order) < 2 {
		return nil
	}
	slices.Sort(order)
	var out []plot
	for _, q := range quantities {
		k := 1.0
		if q.shown != nil {
			k = q.shown(doc)
		}
		values := make([]float64, len(order))
		top := 0.0
		for i, n := range order {
			values[i] = q.of(stats[n]) * k
			top = max(top, math.Abs(values[i]))
		}
		if top == 0 || math.IsInf(top, 0) || math.IsNaN(top) {
			continue
		}
		p := plot{Title: q.title, Unit: q.unit, Top: figures(top), Last: figures(values[len(values)-1]), From: order[0], To: order[len(order)-1]}
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
		return countWords(math.Round(v))
	}
	return fmt.Sprintf("%.3g", v)
}

// accounts fills in what a take's sheet tells of its run.
func (v *takeView) accounts(frames map[int]cache.Frame) {
	doc, err := v.Shot()
	if err != nil {
		return
	}
	stats := run.Stats(frames)
	v.Plots = plots(doc, stats)
	if d := doc.Element(v.Domain); d != nil && len(stats) > 0 {
		v.After = check.After(doc, d, stats)
		if seen := slices.ContainsFunc(v.After, func(f check.Finding) bool { return f.ID == "empty" }); seen {
			v.After = append(v.After, check.WhyEmpty(doc)...)
		}
		if !d.Liquid() {
			v.Scale = newScale(scale.Of(doc, d, stats))
		}
	}
}
