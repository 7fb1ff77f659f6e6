package run

import (
	"fmt"
	"slices"
	"testing"

	"zarf/core/sim"
)

// Whatever a run repeats at every frame stands in its log twice: when it came
// first, and at the end with its range and its worst value.
func TestLogTellsOnce(t *testing.T) {
	var l Log
	var got []string
	for f := 1; f <= 60; f++ {
		p := Progress{Frame: f}
		if f < 4 {
			p.Notes = []string{"pre-roll"}
		}
		if f == 5 {
			p.Notes = []string{"resumed after frame 4"}
		}
		if f >= 10 && f != 30 {
			p.Stats = sim.Stats{Capped: true, Substeps: 8, MaxSpeed: float64(f)}
		}
		if f == 40 || f == 41 {
			p.Stats.Unconverged, p.Stats.Residual = 1, 0.1*float64(42-f)
		}
		got = append(got, l.Add(p)...)
	}
	want := []string{
		"frame 1: pre-roll",
		"frame 5: resumed after frame 4",
		"frame 10: fluid at 10 m/s needed more than 8 substeps; the result is less exact",
		"frame 40: the pressure was not solved to its tolerance (residual 0.2)",
	}
	if !slices.Equal(got, want) {
		t.Errorf("while it ran:\n%q", got)
	}
	want = []string{
		"frames 1–3: pre-roll",
		"frames 10–29, 31–60: fluid at 60 m/s needed more than 8 substeps; the result is less exact",
		"frames 40–41: the pressure was not solved to its tolerance (residual 0.2)",
	}
	if got := l.End(); !slices.Equal(got, want) {
		t.Errorf("at the end:\n%q", got)
	}
	if got := l.End(); got != nil {
		t.Errorf("a log that ended says %q", got)
	}
}

// Frames that come out of order, and two remarks at one frame.
func TestLogOutOfOrder(t *testing.T) {
	var l Log
	for _, f := range []int{4, 2, 3, 3} {
		l.Add(Progress{Frame: f, Notes: []string{"a", "b"}})
	}
	if got := fmt.Sprint(l.End()); got != "[frames 2–4: a frames 2–4: b]" {
		t.Error(got)
	}
}
