package run

import (
	"fmt"
	"slices"
)

// Log turns what a job tells about its frames into lines for people. A remark
// is written when it comes first; if it comes at more frames, End writes it
// once more with their range and its worst value. So a run of 500 frames that
// all need more substeps has two lines of it, not 500. The zero value is ready;
// it is not safe for several goroutines.
type Log struct {
	said  map[string]*remark
	order []*remark // as they came
}

type remark struct {
	text   func(worst float64) string
	worst  float64
	frames []int
}

// Add takes in a step and gives the lines that are new.
func (l *Log) Add(p Progress) (lines []string) {
	for _, n := range p.Notes {
		lines = l.add(lines, p.Frame, n, 0, func(float64) string { return n })
	}
	if p.Stats.Capped {
		most := p.Stats.Substeps
		lines = l.add(lines, p.Frame, "capped", p.Stats.MaxSpeed, func(v float64) string {
			return fmt.Sprintf("fluid at %.3g m/s needed more than %d substeps; the result is less exact", v, most)
		})
	}
	if p.Stats.Unconverged > 0 {
		lines = l.add(lines, p.Frame, "unconverged", p.Stats.Residual, func(v float64) string {
			return fmt.Sprintf("the pressure was not solved to its tolerance (residual %.2g)", v)
		})
	}
	return lines
}

func (l *Log) add(lines []string, frame int, key string, value float64, text func(float64) string) []string {
	r := l.said[key]
	if r == nil {
		if l.said == nil {
			l.said = map[string]*remark{}
		}
		r = &remark{text: text, worst: value}
		l.said[key] = r
		l.order = append(l.order, r)
		lines = append(lines, fmt.Sprintf("frame %d: %s", frame, text(value)))
	}
	r.worst = max(r.worst, value)
	r.frames = append(r.frames, frame)
	return lines
}

// End gives the remarks that came at more than one frame, with their ranges,
// and forgets everything.
func (l *Log) End() (lines []string) {
	for _, r := range l.order {
		slices.Sort(r.frames)
		if r.frames = slices.Compact(r.frames); len(r.frames) > 1 {
			lines = append(lines, fmt.Sprintf("frames %s: %s", Ranges(r.frames), r.text(r.worst)))
		}
	}
	*l = Log{}
	return lines
}
