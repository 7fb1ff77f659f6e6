package liquid

// A box that lies in a sea. About its open sides there is a rim in which the sea has its way:
// wholly at the side, not at all at the rim's inner edge (Jacobsen, Fuhrman, Fredsøe 2012). Waves
// come in through it as the sea has them, and what the box throws back fades out in it. Through
// the sides themselves water flows as the sea's does, and particles come and go with it.

import (
	"math"

	"zarf/core/noise"
	"zarf/core/sea"
)

// Around is the sea about a box at a moment.
type Around struct {
	Sea *sea.Sea
	Rim float64 // m, how wide the rim is
	ID  string
}

// shore is where the box and the sea meet. Columns are those of the box's cells with one
// beyond on every side.
type shore struct {
	of     *sea.Sea
	rim    float64
	water  *sea.Water
	now    *sea.Moment
	nx     int       // columns along x
	column []int32   // place of each column in the water; −1: it isn't asked for
	share  []float32 // how much the sea has its way there, 0 to 1
	line   []float32 // the same growing evenly from the inner edge
	has    []float32 // how much it has in this substep
	inward []inward
}

// inward is a face of a side through which the sea flows in.
type inward struct {
	axis int
	at   [3]int
	v    [3]float32 // m/s
}

// relax is how many times a second the sea has its way: with a share of a half, half of
// what is left.
const relax = 100

// leads reports a side of the box that is the sea's.
func (s *Solver) leads(axis, up int) bool {
	return s.InSea && s.Open[2*axis+up] && !(axis == 1 && up == 1)
}

// at is the number of column (i, k), from −1 on.
func (h *shore) at(i, k int) int { return (k+1)*h.nx + i + 1 }

// meetSea readies the shore for a moment, and returns the volume of the sea that it finds in
// the box at the start.
func (s *Solver) meetSea(in *Around, t, dt float64) float64 {
	h := &s.shore
	if in == nil {
		h.now = nil
		return 0
	}
	if h.of != in.Sea || h.rim != in.Rim {
		s.layShore(in)
	}
	h.now = h.water.At(t)
	for n, share := range h.share {
		h.has[n] = 1
		if share < 1 {
			h.has[n] = float32(1 - math.Pow(1-float64(share), dt*relax))
		}
	}
	if s.filled[in.ID] {
		return 0
	}
	s.filled[in.ID] = true
	n := len(s.P)
	s.flood(in, t)
	return float64(len(s.P)-n) * s.H * s.H * s.H / PerCell
}

// layShore finds the columns of the rim.
func (s *Solver) layShore(in *Around) {
	h := &s.shore
	*h = shore{of: in.Sea, rim: in.Rim, nx: s.NX + 2}
	var x, z []float64
	wide := in.Rim / s.H
	for k := -1; k <= s.NZ; k++ {
		for i := -1; i <= s.NX; i++ {
			away := math.Inf(1) // from the nearest side that leads into the sea, voxels
			for a, q := range [3]float64{float64(i) + 0.5, 0, float64(k) + 0.5} {
				if a == 1 {
					continue
				}
				if s.leads(a, 0) {
					away = min(away, q)
				}
				if s.leads(a, 1) {
					away = min(away, float64([3]int{s.NX, 0, s.NZ}[a])-q)
				}
			}
			line := min(max(1-(away-0.5)/wide, 0), 1)
			h.line = append(h.line, float32(line))
			h.share = append(h.share, float32((math.Exp(math.Pow(line, 3.5))-1)/(math.E-1)))
			if line == 0 && !s.leads(1, 0) {
				h.column = append(h.column, -1)
				continue
			}
			h.column = append(h.column, int32(len(x)))
			x = append(x, s.Origin.X+(float64(i)+0.5)*s.H)
			z = append(z, s.Origin.Z+(float64(k)+0.5)*s.H)
		}
	}
	h.has = make([]float32, len(h.share))
	h.water = in.Sea.Water(x, z, in.Sea.Level-s.Origin.Y, s.H, s.crew)
}

