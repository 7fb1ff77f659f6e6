package run

import (
	"encoding/binary"
	"fmt"
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/sea"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// shownSea is the sea that a shot's pictures show; nil: none.
func shownSea(now *shot.Shot) *shot.Element {
	for _, e := range now.Of(shot.Sea) {
		if val.Rendered.Of(e) {
			return e
		}
	}
	return nil
}

// surfaces are those that were made last: a look that is tried shows one again and again.
var surfaces struct {
	sync.Mutex
	list []keptSurface
}

type keptSurface struct {
	of *sea.Sea
	at float64
	s  *sea.Surface
}

// surfaceAt is a sea's surface at a moment.
func surfaceAt(of *sea.Sea, t float64, crew grid.Crew) *sea.Surface {
	surfaces.Lock()
	defer surfaces.Unlock()
	for _, k := range surfaces.list {
		if k.of == of && k.at == t {
			return k.s
		}
	}
	s := of.Surface(t, crew)
	if len(surfaces.list) >= 6 {
		surfaces.list = surfaces.list[1:]
	}
	surfaces.list = append(surfaces.list, keptSurface{of, t, s})
	return s
}

// openWater is the sea of a picture.
func openWater(now *shot.Shot, frame float64, crew grid.Crew) (*render.Sea, error) {
	e := shownSea(now)
	if e == nil {
		return nil, nil
	}
	of, err := stage.SeaOf(now, e)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", e.Name, err)
	}
	return &render.Sea{Surface: surfaceAt(of, stage.TimeOf(now, frame), crew), Deep: look.RGB(val.DeepColour.At(e, now.Eval(frame))), Whitecaps: val.Whitecaps.Of(e), Floor: val.SeaLevel.Of(e) - val.SeaDepth.Of(e)}, nil
}

// ripples are the sea's waves that are too short for its domains' voxels; nil: it has none.
func ripples(now *shot.Shot, frame float64, crew grid.Crew) (*sea.Surface, error) {
	e, h := shownSea(now), 0.0
	for _, d := range now.Of(shot.Domain) {
		if now.SeaOf(d) == e {
			h = max(h, val.Voxel.Of(d))
		}
	}
	if h == 0 {
		return nil, nil
	}
	short, err := stage.Ripples(now, e, h)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", e.Name, err)
	}
	return surfaceAt(short, stage.TimeOf(now, frame), crew), nil
}

// surround puts the sea round a picture's liquids, and what they wetted into it.
func surround(sc *render.Scene, now *shot.Shot, number int, crew grid.Crew) (err error) {
	for _, l := range sc.Liquids {
		if l.Damp != nil {
			sc.Damp = append(sc.Damp, *l.Damp)
		}
	}
	if sc.Sea, err = openWater(now, float64(number), crew); err == nil && sc.Sea != nil {
		sc.Sea.Surround(sc.Liquids)
		sc.Sea.Ripples, err = ripples(now, float64(number), crew)
	}
	return err
}

// seaSkin is the sea's surface about the shot's domains as a page draws it: cells grow
// outwards, and there are none where a domain's own surface is.
func seaSkin(now *shot.Shot, frame float64, holes []geom.Box, crew grid.Crew) (t render.Texture, data []byte, err error) {
	w, err := openWater(now, frame, crew)
	if w == nil || err != nil {
		return t, nil, err
	}
	b := geom.Box{Min: geom.V(-5, 0, -5), Max: geom.V(5, 0, 5)}
	for n, d := range now.Of(shot.Domain) {
		if o := d.DomainBox(); n == 0 {
			b = o
		} else {
			b = geom.Box{Min: b.Min.Min(o.Min), Max: b.Max.Max(o.Max)}
		}
	}
	long := max(b.Size().X, b.Size().Z)
	xs := seaLines(b.Min.X, b.Max.X, long, cuts(holes, 0))
	zs := seaLines(b.Min.Z, b.Max.Z, long, cuts(holes, 2))
	rows := make([][]byte, len(zs))
	crew.For(len(zs), 4, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for i, x := range xs {
				cell := max(xs[min(i+1, len(xs)-1)]-xs[max(i-1, 0)], zs[min(k+1, len(zs)-1)]-zs[max(k-1, 0)]) / 2
				y, _ := w.Surface.At(x, zs[k], cell)
				rows[k] = render.Floats(rows[k], float32(x), float32(y), float32(zs[k]))
			}
		}
	})
	for _, r := range rows {
		data = append(data, r...)
	}
	t = render.Texture{Liquid: true, Vertices: len(xs) * len(zs)}
	for k := range len(zs) - 1 {
		for i := range len(xs) - 1 {
			x, z := (xs[i]+xs[i+1])/2, (zs[k]+zs[k+1])/2
			if holed(holes, x, z) {
				continue
			}
			a := uint32(k*len(xs) + i)
			c := a + uint32(len(xs))
			for _, v := range [6]uint32{a, c, a + 1, a + 1, c, c + 1} {
				data = binary.LittleEndian.AppendUint32(data, v)
			}
			t.Triangles += 2
		}
	}
	return t, data, nil
}

func holed(holes []geom.Box, x, z float64) bool {
	for i := range holes {
		h := &holes[i]
		if x > h.Min.X && x < h.Max.X && z > h.Min.Z && z < h.Max.Z {
			return true
		}
	}
	return false
}

// cuts are where holes begin and end along an axis.
func cuts(holes []geom.Box, axis int) (out []float64) {
	for _, h := range holes {
		out = append(out, h.Min.Array()[axis], h.Max.Array()[axis])
	}
	return out
}

// seaLines are where the lines of a page's sea run along an axis: evenly over the domains,
// wider and wider beside them, and along every hole's sides.
func seaLines(lo, hi, long float64, at []float64) (out []float64) {
	const inner, outer, growth = 56, 26, 1.14
	step := long / inner
	var beside []float64
	x, w := 0.0, step
	for range outer {
		x, w = x+w, w*growth
		beside = append(beside, x)
	}
	for n := outer - 1; n >= 0; n-- {
		out = append(out, lo-beside[n])
	}
	for n := range max(int(math.Ceil((hi-lo)/step)), 1) {
		out = append(out, lo+float64(n)*step)
	}
	out = append(out, hi)
	for _, b := range beside {
		out = append(out, hi+b)
	}
	for _, c := range at { // the nearest line goes to the side
		best := 0
		for n := range out {
			if math.Abs(out[n]-c) < math.Abs(out[best]-c) {
				best = n
			}
		}
		out[best] = c
	}
	return out
}
