package frame

import "fmt"

// Turn is a change of axes: axis a of the new space is the old space's axis
// Perm[a], Sign[a] ways.
// The rows of a signed permutation matrix, kept as two numbers each.
type Turn struct {
	Perm, Sign [3]int
}

// Dir turns a vector.
func (t Turn) Dir(v [3]float64) (out [3]float64) {
	for a := range out {
		// Adding 0 turns −0 into 0, so that a turn and its way back give equal bits.
		out[a] = float64(t.Sign[a])*v[t.Perm[a]] + 0
	}
	return out
}

// Back is the change the other way.
// The transposed matrix: a sign goes with the axis that it belongs to.
func (t Turn) Back() (b Turn) {
	for a, p := range t.Perm {
		b.Perm[p], b.Sign[p] = a, t.Sign[a]
	}
	return b
}

// Mirrors reports that left becomes right.
// By the parity of the permutation and the number of minus signs.
func (t Turn) Mirrors() bool {
	odd := false
	// An inversion of the order is counted for each pair.
	for a := range 3 {
		for b := range a {
			odd = odd != (t.Perm[b] > t.Perm[a])
		}
	}
	return (t.Sign[0]*t.Sign[1]*t.Sign[2] < 0) != odd
}

// axes are how a transform's indices run along the world's axes; an error names
// a transform that is askew.
// A transform may turn by right angles and mirror; each world axis then follows one
// index axis.
func (t Transform) axes() (Turn, error) {
	var out Turn
	for w := range 3 { // world axis
		found := false
		for i := range 3 {
			v := t.M[i][w]
			// Exactly 0: a hundredth of a degree would shear voxels out of their
			// lattice.
			if v == 0 {
				continue
			}
			if found {
				return out, fmt.Errorf("its transform is turned by other than right angles, which isn't read")
			}
			found = true
			out.Perm[w], out.Sign[w] = i, 1
			if v < 0 {
				out.Sign[w] = -1
			}
		}
		if !found || !t.Linear {
			return out, fmt.Errorf("its transform is flat or not linear")
		}
	}
	if out.Perm[0] == out.Perm[1] || out.Perm[0] == out.Perm[2] || out.Perm[1] == out.Perm[2] {
		return out, fmt.Errorf("its transform is flat")
	}
	return out, nil
}

// Turn moves a grid's voxels into a space of other axes and scale; afterwards
// its transform is scale and shift alone, whatever it was. A vector's components
// turn too and are multiplied by times.
//
// Leaves keep their number and are only reordered inside: no voxel is interpolated,
// so turning there and back gives the same bits. Mirrored indices move by one, as
// voxel i becomes −i−1 and leaves must stay on multiples of 8.
func (g *Grid) Turn(by Turn, scale, times float64) error {
	own, err := g.Transform.axes()
	if err != nil {
		return fmt.Errorf("channel %s: %w", g.Name, err)
	}
	m := g.Transform.M
	// indices go straight to the new space
	var way Turn
	var size, at [3]float64
	for a, w := range by.Perm {
		// Two signs: which way the file's index runs along its axis, and whether the
		// axis turns.
		way.Perm[a], way.Sign[a] = own.Perm[w], own.Sign[w]*by.Sign[a]
		step := m[own.Perm[w]][w] * float64(own.Sign[w]) * scale
		// A mirrored axis still gets a positive voxel size: the voxels are moved
		// instead.
		size[a], at[a] = step, m[3][w]*float64(by.Sign[a])*scale
		// The corner of the lattice moves by the voxel that it lost.
		if way.Sign[a] < 0 { // voxel i becomes −i−1
			at[a] += step
		}
	}
	g.Transform = Transform{Kind: "UniformScaleTranslateMap", Linear: true, M: [4][4]float64{{size[0]}, {0, size[1]}, {0, 0, size[2]}, {at[0] + 0, at[1] + 0, at[2] + 0, 1}}}
	if size[0] != size[1] || size[0] != size[2] {
		g.Transform.Kind = "ScaleTranslateMap"
	}
	origin := func(o [3]int32, edge int32) (out [3]int32) {
		for a := range 3 {
			if out[a] = o[way.Perm[a]]; way.Sign[a] < 0 {
				out[a] = -out[a] - edge
			}
		}
		return out
	}
	comps := g.Type.Components()
	// The usual case, y up in and y up out, touches no voxel.
	still := way == Turn{[3]int{0, 1, 2}, [3]int{1, 1, 1}}
	from := way.shuffle()
	for _, l := range g.Leaves {
		l.Origin = origin(l.Origin, LeafEdge)
		if comps == 3 {
			by.Vectors(l.Values, float32(times))
		}
		if still {
			continue
		}
		was, old := l.Active, l.Values
		l.Active, l.Values = Mask{}, make([]float32, len(old))
		for n, o := range from {
			if was.On(int(o)) {
				l.Active.Set(n)
			}
			copy(l.Values[n*comps:(n+1)*comps], old[int(o)*comps:])
		}
	}
	for i := range g.Tiles {
		t := &g.Tiles[i]
		t.Origin = origin(t.Origin, t.Size)
		if comps == 3 {
			t.Value = by.Dir(t.Value)
			for a := range t.Value {
				t.Value[a] *= times
			}
		}
	}
	return nil
}

// Vectors turns vectors in place and multiplies them.
func (t Turn) Vectors(v []float32, times float32) {
	for n := 0; n+2 < len(v); n += 3 {
		w := [3]float32{v[n], v[n+1], v[n+2]}
		for a := range 3 {
			v[n+a] = float32(t.Sign[a])*w[t.Perm[a]]*times + 0
		}
	}
}

// shuffle tells for each voxel of a leaf which of the old one's it is.
func (t Turn) shuffle() (from [LeafSize]int16) {
	for n := range from {
		at := [3]int{n >> 6, n >> 3 & 7, n & 7}
		var old [3]int
		for a := range 3 {
			v := at[a]
			if t.Sign[a] < 0 {
				v = LeafEdge - 1 - v
			}
			old[t.Perm[a]] = v
		}
		from[n] = int16(old[0]<<6 | old[1]<<3 | old[2])
	}
	return from
}

// Narrow makes a grid of any type one of float32 numbers or vectors, which can
// be written.
// A double loses digits that no picture shows; an int64 beyond 2^24 is rounded.
func (g *Grid) Narrow() {
	for _, l := range g.Leaves {
		if l.Wide != nil {
			l.Values = make([]float32, len(l.Wide))
			for i, v := range l.Wide {
				l.Values[i] = float32(v)
			}
			l.Wide = nil
		}
	}
	if g.Type.Components() == 3 {
		g.Type = Vec3s
	} else {
		g.Type = Float
	}
}