// flood fills the box with the sea, once.
func (s *Solver) flood(in *Around, t float64) {
	var x, z []float64
	for k := range s.NZ {
		for i := range s.NX {
			x = append(x, s.Origin.X+(float64(i)+0.5)*s.H)
			z = append(z, s.Origin.Z+(float64(k)+0.5)*s.H)
		}
	}
	m := in.Sea.Water(x, z, in.Sea.Level-s.Origin.Y, s.H, s.crew).At(t)
	made := make([][]Particle, s.NZ)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for i := range s.NX {
				top := (m.Height(k*s.NX+i) - s.Origin.Y) / s.H
				for j := 0; j < min(int(top)+1, s.NY); j++ {
					for c := range 8 {
						p := eighthAt(i, j, k, c)
						if float64(p[1]) > top || s.blocked(&p) {
							continue
						}
						made[k] = append(made[k], Particle{X: p, V: m.Velocity(k*s.NX+i, s.where(&p).Y)})
					}
				}
			}
		}
	})
	for _, list := range made {
		s.P = append(s.P, list...)
	}
	s.unsorted(0)
	s.carriesSlopes(len(s.C) > 0)
}

// eighthAt is the middle of part c of a cell.
func eighthAt(i, j, k, c int) [3]float32 {
	return [3]float32{float32(i) + 0.25 + 0.5*float32(c&1), float32(j) + 0.25 + 0.5*float32(c>>1&1), float32(k) + 0.25 + 0.5*float32(c>>2)}
}

// tide lets particles into the rim where far too few are under the sea's surface, and takes
// those away that stand over it. It returns the volumes that came and went. Particles must be sorted; they
// aren't afterwards, where any did.
func (s *Solver) tide(heat float32) (came, went float64) {
	h := &s.shore
	if h.now == nil {
		return 0, 0
	}
	over := s.overSea()
	// what stands over it or lacks on the mean is mended at the surface
	more, fewer := min(max(2*over, 0), 1.5), min(max(-2*over, 0), 2)
	news, gone := make([][]Particle, s.NZ), make([]int, s.NZ)
	s.crew.For(s.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for i := range s.NX {
				at := h.at(i, k)
				c := h.column[at]
				if c < 0 {
					continue
				}
				top := float32((h.now.Height(int(c)) - s.Origin.Y) / s.H)
				chance := h.has[at]
				if chance <= 0 {
					continue
				}
				for j := range min(int(max(top, 0))+1, s.NY) {
					news[k] = s.topUp(news[k], i, j, k, top, chance, heat, fewer)
				}
				gone[k] += s.skim(i, k, top+0.5-more, chance)
			}
		}
	})
	n, less := 0, 0
	for k := range news {
		n, less = n+len(news[k]), less+gone[k]
	}
	if less > 0 {
		s.drop(func(p *Particle) bool { return p.X[0] < 0 })
	}
	for _, list := range news {
		s.P = append(s.P, list...)
	}
	if n+less > 0 {
		s.unsorted(0)
	}
	unit := s.H * s.H * s.H / PerCell
	return float64(n) * unit, float64(less) * unit
}

// overSea is how much higher than the sea the water in the rim stands on the mean, voxels.
func (s *Solver) overSea() float32 {
	h := &s.shore
	sums, counts := make([]float64, s.NZ), make([]float64, s.NZ)
	s.crew.For(s.NZ, 4, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for i := range s.NX {
				at := h.at(i, k)
				if h.share[at] <= 0.1 {
					continue
				}
				top := (h.now.Height(int(h.column[at])) - s.Origin.Y) / s.H
				var held, want float64
				for j := range s.NY {
					held += float64(len(s.in(i, i+1, j, k))) / PerCell
					room := 1.0
					if s.solid.share != nil {
						room = float64(s.solid.share.At(i, j, k))
					}
					want += room * min(max(top-float64(j), 0), 1)
				}
				if want > 0 {
					sums[k], counts[k] = sums[k]+held-want, counts[k]+1
				}
			}
		}
	})
	var sum, count float64
	for k := range sums {
		sum, count = sum+sums[k], count+counts[k]
	}
	if count == 0 {
		return 0
	}
	return float32(sum / count)
}

