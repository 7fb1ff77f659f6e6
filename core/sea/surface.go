package sea

import (
	"math"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
)

// Surface is the sea's surface at a moment.
type Surface struct {
	Sea       *Sea
	t         float64
	crew      grid.Crew
	bands     [3]mips
	bounded   sync.Once
	low, high float64
}

// mips are a band's sheets of fewer and fewer values, with the waves that these show; each is
// made when it is first asked for.
type mips struct {
	once  [mipCount]sync.Once
	sheet [mipCount]*sheet
}

const mipCount = 5 // from edge to smallest

// What a surface's sheets hold: height, both displacements, and how these change.
const (
	height = iota
	shiftX
	shiftZ
	foldX
	foldZ
	foldXZ
	surfaceFields
)

// surfaceParts are the fields of a surface: height, and by how much water is moved aside.
// i k/|k| a of a wave draws crests together (Tessendorf 2001); in shallow water the circles
// are ellipses, by coth kd.
func (s *Sea) surfaceParts() []part {
	wide := func(m *mode) complex128 { // the displacement along k
		return complex(0, s.Choppy/(m.k*math.Tanh(min(m.k*s.Depth, 40))))
	}
	return []part{
		height: func(_ int, _ *mode, a, b complex128) complex128 { return a + b },
		shiftX: func(_ int, m *mode, a, b complex128) complex128 { return wide(m) * complex(m.kx, 0) * (a + b) },
		shiftZ: func(_ int, m *mode, a, b complex128) complex128 { return wide(m) * complex(m.kz, 0) * (a + b) },
		foldX:  func(_ int, m *mode, a, b complex128) complex128 { return wide(m) * complex(0, m.kx*m.kx) * (a + b) },
		foldZ:  func(_ int, m *mode, a, b complex128) complex128 { return wide(m) * complex(0, m.kz*m.kz) * (a + b) },
		foldXZ: func(_ int, m *mode, a, b complex128) complex128 { return wide(m) * complex(0, m.kx*m.kz) * (a + b) },
	}
}

// Surface is the sea's at t seconds.
func (s *Sea) Surface(t float64, crew grid.Crew) *Surface {
	return &Surface{Sea: s, t: t, crew: crew}
}

// Bounds are the heights between which the surface lies, m.
func (f *Surface) Bounds() (low, high float64) {
	f.bounded.Do(func() {
		f.low, f.high = f.Sea.Level, f.Sea.Level
		for n := range f.Sea.bands {
			s := f.of(n, 0)
			var lo, hi float32
			for i := 0; i < len(s.v); i += s.per {
				lo, hi = min(lo, s.v[i]), max(hi, s.v[i])
			}
			f.low, f.high = f.low+float64(lo), f.high+float64(hi)
		}
	})
	return f.low, f.high
}

// of is a band's sheet on a mip.
func (f *Surface) of(band, mip int) *sheet {
	m := &f.bands[band]
	m.once[mip].Do(func() {
		n := edge >> mip
		m.sheet[mip] = f.Sea.bands[band].lay(f.t, n, 0, n, f.Sea.surfaceParts(), f.crew)
	})
	return m.sheet[mip]
}

// mip is which of a band's shows waves from some two to four cells on; −1: the band has none.
func (b *band) mip(cell float64) int {
	if len(b.modes) == 0 {
		return -1
	}
	mip := 0
	for n := edge; float64(n/2)*cell >= b.long; n /= 2 {
		mip++
	}
	if mip >= mipCount {
		return -1
	}
	return mip
}

// sheets are those for cells of a size.
func (f *Surface) sheets(cell float64) (list []*sheet) {
	for n := range f.Sea.bands {
		if mip := f.Sea.bands[n].mip(cell); mip >= 0 {
			list = append(list, f.of(n, mip))
		}
	}
	return list
}

// Steep is the variance of the slopes, along both axes together, of what cells of a size
// don't show. Down to ripples there are those that Cox and Munk (1954) saw in the sun's glitter.
func (s *Sea) Steep(cell float64) float64 {
	if s.Wind <= 0 {
		return 0
	}
	all, lost := s.slopes(cell)
	seen := 0.003 + 0.00512*s.Wind
	return max(seen*min(s.Height*s.Height, 1)-all, 0) + lost
}

// slopes are the variance of all waves' slopes, and of what cells of a size don't show.
func (s *Sea) slopes(cell float64) (all, lost float64) {
	for n := range s.bands {
		b := &s.bands[n]
		every := b.steep[0]
		for i := range b.modes {
			m := &b.modes[i]
			every += m.k * m.k * (real(m.h)*real(m.h) + imag(m.h)*imag(m.h) + real(m.hc)*real(m.hc) + imag(m.hc)*imag(m.hc))
		}
		all += every
		if mip := b.mip(cell); mip < 0 {
			lost += every
		} else {
			lost += b.steep[mip]
		}
	}
	return all, lost
}

// At is the height of the surface over a place, m, and how much of its area is left where
// waves draw it together: under 0 it folds over, which is where crests break. Waves shorter
// than a few cells are left out.
func (f *Surface) At(x, z, cell float64) (y, fold float64) {
	var shift [2]float64
	return at(f.sheets(cell), f.Sea.Level, x, z, &shift, 4)
}

// at is At of sheets, with a first guess of the shift, which is told anew.
func at(list []*sheet, level, x, z float64, shift *[2]float64, rounds int) (y, fold float64) {
	for range rounds { // what is over x was at x less its shift
		var v [3]float32
		for _, s := range list {
			s.shifts(x-shift[0], z-shift[1], &v)
		}
		shift[0], shift[1] = float64(v[shiftX]), float64(v[shiftZ])
	}
	var v [surfaceFields]float32
	for _, s := range list {
		s.read(x-shift[0], z-shift[1], v[:])
	}
	jx, jz, jxz := 1+float64(v[foldX]), 1+float64(v[foldZ]), float64(v[foldXZ])
	return level + float64(v[height]), jx*jz - jxz*jxz
}

// split is the whole number at or below x, and what is left.
func split(x float64) (i int, f float32) {
	fl := math.Floor(x)
	return int(fl), float32(x - fl)
}

// Normal is the surface's over a place.
func (f *Surface) Normal(x, z, cell float64) geom.Vec3 {
	e := cell / 2
	a, _ := f.At(x-e, z, cell)
	b, _ := f.At(x+e, z, cell)
	c, _ := f.At(x, z-e, cell)
	d, _ := f.At(x, z+e, cell)
	return geom.V(a-b, 2*e, c-d).Unit()
}
