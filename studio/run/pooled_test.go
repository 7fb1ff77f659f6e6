package run

import (
	"math"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Drops drawn as one surface are wet where they are and dry beside, move as they do, and their mesh
// has their volume. What a shot says now counts, not what it said when it was run.
func TestPooled(t *testing.T) {
	const s = 0.05
	crew := grid.NewCrew(2)
	p := &frame.Points{}
	var size []float32
	for n := range 8 * 8 * 8 {
		p.P = append(p.P, [3]float32{1 + s*float32(n%8), s * float32(n/8%8), -s * float32(n/64)})
		p.V = append(p.V, [3]float32{0, -3, 0.5})
		size = append(size, s)
	}
	p.Extra = []frame.Attribute{{Name: "size", Unit: "m", V: size}}
	l := pooled(&render.Motes{P: p.P, V: p.V, Size: size}, 0.02, false, crew)
	at := func(x geom.Vec3) float64 {
		q := x.Sub(l.Origin).Mul(1 / l.H)
		return float64(l.Phi.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
	}
	if in, out := at(geom.V(1+3.5*s, 3.5*s, -3.5*s)), at(geom.V(1-1.4*s, 3.5*s, -3.5*s)); in >= 0 || out <= 0 {
		t.Errorf("%g m within, %g m beside", in, out)
	}
	if edge := at(geom.V(1-0.5*s, 3.5*s, -3.5*s)); math.Abs(edge) > 0.12*s {
		t.Errorf("the side of a block of drops is %g m off", edge)
	}
	m, v := PooledMesh(p, crew)
	if share := math.Abs(m.Volume()) / (512 * s * s * s); share < 0.9 || share > 1.1 {
		t.Errorf("the mesh has %.3f of the drops' volume", share)
	}
	if len(v) != 3*len(m.P) || len(m.P) == 0 {
		t.Fatalf("%d numbers of velocity for %d vertices", len(v), len(m.P))
	}
	for i := 0; i < len(v); i += 3 {
		if math.Abs(float64(v[i+1])+3) > 1e-3 || math.Abs(float64(v[i+2])-0.5) > 1e-3 {
			t.Fatalf("vertex %d moves at %v", i/3, v[i:i+3])
		}
	}
	if none := pooled(&render.Motes{}, 0.02, false, crew); none != nil {
		t.Error("no drops have a surface")
	}
	now := shot.New("now")
	d := now.Add(shot.Domain)
	was := shot.New("was").Add(shot.Domain)
	was.ID = d.ID
	val.ShownAs.Set(d, "surface")
	if !AsSurface(was, now) || AsSurface(was, shot.New("other")) {
		t.Error("the shot as it is now doesn't count")
	}
}
