package cloth

import (
	"math"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// blown is the fluid that blows cloth, at a frame.
type blown struct {
	v      []*grid.Field
	full   *grid.Field // of a liquid, how full cells are; nil: gas
	weight float64     // of that, kg/m³
	hot    *grid.Field // K over the air; nil: it is as the air
	h      float64
	origin geom.Vec3
}

// at is its velocity at a place, m/s, and how much of a liquid there is; nothing beyond its cells.
func (b *blown) at(p geom.Vec3) (v geom.Vec3, full float64) {
	q := p.Sub(b.origin).Mul(1 / b.h)
	d := b.v[0].Dims
	if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(d.NX) || q.Y > float64(d.NY) || q.Z > float64(d.NZ) {
		return v, 0
	}
	x, y, z := float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)
	v = geom.V(float64(b.v[0].Sample(x, y, z)), float64(b.v[1].Sample(x, y, z)), float64(b.v[2].Sample(x, y, z)))
	if b.full != nil {
		full = float64(b.full.Sample(x, y, z))
	}
	return v, full
}

// blow reads what blows cloth in the frame that is made next.
func (m *Stage) blow() {
	m.blown = nil
	by := m.Shot.Carrier(m.Domain)
	if by == nil {
		return
	}
	f := m.Fed(by, m.Number)
	if f == nil {
		return
	}
	l, err := stage.LatticeOf(f, frame.Velocity, frame.Density, frame.Temperature)
	if l == nil || err != nil {
		m.Failed(err, by)
		return
	}
	v, err := l.Read(frame.Velocity)
	if len(v) != 3 || err != nil {
		m.Failed(err, by)
		return
	}
	b := &blown{v: v, h: l.H, origin: l.Origin}
	if f.Grid(frame.Surface) != nil {
		full, err := l.Read(frame.Density)
		m.Failed(err, by)
		if b.weight = 1000; by.Kind == shot.Domain {
			b.weight = val.Weight.At(by, m.Now(float64(m.Number)))
		}
		if len(full) == 1 {
			b.full = full[0]
		}
	}
	if hot, err := l.Read(frame.Temperature); err == nil && len(hot) == 1 && m.sys.Burns() {
		b.hot = hot[0]
	}
	m.blown = b
}

