package look

import (
	"math"

	"zarf/core/shot"
)

// tableSize is how finely ramps and curves are worked out.
const tableSize = 1024

// Table is a ramp or a curve over a channel's range, ready to be read.
type Table struct {
	Low, High float64 // values of the channel at the two ends
	V         [tableSize + 1]RGB
	bands     int
	soft      float64
}

// NewTable works out the stops of a ramp (three channels) or a curve (one).
// 1,025 entries, read without interpolation: a step of a thousandth of the range
// can't be seen, and steps (Band) stay sharp.
func NewTable(t shot.Type, v shot.Value, low, high float64) *Table {
	out := &Table{Low: low, High: high}
	stops := v.Stops(t.Channels())
	for i := range out.V {
		out.V[i] = Blend(stops, float64(i)/tableSize)
	}
	return out
}

// Band cuts the table's range into n steps whose edges are as soft as told;
// n = 0 leaves it smooth.
func (t *Table) Band(n int, soft float64) *Table {
	if n < 1 {
		return t
	}
	out := *t
	out.bands, out.soft = n, soft
	for i := range out.V {
		out.V[i] = t.V[int(Step(float64(i)/tableSize, n, soft)*tableSize+0.5)]
	}
	return &out
}

// Step cuts u, 0 to 1, into n flat steps: the first gives 0, the last 1. A
// share soft of each step, at its upper end, glides to the next; n = 1 cuts at
// the middle into 0 and 1.
func Step(u float64, n int, soft float64) float64 {
	u = min(max(u, 0), 1)
	if n < 1 {
		return u
	}
	if n == 1 {
		n = 2
	}
	x := u * float64(n)
	k := min(math.Floor(x), float64(n-1))
	f := x - k
	if k < float64(n-1) && soft > 0 && f > 1-soft {
		g := (f - (1 - soft)) / soft
		k += g * g * (3 - 2*g)
	}
	return k / float64(n-1)
}

// At reads the table at a value of the channel.
func (t *Table) At(x float64) RGB { return t.V[t.index(x)] }

// One reads the first channel: that of a curve.
func (t *Table) One(x float32) float32 { return float32(t.V[t.index(float64(x))][0]) }

func (t *Table) index(x float64) int {
	span := t.High - t.Low
	if span == 0 {
		if x < t.Low {
			return 0
		}
		return tableSize
	}
	u := (x - t.Low) / span
	if !(u > 0) {
		return 0
	}
	return int(min(u, 1)*tableSize + 0.5)
}

// Most is the largest first channel between two values of the driving channel.
// By all entries between the two, as a table may rise and fall: for majorants.
func (t *Table) Most(lo, hi float32) float32 {
	a, b := t.index(float64(lo)), t.index(float64(hi))
	if a > b {
		a, b = b, a
	}
	m := 0.0
	for _, v := range t.V[a : b+1] {
		m = max(m, v[0])
	}
	return float32(m)
}

// Blend is the value of stops at u: straight, smooth or stepped from each to
// the next, held beyond the ends. Stops at the same place jump.
// Stops at one place make a jump: the last of them counts from there on.
func Blend(stops []shot.Stop, u float64) RGB {
	if len(stops) == 0 {
		return RGB{}
	}
	n := 0
	for n < len(stops) && stops[n].At <= u {
		n++
	}
	if n == 0 {
		return RGB(stops[0].V)
	}
	a := stops[n-1]
	if n == len(stops) || a.Way == "step" {
		return RGB(a.V)
	}
	b := stops[n]
	f := (u - a.At) / (b.At - a.At)
	if a.Way == "smooth" {
		f = f * f * (3 - 2*f)
	}
	return RGB(a.V).Scale(1 - f).Add(RGB(b.V).Scale(f))
}
