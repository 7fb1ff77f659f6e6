package stage

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/format/ply"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/studio/run"
	"zarf/web/desk"
)

// maxShown bounds the particles that a page is sent.
const maxShown = 150_000

// makeLiquid is a liquid's frame for a page: the mesh of its surface, or its
// particles, three floats each, with their speeds, a byte each, 255 for
// those of the fastest fiftieth.
func (s *room) makeLiquid(src *run.Source, number int, as string) (head string, data []byte, err error) {
	h := render.Texture{Liquid: true}
	if as == "points" {
		data, err = s.liquidPoints(src, number, &h)
	} else {
		h, data, err = s.liquidMesh(src, number)
	}
	return desk.JSON(h), data, err
}

func (s *room) liquidMesh(src *run.Source, number int) (head render.Texture, data []byte, err error) {
	f, err := src.ReadOnly(number, frame.Surface)
	if err != nil {
		return head, nil, err
	}
	phi, h, band, err := src.Surface(f)
	if err != nil {
		return head, nil, fmt.Errorf("frame %d: %w", number, err)
	}
	_, _, origin := src.Grid()
	head, data = render.Skin(phi, h, origin, band, grid.NewCrew(s.Opt.Threads))
	return head, data, nil
}

func (s *room) liquidPoints(src *run.Source, number int, head *render.Texture) ([]byte, error) {
	b, err := src.Stage.ReadPoints(number)
	if err != nil {
		return nil, err
	}
	if b == nil {
		return nil, fmt.Errorf("frame %d was kept without particles; choose “Keep particles” and run again", number)
	}
	p, err := ply.DecodePoints(b)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", number, err)
	}
	step := (len(p.P) + maxShown - 1) / maxShown
	step = max(step, 1)
	var speeds []float64
	var out []byte
	for n := 0; n < len(p.P); n += step {
		x := p.P[n]
		out = render.Floats(out, x[0], x[1], x[2])
		v := 0.0
		if p.V != nil {
			v = math.Sqrt(float64(p.V[n][0]*p.V[n][0] + p.V[n][1]*p.V[n][1] + p.V[n][2]*p.V[n][2]))
		}
		speeds = append(speeds, v)
	}
	head.Particles = len(speeds)
	if len(speeds) > 0 { // a few drops that shoot off would make all others look slow
		head.Fastest = slices.Sorted(slices.Values(speeds))[len(speeds)*98/100]
	}
	for _, v := range speeds {
		out = append(out, byte(255*min(v/max(head.Fastest, 1e-9), 1)))
	}
	return out, nil
}
