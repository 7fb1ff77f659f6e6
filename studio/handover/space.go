package handover

import (
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// space is a receiver's.
type space struct {
	name string
	frame.Turn
	scale float64
}

// spaces by their key in the catalogue.
var spaces = func() map[string]space {
	out := map[string]space{}
	for key, t := range stage.Axes {
		out[key] = space{name: shot.Find(shot.Handover, val.Axes.Name()).Words(key), Turn: t, scale: 1}
	}
	return out
}()

// place turns and scales a place.
func (s space) place(v [3]float64) [3]float64 {
	v = s.Dir(v)
	for a := range v {
		v[a] *= s.scale
	}
	return v
}

func (s space) point(p geom.Vec3) geom.Vec3 { return geom.FromArray(s.place(p.Array())) }

// turn is a turn as the receiver's space has it.
func (s space) turn(m geom.Mat3) (out geom.Mat3) {
	back := s.Back()
	for a := range 3 {
		var e [3]float64
		e[a] = 1
		v := s.Dir(m.Apply(geom.FromArray(back.Dir(e))).Array())
		set := func(row *geom.Vec3, x float64) {
			switch a {
			case 0:
				row.X = x
			case 1:
				row.Y = x
			default:
				row.Z = x
			}
		}
		for r := range out {
			set(&out[r], v[r])
		}
	}
	return out
}

// crop keeps the voxels whose middles lie in a box of the shot's space.
func crop(g *frame.Grid, box geom.Box) {
	var lo, hi [3]int32
	for a, v := range [3][2]float64{{box.Min.X, box.Max.X}, {box.Min.Y, box.Max.Y}, {box.Min.Z, box.Max.Z}} {
		h, at := g.Transform.M[a][a], g.Transform.M[3][a]
		lo[a], hi[a] = int32(math.Ceil((v[0]-at)/h-1e-9)), int32(math.Floor((v[1]-at)/h+1e-9))
	}
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
			cropLeaf(l, lo, hi, g.Background[:g.Type.Components()])
		}
		if all || l.Active.Count() > 0 {
			kept = append(kept, l)
		}
	}
	g.Leaves = kept
}

// cropLeaf makes a leaf's voxels outside of a box of indices the background.
func cropLeaf(l *frame.Leaf, lo, hi [3]int32, background []float64) {
	was := l.Active
	l.Active = frame.Mask{}
	for n := range frame.LeafSize {
		i, j, k := l.Origin[0]+int32(n>>6), l.Origin[1]+int32(n>>3&7), l.Origin[2]+int32(n&7)
		if i < lo[0] || j < lo[1] || k < lo[2] || i > hi[0] || j > hi[1] || k > hi[2] {
			for c, v := range background {
				l.Values[n*len(background)+c] = float32(v)
			}
			continue
		}
		if was.On(n) {
			l.Active.Set(n)
		}
	}
}
