package stage

import (
	"encoding/binary"
	"fmt"
	"math"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/frame"
	"zarf/web/desk"
)

// sliceHead tells what a slice's numbers are.
type sliceHead struct {
	Channel  string         `json:"channel"`
	Unit     string         `json:"unit"`
	Channels []sliceChannel `json:"channels"`
	Axis     string         `json:"axis"`
	N        [2]int         `json:"n"`     // numbers along the slice's own axes
	Min      [2]float64     `json:"min"`   // m, where they begin
	Step     float64        `json:"step"`  // m
	At       float64        `json:"at"`    // m along the axis
	Range    [2]float64     `json:"range"` // m, within which slices can be had
	Low      float64        `json:"low"`   // of the whole frame
	High     float64        `json:"high"`
	Mean     float64        `json:"mean"` // over the voxels that aren't empty
	Filled   int            `json:"filled"`
	Bins     []int          `json:"bins"` // of a histogram from low to high over those voxels
	Bad      int            `json:"bad"`  // voxels that aren't finite
}

type sliceChannel struct {
	Name   string  `json:"name"`
	Unit   string  `json:"unit"`
	Vector bool    `json:"vector"`
	Active int64   `json:"active"`
	Low    float64 `json:"low"`
	High   float64 `json:"high"`
}

// slice answers with the numbers of a channel on a plane: float32, little
// endian, rows from below.
func (s *room) slice(c *gin.Context) {
	t, number, ok := s.TakeFrame(c, c.Param("take"), c.Param("frame"))
	if !ok {
		return
	}
	src, err := s.Studio.Source(t)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	f, err := src.Read(number)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	h := sliceHead{Channel: c.Query("channel"), Axis: c.Query("axis")}
	for _, g := range f.Grids {
		in := g.Inspect()
		ch := sliceChannel{Name: g.Name, Vector: g.Type.Components() == 3, Active: in.Active, Low: in.Low[0], High: in.High[0]}
		ch.Unit, _ = g.Meta["unit"].(string)
		h.Channels = append(h.Channels, ch)
	}
	name := h.Channel
	if name == "" && len(f.Grids) > 0 {
		name = f.Grids[0].Name
	}
	g := f.Grid(name)
	if g == nil {
		c.String(http.StatusUnprocessableEntity, "take %d holds no channel %q at frame %d", t.Number, name, number)
		return
	}
	h.Channel = name
	h.Unit, _ = g.Meta["unit"].(string)
	low, d := src.Window(f)
	n := [3]int{d.NX, d.NY, d.NZ}
	values, err := plain(g, low, n, c.Query("part"))
	if err != nil {
		desk.Explain(c, err)
		return
	}
	_, step, origin := src.Grid()
	corner := origin.Array()
	for a := range corner {
		corner[a] += float64(low[a]) * step
	}
	at, err := strconv.ParseFloat(c.Query("at"), 64)
	if err != nil {
		at = math.NaN()
	}
	h.count(values)
	out := h.cut(values, n, corner, step, at)
	c.Header("X-Zarf-Slice", desk.JSON(h))
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "application/octet-stream", out)
}

// planes are the axes of a slice across each axis, to the right and up: from the
// side, from above, from the front.
var planes = map[string][3]int{"x": {0, 2, 1}, "y": {1, 0, 2}, "z": {2, 0, 1}}

// cut takes the slice at a place along the head's axis (NaN: the middle) out of
// n values whose corner is given, and fills in where it lies.
func (h *sliceHead) cut(values []float32, n [3]int, corner [3]float64, step, at float64) []byte {
	if _, ok := planes[h.Axis]; !ok {
		h.Axis = "z"
	}
	axis, u, v := planes[h.Axis][0], planes[h.Axis][1], planes[h.Axis][2]
	h.Range = [2]float64{corner[axis], corner[axis] + float64(n[axis])*step}
	if math.IsNaN(at) {
		at = (h.Range[0] + h.Range[1]) / 2
	}
	layer := min(max(int(math.Floor((at-h.Range[0])/step)), 0), n[axis]-1)
	h.At, h.Step = h.Range[0]+(float64(layer)+0.5)*step, step
	h.N, h.Min = [2]int{n[u], n[v]}, [2]float64{corner[u], corner[v]}
	out := make([]byte, 0, 4*n[u]*n[v])
	var cell [3]int
	cell[axis] = layer
	for j := range n[v] {
		for i := range n[u] {
			cell[u], cell[v] = i, j
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(values[(cell[2]*n[1]+cell[1])*n[0]+cell[0]]))
		}
	}
	return out
}

// plain gives a channel as numbers over a window; of vectors the part x, y, z
// or their length.
func plain(g *frame.Grid, low, n [3]int, part string) ([]float32, error) {
	size := n[0] * n[1] * n[2]
	comps := make([][]float32, g.Type.Components())
	for i := range comps {
		comps[i] = make([]float32, size)
	}
	if err := g.Dense(low, n, comps); err != nil {
		return nil, fmt.Errorf("channel %s: %w", g.Name, err)
	}
	if len(comps) == 1 {
		return comps[0], nil
	}
	if a, ok := map[string]int{"x": 0, "y": 1, "z": 2}[part]; ok {
		return comps[a], nil
	}
	for i, x := range comps[0] {
		y, z := comps[1][i], comps[2][i]
		comps[0][i] = float32(math.Sqrt(float64(x*x + y*y + z*z)))
	}
	return comps[0], nil
}

const sliceBins = 64

// count fills in range, mean and histogram.
func (h *sliceHead) count(values []float32) {
	lo, hi, sum := math.Inf(1), math.Inf(-1), 0.0
	for _, x := range values {
		v := float64(x)
		switch {
		case math.IsNaN(v) || math.IsInf(v, 0):
			h.Bad++
			continue
		case v == 0:
			continue
		}
		lo, hi, sum = min(lo, v), max(hi, v), sum+v
		h.Filled++
	}
	h.Bins = make([]int, sliceBins)
	if h.Filled == 0 {
		return
	}
	h.Low, h.High, h.Mean = lo, hi, sum/float64(h.Filled)
	for _, x := range values {
		if v := float64(x); v != 0 && !math.IsNaN(v) && !math.IsInf(v, 0) {
			h.Bins[min(sliceBins-1, int((v-lo)/max(hi-lo, 1e-30)*sliceBins))]++
		}
	}
}
