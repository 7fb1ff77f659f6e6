package handover

import (
	"fmt"
	"math"

	"zarf/core/format/vdb"
	"zarf/core/geom"
)

// space is a receiver's: axis a of it is the shot's axis perm[a], sign[a] ways,
// times scale.
type space struct {
	name  string
	perm  [3]int
	sign  [3]int
	scale float64
}

var spaces = map[string]space{
	"y-up":      {"y up, right-handed", [3]int{0, 1, 2}, [3]int{1, 1, 1}, 1},
	"z-up":      {"z up, right-handed", [3]int{0, 2, 1}, [3]int{1, -1, 1}, 1},
	"y-up-left": {"y up, left-handed", [3]int{0, 1, 2}, [3]int{1, 1, -1}, 1},
	"z-up-left": {"z up, left-handed", [3]int{0, 2, 1}, [3]int{1, 1, 1}, 1},
}

// mirrored reports a left-handed space: faces turn the other way round in it.
func (s space) mirrored() bool {
	odd := s.perm[0] != 0 || s.perm[1] != 1
	return (s.sign[0]*s.sign[1]*s.sign[2] < 0) != odd
}

// dir turns a vector without scaling it.
func (s space) dir(v [3]float64) (out [3]float64) {
	for a := range out {
		out[a] = float64(s.sign[a])*v[s.perm[a]] + 0
	}
	return out
}

// place turns and scales a place.
func (s space) place(v [3]float64) [3]float64 {
	v = s.dir(v)
	for a := range v {
		v[a] *= s.scale
	}
	return v
}

func (s space) point(p geom.Vec3) geom.Vec3 { return geom.FromArray(s.place(p.Array())) }

// turn moves a grid's voxels into the space; the transform stays scale and
// shift. times is put on every value of a vector's components, which turn too.
func (s space) turn(g *vdb.Grid, times float64) error {
	m := g.Transform.M
	for r := range 3 {
		for c := range 3 {
			if r != c && m[r][c] != 0 || r == c && !(m[r][c] > 0) {
				return fmt.Errorf("channel %s has a turned transform, which can't be handed over", g.Name)
			}
		}
	}
	var size, at [3]float64
	for a := range 3 {
		p := s.perm[a]
		size[a], at[a] = m[p][p]*s.scale, m[3][p]*float64(s.sign[a])*s.scale
		if s.sign[a] < 0 { // voxel i becomes −i−1
			at[a] += size[a]
		}
	}
	g.Transform.M = [4][4]float64{{size[0]}, {0, size[1]}, {0, 0, size[2]}, {at[0] + 0, at[1] + 0, at[2] + 0, 1}}
	comps := g.Type.Components()
	origin := func(o [3]int32, edge int32) (out [3]int32) {
		for a := range 3 {
			if out[a] = o[s.perm[a]]; s.sign[a] < 0 {
				out[a] = -out[a] - edge
			}
		}
		return out
	}
	still := s.perm == [3]int{0, 1, 2} && s.sign == [3]int{1, 1, 1}
	from := s.shuffle()
	for _, l := range g.Leaves {
		l.Origin = origin(l.Origin, 8)
		if comps == 3 {
			s.vectors(l.Values, float32(times))
		}
		if still {
			continue
		}
		was, old := l.Active, l.Values
		l.Active, l.Values = vdb.Mask{}, make([]float32, len(old))
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
			t.Value = s.dir(t.Value)
			for a := range t.Value {
				t.Value[a] *= times
			}
		}
	}
	return nil
}

// vectors turns vectors in place.
func (s space) vectors(v []float32, times float32) {
	for n := 0; n+2 < len(v); n += 3 {
		w := [3]float32{v[n], v[n+1], v[n+2]}
		for a := range 3 {
			v[n+a] = float32(s.sign[a])*w[s.perm[a]]*times + 0
		}
	}
}

// shuffle tells for each voxel of a leaf which of the shot's it is.
func (s space) shuffle() (from [512]int16) {
	for n := range from {
		at := [3]int{n >> 6, n >> 3 & 7, n & 7}
		var old [3]int
		for a := range 3 {
			v := at[a]
			if s.sign[a] < 0 {
				v = 7 - v
			}
			old[s.perm[a]] = v
		}
		from[n] = int16(old[0]<<6 | old[1]<<3 | old[2])
	}
	return from
}

// crop keeps the voxels whose middles lie in a box of the shot's space.
func crop(g *vdb.Grid, box geom.Box) {
	var lo, hi [3]int32
	for a, v := range [3][2]float64{{box.Min.X, box.Max.X}, {box.Min.Y, box.Max.Y}, {box.Min.Z, box.Max.Z}} {
		h, at := g.Transform.M[a][a], g.Transform.M[3][a]
		lo[a], hi[a] = int32(math.Ceil((v[0]-at)/h-1e-9)), int32(math.Floor((v[1]-at)/h+1e-9))
	}
	comps := g.Type.Components()
	kept := g.Leaves[:0]
	for _, l := range g.Leaves {
		any, all := true, true
		for a := range 3 {
			any = any && l.Origin[a] <= hi[a] && l.Origin[a]+7 >= lo[a]
			all = all && l.Origin[a] >= lo[a] && l.Origin[a]+7 <= hi[a]
		}
		if !any {
			continue
		}
		if !all {
			was := l.Active
			l.Active = vdb.Mask{}
			for n := range 512 {
				i, j, k := l.Origin[0]+int32(n>>6), l.Origin[1]+int32(n>>3&7), l.Origin[2]+int32(n&7)
				if i < lo[0] || j < lo[1] || k < lo[2] || i > hi[0] || j > hi[1] || k > hi[2] {
					for c := range comps {
						l.Values[n*comps+c] = float32(g.Background[c])
					}
					continue
				}
				if was.On(n) {
					l.Active.Set(n)
				}
			}
			if l.Active.Count() == 0 {
				continue
			}
		}
		kept = append(kept, l)
	}
	g.Leaves = kept
}
