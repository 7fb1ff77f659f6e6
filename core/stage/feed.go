package stage

import (
	"fmt"

	"zarf/core/format/vdb"
	"zarf/core/gas"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
)

// fedFrame is a frame of a domain that feeds this one, ready to be sampled.
type fedFrame struct {
	frame int
	src   *gas.Source
}

// hotAll is the excess temperature, K, from which heat feeds fully.
const hotAll = 1000

// source is the fluid that an emitter is fed by at a frame; nil where there is
// none, and where it can't be read, which is then the stage's fault.
func (g *Gas) source(e *shot.Element, frame int) *gas.Source {
	d := g.Shot.Source(e)
	if d == nil || g.Feed == nil {
		return nil
	}
	if first, _ := g.Shot.Range(); frame < first { // nothing is kept before
		return nil
	}
	if g.fed == nil {
		g.fed = map[string]*fedFrame{}
	}
	if f := g.fed[e.ID]; f != nil && f.frame == frame {
		return f.src
	}
	f, err := g.Feed(d, frame)
	var src *gas.Source
	if err == nil {
		src, err = sourceOf(f, d, e.Get("fed_where").Text)
	}
	if err != nil {
		if g.fault == nil {
			g.fault = fmt.Errorf("%s is fed by %s: %w", e.Name, d.Name, err)
		}
		return nil
	}
	g.fed[e.ID] = &fedFrame{frame, src}
	return src
}

// sourceOf reads a frame as a source.
func sourceOf(f *vdb.File, d *shot.Element, channel string) (*gas.Source, error) {
	full, h, origin := d.Grid()
	factor := Factor(d)
	full, h = grid.Dims{NX: full.NX * factor, NY: full.NY * factor, NZ: full.NZ * factor}, h/float64(factor)
	c := f.Grid(channel)
	if c == nil {
		return nil, fmt.Errorf("its frames hold no %s", channel)
	}
	low, n := Extent(f, full, []string{channel})
	dims := [3]int{n.NX, n.NY, n.NZ}
	src := &gas.Source{Share: grid.NewField(n), H: h, Origin: origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(h))}
	if err := c.Dense(low, dims, [][]float32{src.Share.Data}); err != nil {
		return nil, err
	}
	if channel == Temperature {
		for i := range src.Share.Data {
			src.Share.Data[i] /= hotAll
		}
	}
	if v := f.Grid(Velocity); v != nil {
		var parts [][]float32
		for a := range 3 {
			src.Motion[a] = grid.NewField(n)
			parts = append(parts, src.Motion[a].Data)
		}
		if err := v.Dense(low, dims, parts); err != nil {
			return nil, err
		}
	}
	return src, nil
}
