package run

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// ViewSize is how many voxels a frame's preview has along its longest side: it
// is made with the frame, so that scrubbing reads some hundred kilobytes in
// place of the whole frame.
const ViewSize = 64

// maxShown bounds the particles that a page is sent.
const maxShown = 150_000

// View is a frame for the viewport, size voxels along its longest side at most:
// smoke as a texture, a liquid as the mesh of its surface, or with points as
// its particles. Of frames that have a preview of that size it is read.
func (s *Source) View(number, size int, points bool, crew grid.Crew) (render.Texture, []byte, error) {
	wet := stage.Has(s.Domain, frame.Surface)
	if wet && points {
		return s.viewPoints(number)
	}
	if size == ViewSize || wet {
		if h, data, ok := unpackView(s.Stage.ReadView(number)); ok {
			return h, data, nil
		}
	}
	names := []string{frame.Surface}
	if !wet {
		names = []string{frame.Density, frame.Temperature, frame.Burn}
	}
	f, err := s.ReadOnly(number, names...)
	if err != nil {
		return render.Texture{}, nil, err
	}
	return s.bake(f, number, size, crew)
}

// bake makes the view of a frame that is in memory.
func (s *Source) bake(f *frame.Frame, number, size int, crew grid.Crew) (h render.Texture, data []byte, err error) {
	if stage.Has(s.Domain, frame.Surface) {
		phi, cell, band, err := s.Surface(f)
		if err != nil {
			return h, nil, fmt.Errorf("frame %d: %w", number, err)
		}
		_, _, origin := s.Grid()
		h, data = render.Skin(phi, cell, origin, band, crew)
		return h, data, nil
	}
	den := s.Channel(f, frame.Density)
	if den == nil {
		return h, nil, fmt.Errorf("frame %d holds no density", number)
	}
	_, voxel, origin := s.Grid()
	low, _ := s.Window(f)
	origin = origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(voxel))
	in := render.Bake{Density: den, H: voxel, Origin: origin, Size: size, Sigma: look.At(s.Shot.Looks[0], float64(number)).Extinction[0], Air: val.AirTemperature.Of(s.Shot)}
	if stage.Has(s.Domain, frame.Burn) {
		in.Burn, in.Heat = s.Channel(f, frame.Burn), s.Channel(f, frame.Temperature)
	}
	h, data = in.Texture(crew)
	return h, data, nil
}

// keep stores a frame of the source, its preview before it.
func (s *Source) keep(rec cache.Frame, f *frame.Frame, crew grid.Crew) (cache.Frame, error) {
	// a frame that can't be shown, as it holds no density, is a frame all the same
	if h, data, err := s.bake(f, rec.Frame, ViewSize, crew); err == nil {
		packed, err := packView(h, data)
		if err == nil {
			err = s.Stage.PutView(&rec, packed)
		}
		if err != nil {
			return rec, err
		}
	}
	return s.Stage.Keep(rec, f, crew.For)
}

// Review makes the preview of a frame anew, from the frame.
func (s *Source) Review(number int, crew grid.Crew) error {
	f, err := s.Read(number)
	if err != nil {
		return err
	}
	h, data, err := s.bake(f, number, ViewSize, crew)
	if err != nil {
		return err
	}
	packed, err := packView(h, data)
	if err != nil {
		return err
	}
	return s.Stage.Review(number, packed)
}

// packView writes a view as its preview's bytes: the length of its head as 32
// bits, little-endian, the head as JSON, the data.
func packView(h render.Texture, data []byte) ([]byte, error) {
	head, err := json.Marshal(h)
	if err != nil {
		return nil, err
	}
	out := binary.LittleEndian.AppendUint32(make([]byte, 0, 4+len(head)+len(data)), uint32(len(head)))
	return append(append(out, head...), data...), nil
}

func unpackView(b []byte) (h render.Texture, data []byte, ok bool) {
	if len(b) < 4 {
		return h, nil, false
	}
	n := binary.LittleEndian.Uint32(b)
	if uint64(n) > uint64(len(b)-4) || json.Unmarshal(b[4:4+n], &h) != nil {
		return h, nil, false
	}
	return h, b[4+n:], true
}

// viewPoints are a liquid's particles, three floats each, then their speeds, a
// byte each, 255 for those of the fastest fiftieth.
func (s *Source) viewPoints(number int) (h render.Texture, out []byte, err error) {
	p, err := s.Stage.LoadPoints(number)
	if err != nil {
		return h, nil, err
	}
	if p == nil {
		return h, nil, fmt.Errorf("frame %d was kept without particles; choose “Keep particles” and run again", number)
	}
	step := max((len(p.P)+maxShown-1)/maxShown, 1)
	var speeds []float64
	for n := 0; n < len(p.P); n += step {
		x := p.P[n]
		out = render.Floats(out, x[0], x[1], x[2])
		v := 0.0
		if p.V != nil {
			v = math.Sqrt(float64(p.V[n][0]*p.V[n][0] + p.V[n][1]*p.V[n][1] + p.V[n][2]*p.V[n][2]))
		}
		speeds = append(speeds, v)
	}
	h.Liquid, h.Particles = true, len(speeds)
	if len(speeds) > 0 { // a few drops that shoot off would make all others look slow
		h.Fastest = slices.Sorted(slices.Values(speeds))[len(speeds)*98/100]
	}
	for _, v := range speeds {
		out = append(out, byte(255*min(v/max(h.Fastest, 1e-9), 1)))
	}
	return h, out, nil
}
