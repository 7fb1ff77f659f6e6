package ripple

import (
	"fmt"
	"math"

	"zarf/core/frame"
	"zarf/core/grid"
)

// top is the liquid's upper side in a frame, as a height map on the columns of its surface's
// lattice.
type top struct {
	nx, nz int
	h      float64
	on     []bool       // columns with a surface that faces up
	y      []float32    // m, in straight lines between cells
	bent   []float32    // m, by how much it is higher as the finer cells show it
	v      [3][]float32 // velocity there, m/s
	depth  float64      // mean of what is under it, m
	level  *level       // what it was read from
}

// level is a level set over a box of its lattice, x first.
type level struct {
	low  [3]int // of the box, in cells of the domain's lattice
	n    [3]int
	v    []float32
	h    float64
	band float32 // m, where distances are cut off
}

func (l *level) at(i, j, k int) int { return (k*l.n[1]+j)*l.n[0] + i }

// readLevel reads a frame's surface over what there is of it in a domain of so many cells:
// beyond its sides it goes on as it is at them.
func readLevel(f *frame.Frame, full [3]int) (*level, error) {
	g := f.Grid(frame.Surface)
	if g == nil || g.Type.Components() != 1 {
		return nil, fmt.Errorf("the frame holds no surface")
	}
	l := &level{h: g.Transform.VoxelSize()[0], band: float32(g.Background[0])}
	for n, leaf := range g.Leaves {
		for a := range 3 {
			from := int(leaf.Origin[a])
			if n == 0 {
				l.low[a], l.n[a] = from, from+frame.LeafEdge
			}
			l.low[a], l.n[a] = min(l.low[a], from), max(l.n[a], from+frame.LeafEdge)
		}
	}
	for a := range 3 {
		l.low[a] = min(max(l.low[a], 0), full[a]-1)
		l.n[a] = max(min(l.n[a], full[a])-l.low[a], 1)
	}
	l.v = make([]float32, l.n[0]*l.n[1]*l.n[2])
	return l, g.Dense(l.low, l.n, [][]float32{l.v})
}

// bent is by how much a column's upper side at y is higher, m, once it is read from f cells for
// one, through which a cubic spline runs, and from these in straight lines.
func (l *level) bent(i, k, f int, y float32) (off float32) {
	at := y/float32(l.h) - 0.5 - float32(l.low[1])
	step := 1 / float32(f)
	first := (0.5+float32(int(at*float32(f))))*step - 0.5 - step
	for range 3 {
		root := at
		u := l.along(i, k, first+off)
		for n := range 4 {
			v := l.along(i, k, first+float32(n+1)*step+off)
			if u <= 0 && v > 0 {
				root = first + (float32(n)+u/(u-v))*step
			}
			u = v
		}
		off = min(max(off+root-at, -0.5), 0.5)
	}
	return off * float32(l.h)
}

// along is the level set in a column, at a height in cells, by a cubic spline.
func (l *level) along(i, k int, y float32) (v float32) {
	y = min(max(y, 0), float32(l.n[1]-1))
	at := int(y)
	for b, w := range cubic(y - float32(at)) {
		v += w * l.v[l.at(i, min(max(at+b-1, 0), l.n[1]-1), k)]
	}
	return v
}

// steepest is the slope, height by length, from which on a surface carries no ripples: 60°.
const steepest = 1.73

// topOf finds the upper side of a frame, to be shown by so many cells for one; full are the cells
// of the domain's lattice.
func topOf(in *frame.Frame, full [3]int, f int, crew grid.Crew) (*top, error) {
	l, err := readLevel(in, full)
	if err != nil {
		return nil, err
	}
	nx, nz := full[0], full[2]
	t := &top{nx: nx, nz: nz, h: l.h, level: l, on: make([]bool, nx*nz), y: make([]float32, nx*nz), bent: make([]float32, nx*nz)}
	for a := range t.v {
		t.v[a] = make([]float32, nx*nz)
	}
	deep := make([]float32, nx*nz)
	crew.For(l.n[2], 4, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range l.n[0] {
				n := (l.low[2]+k)*nx + l.low[0] + i
				if t.y[n], deep[n], t.on[n] = l.layer(i, k); t.on[n] {
					t.bent[n] = l.bent(i, k, f, t.y[n])
				}
			}
		}
	})
	t.faces(crew)
	var sum float64
	many := 0
	for n, on := range t.on {
		if on {
			sum, many = sum+float64(deep[n]), many+1
		}
	}
	t.depth = sum / float64(max(many, 1))
	return t, t.flow(in, crew)
}

