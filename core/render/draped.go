package render

// Cloth in the picture: solids as thin as they are, whose meshes move with every moment of an
// exposure.

import (
	"sync"

	"zarf/core/geom"
	"zarf/core/look"
)

// Draped is a cloth of a frame.
type Draped struct {
	Of    string     // the element's id
	Mesh  *geom.Mesh // m
	V     []geom.Vec3
	Wet   []float32 // of each vertex, 0 to 1
	Burnt []float32 // the same
	Thick float64   // m
	Weave float64   // roughness of its threads, rad

	mu    sync.Mutex
	poses map[float64]*geom.Body
}

// mostPoses is how many moments of a cloth are kept.
const mostPoses = 20

// Pose is the cloth so many seconds after its frame, closed all round.
func (d *Draped) Pose(after float64) *geom.Body {
	d.mu.Lock()
	defer d.mu.Unlock()
	if b := d.poses[after]; b != nil {
		return b
	}
	m := &geom.Mesh{P: make([]geom.Vec3, len(d.Mesh.P)), Tri: d.Mesh.Tri}
	for i, p := range d.Mesh.P {
		if m.P[i] = p; d.V != nil {
			m.P[i] = p.Add(d.V[i].Mul(after))
		}
	}
	shell := geom.Shell(m, d.Thick)
	b, err := geom.NewBody(shell, max(shell.Bounds().Size().MaxComponent()/32, 1e-6))
	if err != nil { // it has no faces
		return nil
	}
	b.Soft = true
	if d.poses == nil || len(d.poses) >= mostPoses {
		d.poses = map[float64]*geom.Body{}
	}
	d.poses[after] = b
	return b
}

// Solid is the cloth so many seconds after its frame, as a picture has it.
func (d *Draped) Solid(after float64, colour look.RGB, holdout bool) (Solid, bool) {
	b := d.Pose(after)
	if b == nil {
		return Solid{}, false
	}
	return Solid{Shape: geom.Shape{Form: geom.Imported, Turn: geom.Identity.M, Size: b.Box.Size(), Body: b}, Colour: colour, Holdout: holdout, Soaked: d.Wet, Charred: d.Burnt, Weave: d.Weave}, true
}

// of is a number of a solid's vertices where a ray meets its body.
func (s *Solid) of(x []float32, m geom.Hit) float64 {
	t := s.Shape.Body.Mesh.Tri[m.Tri]
	of := func(v int32) float64 { return float64(x[int(v)%len(x)]) }
	return of(t[0])*(1-m.U-m.V) + of(t[1])*m.U + of(t[2])*m.V
}