// topUp adds particles for the empty eighths of a cell under the sea's surface.
func (s *Solver) topUp(list []Particle, i, j, k int, top, chance, heat, fewer float32) []Particle {
	in := s.in(i, i+1, j, k)
	// what flows is never even: a few less are none too few
	few := float32(PerCell) / 4
	if top-float32(j) < 2 {
		few += 2 * fewer
	}
	if float32(len(in)) > few*min(top-float32(j), 1) {
		return list
	}
	var taken [8]bool
	for n := range in {
		taken[eighth(&in[n].X, i, j, k)] = true
	}
	for c, is := range taken {
		if is {
			continue
		}
		r := noise.Hash(uint64(s.steps)*104729+77, int64(i), int64(j), int64(k*8+c))
		p := eighthAt(i, j, k, c)
		for a := range p { // an even lattice would show as stripes in what flows
			p[a] += (float32(r>>(8*a)&255)/255 - 0.5) * 0.3
		}
		if p[1] > top || float32(r>>40)/(1<<24) >= chance || s.blocked(&p) {
			continue
		}
		v := s.shore.now.Velocity(int(s.shore.column[s.shore.at(i, k)]), s.where(&p).Y)
		list = append(list, Particle{X: p, V: v, Heat: heat})
	}
	return list
}

// inflow adds the particles that come in through the sides: as if they stood evenly beyond them
// and went on with the sea. It returns the volume.
func (s *Solver) inflow(dt float64, heat float32) float64 {
	n := len(s.P)
	size := [3]float32{float32(s.NX), float32(s.NY), float32(s.NZ)}
	for m := range s.shore.inward {
		in := &s.shore.inward[m]
		a := in.axis
		far := abs(in.v[a]) * float32(dt/s.H) // voxels
		for c := range 4 {
			r := noise.Hash(uint64(s.steps)*6151+uint64(a), int64(in.at[0]), int64(in.at[1]), int64(in.at[2]*4+c))
			bits := func(n int) float32 { return float32(r>>(16*n)&0xFFFF) / (1 << 16) }
			for i := range int(2*far + bits(3)) { // half a voxel stands for one
				p := [3]float32{float32(in.at[0]), float32(in.at[1]), float32(in.at[2])}
				p[(a+1)%3] += (float32(c&1) + bits(0)) / 2
				p[(a+2)%3] += (float32(c>>1) + bits(1)) / 2
				q := min((float32(i)+bits(2))/2, far)
				if in.at[a] > 0 {
					q = -q
				}
				p[a] = min(max(p[a]+q, skin), size[a]-skin)
				if !s.blocked(&p) {
					s.P = append(s.P, Particle{X: p, V: in.v, Heat: heat})
				}
			}
		}
	}
	if n = len(s.P) - n; n > 0 {
		s.unsorted(0)
	}
	return float64(n) * s.H * s.H * s.H / PerCell
}

// skim marks particles of a column that stand over a height, with a place of their own, and
// returns how many.
func (s *Solver) skim(i, k int, top, chance float32) (n int) {
	for j := max(int(top), 0); j < s.NY; j++ {
		in := s.in(i, i+1, j, k)
		for m := range in {
			p := &in[m]
			if p.X[1] <= top {
				continue
			}
			r := noise.Hash(uint64(s.steps)*7919+13, int64(i), int64(j), int64(k)<<20+int64(m))
			if float32(r>>40)/(1<<24) < chance {
				p.X[0] = -1
				n++
			}
		}
	}
	return n
}