// layer is the upper side of a column's thickest layer: its height and the thickness, m.
func (l *level) layer(i, k int) (y, thick float32, ok bool) {
	h := float32(l.h)
	from := float32(0)
	wet := l.v[l.at(i, 0, k)] <= 0
	for j := 1; j < l.n[1]; j++ {
		a, b := l.v[l.at(i, j-1, k)], l.v[l.at(i, j, k)]
		if wet == (b <= 0) {
			continue
		}
		at := (float32(l.low[1]+j) - 0.5 + a/(a-b)) * h
		if wet && at-from >= thick {
			y, thick, ok = at, at-from, true
		}
		from, wet = at, b <= 0
	}
	return y, thick, ok && thick > 1.5*h
}

// faces takes columns out whose surface is steep or torn.
func (t *top) faces(crew grid.Crew) {
	was := append([]bool(nil), t.on...)
	most := float32(steepest * t.h)
	crew.For(t.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range t.nx {
				n := k*t.nx + i
				if !was[n] {
					continue
				}
				for _, d := range [4][2]int{{-1, 0}, {1, 0}, {0, -1}, {0, 1}} {
					x, z := i+d[0], k+d[1]
					if x < 0 || z < 0 || x >= t.nx || z >= t.nz {
						continue
					}
					if m := z*t.nx + x; was[m] && float32(math.Abs(float64(t.y[m]-t.y[n]))) > most {
						t.on[n] = false
					}
				}
			}
		}
	})
}

// flow reads the velocity on the surface.
func (t *top) flow(f *frame.Frame, crew grid.Crew) error {
	g := f.Grid(frame.Velocity)
	if g == nil || g.Type.Components() != 3 {
		return fmt.Errorf("the frame holds no velocity")
	}
	low, n := f.Extent(grid.Dims{NX: 1 << 30, NY: 1 << 30, NZ: 1 << 30}, frame.Velocity)
	var v [3]*grid.Field
	var parts [][]float32
	for a := range v {
		v[a] = grid.NewField(n)
		parts = append(parts, v[a].Data)
	}
	if err := g.Dense(low, [3]int{n.NX, n.NY, n.NZ}, parts); err != nil {
		return err
	}
	part := t.h / g.Transform.VoxelSize()[0] // of a voxel
	crew.For(t.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range t.nx {
				m := k*t.nx + i
				if !t.on[m] {
					continue
				}
				// half a voxel under the surface there is liquid to be asked
				x := float32((float64(i)+0.5)*part-0.5) - float32(low[0])
				y := float32(float64(t.y[m])/t.h*part-1) - float32(low[1])
				z := float32((float64(k)+0.5)*part-0.5) - float32(low[2])
				for a := range 3 {
					t.v[a][m] = v[a].Sample(x, y, z)
				}
			}
		}
	})
	return nil
}

// blur is a field's mean round each column that has a surface, by a bell of a width of r
// cells; other columns don't count.
func (t *top) blur(f []float32, r int, crew grid.Crew) []float32 {
	w := make([]float32, r+1)
	for d := range w {
		w[d] = float32(math.Exp(-2 * float64(d*d) / float64(r*r)))
	}
	sum, part := make([]float32, len(f)), make([]float32, len(f))
	crew.For(t.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range t.nx {
				var s, p float32
				for x := max(i-r, 0); x <= min(i+r, t.nx-1); x++ {
					if n := k*t.nx + x; t.on[n] {
						q := w[max(x-i, i-x)]
						s, p = s+q*f[n], p+q
					}
				}
				sum[k*t.nx+i], part[k*t.nx+i] = s, p
			}
		}
	})
	out := make([]float32, len(f))
	crew.For(t.nz, 8, func(a, b int) {
		for k := a; k < b; k++ {
			for i := range t.nx {
				if !t.on[k*t.nx+i] {
					continue
				}
				var s, p float32
				for z := max(k-r, 0); z <= min(k+r, t.nz-1); z++ {
					q := w[max(z-k, k-z)]
					s, p = s+q*sum[z*t.nx+i], p+q*part[z*t.nx+i]
				}
				out[k*t.nx+i] = s / p
			}
		}
	})
	return out
}
