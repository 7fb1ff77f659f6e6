package web

import (
	"encoding/binary"
	"fmt"
	"math"

	"zarf/core/format/ply"
	"zarf/core/grid"
	"zarf/core/stage"
	"zarf/core/surface"
	"zarf/studio/run"
)

// liquidHead tells a page what a liquid's frame holds: so many vertices and
// triangles of its surface, so many particles, and the fastest of them, m/s.
type liquidHead struct {
	Liquid    bool    `json:"liquid"`
	Vertices  int     `json:"vertices"`
	Triangles int     `json:"triangles"`
	Particles int     `json:"particles"`
	Fastest   float64 `json:"fastest"`
}

// Bounds of what a page is sent: cells of a lattice that is meshed as it is,
// and particles.
const (
	maxMeshed = 6 << 20
	maxShown  = 150_000
)

// makeLiquid is a liquid's frame for a page: the mesh of its surface, or its
// particles with their speeds. The data are vertices (three floats each),
// triangles (three 32-bit numbers each), then particles (three floats each)
// and their speeds, a byte each, 255 for the fastest.
func (s *server) makeLiquid(src *run.Source, frame int, as string) (head string, data []byte, err error) {
	h := liquidHead{Liquid: true}
	if as == "points" {
		data, err = s.liquidPoints(src, frame, &h)
	} else {
		data, err = s.liquidMesh(src, frame, &h)
	}
	return mustJSON(h), data, err
}

func (s *server) liquidMesh(src *run.Source, frame int, head *liquidHead) ([]byte, error) {
	f, err := src.ReadOnly(frame, stage.Surface)
	if err != nil {
		return nil, err
	}
	phi, h, band, err := src.Surface(f)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", frame, err)
	}
	_, _, origin := src.Grid()
	l := padded(phi, h, float32(band))
	l.Origin = origin.Sub(l.Origin)
	m := surface.Nets(l, 0, grid.NewCrew(s.opt.Threads).For)
	out := make([]byte, 0, 12*(len(m.P)+len(m.Tri)))
	for _, p := range m.P {
		out = putFloats(out, float32(p.X), float32(p.Y), float32(p.Z))
	}
	for _, t := range m.Tri {
		for _, v := range t {
			out = binary.LittleEndian.AppendUint32(out, uint32(v))
		}
	}
	head.Vertices, head.Triangles = len(m.P), len(m.Tri)
	return out, nil
}

// padded is a lattice of a level set with a layer outside all round it, so that
// its surface closes; of a large one every second point. Its origin is how far
// its first point lies before the low corner of phi.
func padded(phi *grid.Field, h float64, outside float32) *surface.Lattice {
	step := 1
	for phi.Len()/(step*step*step) > maxMeshed {
		step++
	}
	n := [3]int{(phi.NX + step - 1) / step, (phi.NY + step - 1) / step, (phi.NZ + step - 1) / step}
	l := &surface.Lattice{N: [3]int{n[0] + 2, n[1] + 2, n[2] + 2}, H: h * float64(step)}
	back := l.H - h/2
	l.Origin.X, l.Origin.Y, l.Origin.Z = back, back, back
	l.V = make([]float32, l.N[0]*l.N[1]*l.N[2])
	for i := range l.V {
		l.V[i] = outside
	}
	for k := range n[2] {
		for j := range n[1] {
			row := phi.Row(j*step, k*step)
			for i := range n[0] {
				l.V[l.At(i+1, j+1, k+1)] = row[i*step]
			}
		}
	}
	return l
}

func (s *server) liquidPoints(src *run.Source, frame int, head *liquidHead) ([]byte, error) {
	b, err := src.Stage.ReadPoints(frame)
	if err != nil {
		return nil, err
	}
	if b == nil {
		return nil, fmt.Errorf("frame %d was kept without particles; choose “Keep particles” and run again", frame)
	}
	p, err := ply.DecodePoints(b)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", frame, err)
	}
	step := (len(p.P) + maxShown - 1) / maxShown
	step = max(step, 1)
	var speeds []float64
	var out []byte
	for n := 0; n < len(p.P); n += step {
		x := p.P[n]
		out = putFloats(out, x[0], x[1], x[2])
		v := 0.0
		if p.V != nil {
			v = math.Sqrt(float64(p.V[n][0]*p.V[n][0] + p.V[n][1]*p.V[n][1] + p.V[n][2]*p.V[n][2]))
		}
		speeds = append(speeds, v)
		head.Fastest = max(head.Fastest, v)
	}
	head.Particles = len(speeds)
	for _, v := range speeds {
		out = append(out, byte(255*v/max(head.Fastest, 1e-9)))
	}
	return out, nil
}

func putFloats(out []byte, v ...float32) []byte {
	for _, x := range v {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(x))
	}
	return out
}