// openShore shuts the faces of the sides that are the sea's, as far as it stands up, with the
// speed of its water as theirs. closeInlets puts them back.
func (s *Solver) openShore() {
	h := &s.shore
	h.inward = h.inward[:0]
	if h.now == nil {
		return
	}
	shut := func(a, i, j, k, col int) {
		c := int(h.column[col])
		y := s.facePoint(i, j, k, a).Y
		if c < 0 || y > h.now.Height(c)+s.H {
			return
		}
		n := s.u[a].Index(i, j, k)
		o, v := s.solid.open[a], s.solid.vel[a]
		if o.Data[n] < closed {
			return
		}
		s.aside = append(s.aside, kept{a, n, o.Data[n], v.Data[n]})
		w := h.now.Velocity(c, y)
		o.Data[n], v.Data[n] = 0, w[a]
		if in := [3]int{i, j, k}; y < h.now.Height(c) && (w[a] > 0) == (in[a] == 0) && w[a] != 0 {
			h.inward = append(h.inward, inward{a, in, w})
		}
	}
	for up := range 2 {
		for j := range s.NY {
			if s.leads(0, up) {
				for k := range s.NZ {
					i := up * s.NX
					shut(0, i, j, k, h.at(i-1+up, k))
				}
			}
			if s.leads(2, up) {
				for i := range s.NX {
					k := up * s.NZ
					shut(2, i, j, k, h.at(i, k-1+up))
				}
			}
		}
	}
	if s.leads(1, 0) {
		for k := range s.NZ {
			for i := range s.NX {
				shut(1, i, 0, k, h.at(i, k))
			}
		}
	}
}

// followSea draws the flow in the rim towards the sea's.
func (s *Solver) followSea() {
	h := &s.shore
	if h.now == nil {
		return
	}
	for a := range 3 {
		u := s.u[a]
		s.rows(a, s.reach, func(j, k, i0, i1 int) {
			for i := i0; i < i1; i++ {
				// of two columns on both sides, that which the sea has more of
				at := h.at(min(i, s.NX-1), min(k, s.NZ-1))
				other := at
				switch a {
				case 0:
					other = h.at(i-1, k)
				case 2:
					other = h.at(i, k-1)
				}
				if h.share[other] > h.share[at] {
					at = other
				}
				w := h.has[at]
				if w <= 0 {
					continue
				}
				y := s.Origin.Y + (float64(j)+0.5)*s.H
				if a == 1 {
					y -= s.H / 2
				}
				c := int(h.column[at])
				if y > h.now.Height(c)+2*s.H {
					continue
				}
				n := u.Index(i, j, k)
				if s.solid.open[a].Data[n] < closed {
					continue
				}
				u.Data[n] += w * (h.now.Velocity(c, y)[a] - u.Data[n])
			}
		})
	}
}

// seaLine tells of a place within the box, voxels, how far over the sea it is, m, and how much
// the surface there is the sea's: wholly at the sides. ok is false away from the rim.
func (s *Solver) seaLine(x, y, z float64) (over, share float64, ok bool) {
	h := &s.shore
	i, k := int(math.Floor(x-0.5)), int(math.Floor(z-0.5))
	fx, fz := x-0.5-float64(i), z-0.5-float64(k)
	var height, line float64
	for n := range 4 {
		at := h.at(i+n&1, k+n>>1)
		c := h.column[at]
		if c < 0 {
			return 0, 0, false
		}
		w := 1.0
		if n&1 == 1 {
			w *= fx
		} else {
			w *= 1 - fx
		}
		if n>>1 == 1 {
			w *= fz
		} else {
			w *= 1 - fz
		}
		height += w * h.now.Height(int(c))
		line += w * float64(h.line[at])
	}
	t := min(line/0.9, 1)
	return s.Origin.Y + y*s.H - height, t * t * (3 - 2*t), line > 0
}
