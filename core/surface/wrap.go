package surface

import (
	"fmt"
	"math"

	"zarf/core/geom"
)

// MaxWrap is the largest lattice of a wrap.
const MaxWrap = 16 << 20

// Wrap makes a closed stand-in of a mesh that is hollow, open or a heap of
// loose faces: the mesh is thickened, what can be reached from outside is
// flooded, and the shore of the flood is the new surface. With fill the inside
// becomes solid wherever the holes are narrower than the thickness; without,
// a shell of the thickness is left.
//
// Fineness is the spacing of the lattice, 0 for a third of the thickness.
func Wrap(m *geom.Mesh, thickness, fineness float64, fill bool, work geom.Workers) (*geom.Mesh, error) {
	if !(thickness > 0) {
		return nil, fmt.Errorf("the thickness is %g m; give more than 0", thickness)
	}
	h := fineness
	if h <= 0 {
		h = thickness / 3
	}
	// the lattice's size is known beforehand, and refused with the thickness that
	// works
	size := m.Bounds().Size()
	cells := 1.0
	for _, l := range size.Array() {
		cells *= (l+thickness)/h + 8
	}
	if cells > MaxWrap {
		least := thickness * math.Cbrt(cells/MaxWrap) * 1.02
		return nil, fmt.Errorf("a thickness of %.3g m is too fine for a mesh of %.3g m; %.2g m is the least that works", thickness, size.MaxComponent(), least)
	}
	b, err := geom.NewBody(m, h)
	if err != nil {
		return nil, err
	}
	b.Fill(work)
	l := &Lattice{N: b.N, H: b.H, Origin: b.Origin, V: make([]float32, len(b.Dist))}
	half := float32(thickness / 2)
	for n, d := range b.Dist {
		// unsigned: inside and outside are worthless in a heap of loose faces
		l.V[n] = max(d, -d) - half
	}
	if fill {
		l.flood()
	}
	out := Nets(l, 0, work)
	if len(out.Tri) == 0 {
		return nil, fmt.Errorf("nothing is left of the mesh at a thickness of %g m", thickness)
	}
	return out, nil
}

// flood makes solid what can't be reached from the corner of the lattice.
// Six neighbours, with a stack: a gap of a lattice cell across the diagonal stays
// shut.
func (l *Lattice) flood() {
	wet := make([]bool, len(l.V))
	stack := []int32{0}
	wet[0] = true
	step := [3]int{1, l.N[0], l.N[0] * l.N[1]}
	for len(stack) > 0 {
		n := int(stack[len(stack)-1])
		stack = stack[:len(stack)-1]
		at := [3]int{n % l.N[0], n / l.N[0] % l.N[1], n / step[2]}
		for a := range 3 {
			for _, d := range [2]int{-1, 1} {
				if x := at[a] + d; x < 0 || x >= l.N[a] {
					continue
				}
				if m := n + d*step[a]; !wet[m] && l.V[m] >= 0 {
					wet[m] = true
					stack = append(stack, int32(m))
				}
			}
		}
	}
	for n, v := range l.V {
		// dry and outside the shell: the hollow within. Its values turn negative, at
		// least a cell
		if !wet[n] && v >= 0 {
			l.V[n] = -v - float32(l.H)
		}
	}
}
