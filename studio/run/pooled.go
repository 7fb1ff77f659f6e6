package run

// Particles that are drawn as one surface, as of a liquid.

import (
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/surface"
)

// Pooled is the distance to the one surface of particles, of the edge of a cube that each fills, m: of
// the mean of their volumes, where they aren't alike. It is nil where there are none.
func Pooled(p [][3]float32, size []float32, crew grid.Crew) (l *surface.Lattice, spacing float64) {
	sum := 0.0
	for _, s := range size {
		sum += float64(s) * float64(s) * float64(s)
	}
	spacing = math.Cbrt(sum / max(float64(len(size)), 1))
	return surface.Drops(p, spacing, crew.For), spacing
}

// pooled is that surface as a picture has it, and how it moves.
func pooled(m *render.Motes, shutter float64, moving bool, crew grid.Crew) *render.Liquid {
	l, spacing := Pooled(m.P, m.Size, crew)
	if l == nil {
		return nil
	}
	phi := &grid.Field{Dims: grid.Dims{NX: l.N[0], NY: l.N[1], NZ: l.N[2]}, Data: l.V}
	var vel [3]*grid.Field
	cell := 2 * spacing
	if m.V != nil && (shutter > 0 || moving) {
		vel = stirred(m, l, cell)
	}
	// a lattice's places are its points, a picture's the corners of cells about them
	low := l.Origin.Sub(geom.V(l.H, l.H, l.H).Mul(0.5))
	return render.NewLiquid(phi, l.H, low, surface.DropBand*l.H, spacing, vel, cell, low, shutter)
}

// PooledMesh is that surface as a mesh, with three numbers of velocity, m/s, of each vertex where
// particles have one; without faces where there are none.
func PooledMesh(p *frame.Points, crew grid.Crew) (*geom.Mesh, []float32) {
	l, spacing := Pooled(p.P, p.Of("size"), crew)
	if l == nil {
		return &geom.Mesh{}, nil
	}
	m := surface.Nets(l, 0, crew.For)
	if p.V == nil {
		return m, nil
	}
	cell := 2 * spacing
	vel := stirred(&render.Motes{P: p.P, V: p.V}, l, cell)
	low := l.Origin.Sub(geom.V(l.H, l.H, l.H).Mul(0.5))
	out := make([]float32, 0, 3*len(m.P))
	for _, x := range m.P {
		q := x.Sub(low).Mul(1 / cell)
		for _, f := range vel {
			out = append(out, f.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
		}
	}
	return m, out
}

// AsSurface reports that the particles of an element are drawn as one surface in a shot as it is now.
func AsSurface(d *shot.Element, now *shot.Shot) bool {
	if e := now.Element(d.ID); e != nil && e.Kind == d.Kind {
		d = e
	}
	return val.ShownAs.Of(d) == "surface"
}

// stirred is the mean velocity of particles in cells about a lattice, and beside them.
func stirred(m *render.Motes, l *surface.Lattice, cell float64) (out [3]*grid.Field) {
	n := [3]int{}
	for a := range n {
		n[a] = int(math.Ceil(float64(l.N[a])*l.H/cell)) + 1
	}
	d := grid.Dims{NX: n[0], NY: n[1], NZ: n[2]}
	for a := range out {
		out[a] = grid.NewField(d)
	}
	weight := grid.NewField(d)
	low := l.Origin.Sub(geom.V(l.H, l.H, l.H).Mul(0.5)).Array()
	for i, p := range m.P {
		var at [3]int
		var f [3]float32
		for a := range at {
			x := (float64(p[a])-low[a])/cell - 0.5
			at[a] = int(math.Floor(x))
			f[a] = float32(x - math.Floor(x))
		}
		for corner := range 8 {
			w, in := float32(1), true
			var q [3]int
			for a := range q {
				if corner>>a&1 == 1 {
					q[a], w = at[a]+1, w*f[a]
				} else {
					q[a], w = at[a], w*(1-f[a])
				}
				in = in && q[a] >= 0 && q[a] < n[a]
			}
			if !in {
				continue
			}
			k := d.Index(q[0], q[1], q[2])
			weight.Data[k] += w + 1e-6
			for a := range out {
				out[a].Data[k] += (w + 1e-6) * m.V[i][a]
			}
		}
	}
	for k, w := range weight.Data {
		if w > 0 {
			for a := range out {
				out[a].Data[k] /= w
			}
		}
	}
	beside(out, weight)
	return out
}

// beside gives cells without a weight the mean of those about them that have one: a surface lies a
// little beyond what it is round.
func beside(v [3]*grid.Field, weight *grid.Field) {
	d := weight.Dims
	for k := range d.NZ {
		for j := range d.NY {
			for i := range d.NX {
				at := d.Index(i, j, k)
				if weight.Data[at] > 0 {
					continue
				}
				var sum [3]float32
				many := float32(0)
				for z := max(k-1, 0); z <= min(k+1, d.NZ-1); z++ {
					for y := max(j-1, 0); y <= min(j+1, d.NY-1); y++ {
						for x := max(i-1, 0); x <= min(i+1, d.NX-1); x++ {
							if o := d.Index(x, y, z); weight.Data[o] > 0 {
								many++
								for a := range sum {
									sum[a] += v[a].Data[o]
								}
							}
						}
					}
				}
				for a := range sum {
					if many > 0 {
						v[a].Data[at] = sum[a] / many
					}
				}
			}
		}
	}
}
