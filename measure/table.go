// Package measure measures the real code paths against the targets: speed
// (Bench) and accuracy (Verify). Every section ends within a minute.
package measure

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/shirou/gopsutil/v4/cpu"

	"zarf/core/grid"
	"zarf/core/vec"
)

// Row is one figure.
type Row struct {
	Section  string `json:"section"`
	Case     string `json:"case"`
	Target   string `json:"target"`
	Measured string `json:"measured"`
	Unit     string `json:"unit"`
	Met      bool   `json:"met"`
	// What smaller sets of vector kernels took, by the set's name.
	Sets map[string]string `json:"sets,omitempty"`
}

// Table is what a run printed.
type Table struct {
	Machine string `json:"machine"`
	Rows    []Row  `json:"rows"`
	section string
	crew    grid.Crew
	streams [3][]float32 // of the triad
}

// most adds a figure that should be at most target; target 0 only prints.
func (t *Table) most(name string, measured, target float64, unit string) {
	t.add(name, measured, target, unit, measured <= target, "≤ ")
}

// least adds a figure that should be at least target.
func (t *Table) least(name string, measured, target float64, unit string) {
	t.add(name, measured, target, unit, measured >= target, "≥ ")
}

func (t *Table) add(name string, measured, target float64, unit string, met bool, sign string) {
	r := Row{Section: t.section, Case: name, Measured: fmt.Sprintf("%.4g", measured), Unit: unit, Met: met}
	if target != 0 {
		r.Target = sign + fmt.Sprintf("%.4g", target)
	}
	t.Rows = append(t.Rows, r)
}

// Beside puts the figures of a run with another set of kernels into a column.
func (t *Table) Beside(set string, other *Table) {
	for i := range t.Rows {
		r := &t.Rows[i]
		for _, p := range other.Rows {
			if p.Section != r.Section || p.Case != r.Case {
				continue
			}
			if r.Sets == nil {
				r.Sets = map[string]string{}
			}
			r.Sets[set] = p.Measured
		}
	}
}

type section struct {
	name string
	fn   func(*Table)
}

func run(list []section, want string, threads int) (*Table, error) {
	t := &Table{crew: grid.NewCrew(threads)}
	t.triad() // the first takes the memory
	t.Machine = fmt.Sprintf("%s, %d threads, %s, Go %s, memory triad %.1f GB/s", processor(), t.crew.Threads(), instructions(), runtime.Version(), t.triad())
	var names []string
	for _, s := range list {
		names = append(names, s.name)
		if want == "" || want == s.name {
			t.section = s.name
			s.fn(t)
		}
	}
	if want != "" && !slices.Contains(names, want) {
		return nil, fmt.Errorf("there is no section %q; the sections are %s", want, strings.Join(names, ", "))
	}
	return t, nil
}

func processor() string {
	if list, err := cpu.Info(); err == nil && len(list) > 0 && list[0].ModelName != "" {
		return list[0].ModelName
	}
	return runtime.GOARCH
}

func instructions() string {
	all := vec.Sets()
	return fmt.Sprintf("%s (kernels: %s)", all[len(all)-1], vec.Chosen)
}

// triad is memory speed over arrays of 256 MB in all, GB/s.
func (t *Table) triad() float64 {
	const n = 256 << 20 / 12
	for i := range t.streams {
		if t.streams[i] == nil {
			t.streams[i] = make([]float32, n)
		}
	}
	best := fastest(2, func() {
		t.crew.For(n, 1<<16, func(lo, hi int) {
			x, y, z := t.streams[0][lo:hi], t.streams[1][lo:hi], t.streams[2][lo:hi]
			for i := range x {
				x[i] = y[i] + 3*z[i]
			}
		})
	})
	return float64(n) * 12 / best.Seconds() / 1e9
}

// told is the memory speed, GB/s, that goals of what memory limits are told for.
const told = 30

// pace is the fastest time of something and, in turns with it, the fastest triad: what
// memory limits is as fast as its memory, which on a shared machine changes by the
// minute.
type pace struct {
	best  time.Duration
	speed float64 // GB/s
}

// Each turn takes fn at least twice, and for at least 40 ms: the triad has put everything
// out of the caches, and what a step finds there of the one before is part of its speed.
func (t *Table) pace(p *pace, fn func() time.Duration) {
	p.speed = max(p.speed, t.triad())
	begin := time.Now()
	for n := 0; n < 2 || time.Since(begin) < 40*time.Millisecond; n++ {
		if d := fn(); p.best == 0 || d < p.best {
			p.best = d
		}
	}
}

// timed is fn for pace.
func timed(fn func()) func() time.Duration {
	return func() time.Duration { return fastest(1, fn) }
}

// paced adds a time in ms that should be at most goal where memory moves 30 GB/s, and
// as much more as it moves less.
func (t *Table) paced(name string, p *pace, goal float64) {
	t.most(name, ms(p.best), goal*told/p.speed, "ms")
	if goal != 0 {
		r := &t.Rows[len(t.Rows)-1]
		r.Target += fmt.Sprintf(" (%.4g at %d GB/s; triad %.1f)", goal, told, p.speed)
	}
}

// fastest times fn n times and returns the shortest.
func fastest(n int, fn func()) time.Duration {
	best := time.Duration(1<<63 - 1)
	for range n {
		t := time.Now()
		fn()
		best = min(best, time.Since(t))
	}
	return best
}

func ms(d time.Duration) float64 { return d.Seconds() * 1000 }
