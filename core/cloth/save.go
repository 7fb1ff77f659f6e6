package cloth

import (
	"fmt"
	"math"

	"zarf/core/geom"
)

// Saved is what of a system a file keeps as words: how many vertices there are by now, of which
// those that tearing made come last, and the step before.
type Saved struct {
	Vertices int     `json:"vertices"`
	Faces    int     `json:"faces"`
	Dt       float64 `json:"dt"`
	Smooth   float64 `json:"smooth"`
	Steps    int     `json:"steps"`
}

// Saved is that of the system as it is.
func (s *System) Saved() Saved {
	return Saved{len(s.X), len(s.faces), s.dt, s.smooth, s.Steps}
}

// Columns are all numbers of a saved system, two of 32 bits for each of 64, which are moved and
// never worked with. Of a vertex: place, velocity, both a step before, how wet, hot and burnt it is, what
// holds it and with what force; where it is at rest; which sheet and vertex of it it was; of a face: its corners, and
// what it turned.
type Columns struct{ Vertices, Faces []float32 }

// of a vertex and of a face, so many numbers of 64 bits
const perVertex, perFace = 12 + 3 + 2 + 3 + 4 + 3, 4

// NewColumns makes room for what is saved.
func (h Saved) NewColumns() *Columns {
	return &Columns{make([]float32, 2*perVertex*h.Vertices), make([]float32, 2*perFace*h.Faces)}
}

// writer and reader of columns.
type columns struct {
	v  []float32
	at int
}

func (c *columns) put(list ...float64) {
	for _, x := range list {
		b := math.Float64bits(x)
		c.v[c.at], c.v[c.at+1] = math.Float32frombits(uint32(b)), math.Float32frombits(uint32(b>>32))
		c.at += 2
	}
}

func (c *columns) next() float64 {
	b := uint64(math.Float32bits(c.v[c.at])) | uint64(math.Float32bits(c.v[c.at+1]))<<32
	c.at += 2
	return math.Float64frombits(b)
}

func (c *columns) putVec(list ...geom.Vec3) {
	for _, p := range list {
		c.put(p.X, p.Y, p.Z)
	}
}

func (c *columns) vec() (p geom.Vec3) {
	p.X, p.Y, p.Z = c.next(), c.next(), c.next()
	return p
}

// Save gives all numbers of the system as it is.
func (s *System) Save() *Columns {
	out := s.Saved().NewColumns()
	c := columns{v: out.Vertices}
	for i := range s.X {
		h := &s.held[i]
		stuck := 0.0
		if h.stuck {
			stuck = 1
		}
		c.putVec(s.X[i], s.V[i], s.oldX[i], s.oldV[i])
		c.put(s.Wet[i], s.Heat[i], s.Burnt[i], float64(h.by), stuck)
		c.putVec(h.force)
		c.put(float64(s.of[i]), float64(s.name[i]), float64(s.shoved[i]), float64(s.tense[i]))
		c.putVec(s.rest[i])
	}
	c = columns{v: out.Faces}
	for k := range s.faces {
		v := s.faces[k].v
		c.put(float64(v[0]), float64(v[1]), float64(v[2]), s.state[k].turn)
	}
	return out
}

// Load puts a system that was just made of the same sheets where another was when it was saved.
// On an error it is not to be gone on with.
func (s *System) Load(h Saved, in *Columns) error {
	n := len(s.X)
	if h.Vertices < n || h.Faces < 1 || h.Faces > len(s.faces) || h.Vertices > MostVertices {
		return fmt.Errorf("cloth: a state of %d vertices and %d faces doesn't fit one of %d and %d", h.Vertices, h.Faces, n, len(s.faces))
	}
	for len(s.X) < h.Vertices {
		s.pinned = append(s.pinned, make([]bool, len(s.X)-len(s.pinned))...)
		s.double(0)
	}
	c := columns{v: in.Vertices}
	for i := range s.X {
		q := &s.held[i]
		s.X[i], s.V[i], s.oldX[i], s.oldV[i] = c.vec(), c.vec(), c.vec(), c.vec()
		s.Wet[i], s.Heat[i], s.Burnt[i] = c.next(), c.next(), c.next()
		by, stuck := c.next(), c.next()
		*q = held{by: int32(by), stuck: stuck == 1, force: c.vec()}
		of, name, shoved, tense := c.next(), c.next(), c.next(), c.next()
		if !(of >= 0 && int(of) < len(s.Sheets)) || !(name >= 0 && int(name) < s.First[int(of)+1]-s.First[int(of)]) {
			return fmt.Errorf("cloth: vertex %d of a saved state was vertex %g of sheet %g, which there isn't", i, name, of)
		}
		s.of[i], s.name[i], s.shoved[i], s.tense[i] = int32(of), int32(name), int(shoved), int8(tense)
		if x := s.X[i].Add(s.V[i]).Add(s.oldX[i]).Add(s.oldV[i]).Add(q.force); x.X+x.Y+x.Z-(x.X+x.Y+x.Z) != 0 {
			return fmt.Errorf("cloth: vertex %d of a saved state is at no place", i)
		}
		s.shovedTo = max(s.shovedTo, s.shoved[i])
		s.rest[i], s.weak[i] = c.vec(), s.weak[s.First[int(of)]+int(name)]
	}
	burnt := h.Faces < len(s.faces)
	s.faces = s.faces[:h.Faces]
	c = columns{v: in.Faces}
	turn := make([]float64, len(s.faces))
	for k := range s.faces {
		for d := range 3 {
			v := c.next()
			if !(v >= 0 && int(v) < len(s.X)) {
				return fmt.Errorf("cloth: face %d of a saved state has vertex %g of %d", k, v, len(s.X))
			}
			s.faces[k].v[d] = int32(v)
		}
		s.faces[k].of = int32(s.sheet(int(s.faces[k].v[0])))
		turn[k] = c.next()
	}
	s.dt, s.smooth, s.Steps = h.Dt, h.Smooth, h.Steps
	if len(s.X) > n || burnt {
		for k := range s.faces {
			s.lay(k)
		}
		s.folds, s.bends = bends(s.rest, s.faces, s.Sheets)
	}
	s.knit()
	for k := range s.state {
		s.state[k].turn = turn[k]
	}
	return nil
}

// Pinned tells whether a vertex is.
func (s *System) Pinned(v int) bool { return v < len(s.pinned) && s.pinned[v] }

// Origin is which sheet a vertex is of, and which of its vertices it was.
func (s *System) Origin(v int) (sheet, vertex int) { return s.sheet(v), int(s.name[v]) }

// Stretched is by which share of its length every vertex's cloth is longer than as woven, where it
// is most.
func (s *System) Stretched() []float64 {
	out := make([]float64, len(s.X))
	s.round = incidenceOf(len(s.X), s.faces)
	s.crew.For(len(s.X), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			out[v], _ = s.strainAt(v, s.X)
		}
	})
	return out
}