// heat is by place how hot what blows is, K over the air; nil where nothing heats.
func (b *blown) heat() func(p geom.Vec3) float64 {
	if b == nil || b.hot == nil {
		return nil
	}
	return func(p geom.Vec3) float64 {
		q := p.Sub(b.origin).Mul(1 / b.h)
		d := b.hot.Dims
		if q.X < 0 || q.Y < 0 || q.Z < 0 || q.X > float64(d.NX) || q.Y > float64(d.NY) || q.Z > float64(d.NZ) {
			return 0
		}
		return float64(b.hot.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
	}
}

// lit tells of a sheet and a place whether fire is held there at a moment; nil where none is.
func (m *Stage) lit(at *stage.Moment) func(sheet int, p geom.Vec3) bool {
	forms := make([]*geom.Shape, len(m.pieces))
	some := false
	for k, p := range m.pieces {
		by := m.Shot.Element(val.LitWithin.Of(p.e))
		if by == nil || val.Lit.At(p.e, at.Now) < 0.5 {
			continue
		}
		form := at.Form(by)
		forms[k], some = &form, true
	}
	if !some {
		return nil
	}
	return func(sheet int, p geom.Vec3) bool { return forms[sheet] != nil && forms[sheet].Distance(p) <= 0 }
}

// cover are the voxels that cloth is in, as other domains are fed by it and as sensors and the probe
// read it: 1 where it is, how hot it is over the air, how far it is stretched, how wet it is, and how
// it moves.
//
// Faces are looked at on a mesh of a third of a voxel; what several have of a voxel is their mean.
func (m *Stage) cover() []*frame.Grid {
	s := m.sys
	count := grid.NewField(m.dims)
	heat, strain, wet := grid.NewField(m.dims), grid.NewField(m.dims), grid.NewField(m.dims)
	stretched, soaked := s.Stretched(), m.soaked()
	var motion [3]*grid.Field
	for a := range motion {
		motion[a] = grid.NewField(m.dims)
	}
	for k := range s.faces {
		f := &s.faces[k]
		a, b, c := s.X[f.v[0]], s.X[f.v[1]], s.X[f.v[2]]
		long := math.Sqrt(max(b.Sub(a).Dot(b.Sub(a)), c.Sub(a).Dot(c.Sub(a)), c.Sub(b).Dot(c.Sub(b))))
		n := min(max(int(math.Ceil(3*long/m.H)), 1), 256)
		for i := range n {
			for j := range n - i {
				u, v := (float64(i)+1.0/3)/float64(n), (float64(j)+1.0/3)/float64(n)
				w := 1 - u - v
				q := a.Mul(w).Add(b.Mul(u)).Add(c.Mul(v)).Sub(m.origin).Mul(1 / m.H)
				x, y, z := int(math.Floor(q.X)), int(math.Floor(q.Y)), int(math.Floor(q.Z))
				if x < 0 || y < 0 || z < 0 || x >= m.dims.NX || y >= m.dims.NY || z >= m.dims.NZ {
					continue
				}
				at := count.Index(x, y, z)
				count.Data[at]++
				of := func(x []float64) float32 { return float32(w*x[f.v[0]] + u*x[f.v[1]] + v*x[f.v[2]]) }
				heat.Data[at] += of(s.Heat)
				strain.Data[at] += of(stretched)
				wet.Data[at] += of(soaked)
				move := s.V[f.v[0]].Mul(w).Add(s.V[f.v[1]].Mul(u)).Add(s.V[f.v[2]].Mul(v)).Array()
				for d := range motion {
					motion[d].Data[at] += float32(move[d])
				}
			}
		}
	}
	for at, n := range count.Data {
		if n == 0 {
			continue
		}
		count.Data[at] = 1
		heat.Data[at] /= n
		strain.Data[at] /= n
		wet.Data[at] /= n
		for d := range motion {
			motion[d].Data[at] /= n
		}
	}
	return m.grids(count, heat, strain, wet, motion)
}

// soaked is what share of what it holds each vertex has soaked up.
func (m *Stage) soaked() []float64 {
	s := m.sys
	out := make([]float64, len(s.X))
	for i := range out {
		if most := val.Soaks.Of(m.pieces[s.sheet(i)].e); most > 0 {
			out[i] = min(s.Wet[i]/most, 1)
		}
	}
	return out
}

// grids packs what cover found.
func (m *Stage) grids(count, heat, strain, wet *grid.Field, motion [3]*grid.Field) (out []*frame.Grid) {
	n, half := [3]int{m.dims.NX, m.dims.NY, m.dims.NZ}, val.CacheHalf.Of(m.Domain)
	o := m.origin.Add(geom.V(m.H, m.H, m.H).Mul(0.5))
	add := func(name, unit string, parts ...[]float32) {
		g := frame.FromDense(name, [3]int{}, n, parts, 0, frame.Tolerance(name), m.Crew.For)
		g.Transform, g.Half = frame.Uniform(m.H, o.Array()), half
		if g.Meta = map[string]any{"frame": int32(m.Number - 1), "solver": Version}; unit != "" {
			g.Meta["unit"] = unit
		}
		out = append(out, g)
	}
	add(frame.Density, "", count.Data)
	add(frame.Temperature, "K", heat.Data)
	add(frame.Strain, "", strain.Data)
	add(frame.Soaked, "", wet.Data)
	if val.CacheVelocity.Of(m.Domain) {
		add(frame.Velocity, "m/s", motion[0].Data, motion[1].Data, motion[2].Data)
	}
	return out
}
