package gas

// Sub-grid turbulence: the whirls that voxels are too coarse for stir what the gas carries.
//
// How strong they are follows from the flow: where production and decay are in balance, the
// energy that is unresolved is k = C_I Δ² |S|² (Yoshizawa 1986, Phys. Fluids 29, 2152), so that
// u′ = √(2k/3) goes as Δ |ω|, for which |S| of a turbulent flow stands. What they look like is
// a noise without divergence of 2.5 to 6 voxels (Kim, Thürey, James, Gross 2008; Narain,
// Sewall, Carlson, Lin 2008), laid over the flow for channels alone: momentum has its own
// way to lose energy. The noise drifts along with the smoke and turns into another one as
// whirls of its size turn over.
//
// Everything is worked out from the ways that are traced anyhow: they are the velocity times
// the step, so that their curl is ω dt, and what is added to them u′ dt.

import (
	"math"

	"zarf/core/geom"
	"zarf/core/noise"
)

// The noise repeats after so many voxels along each axis.
const (
	stirTile = 32
	stirMask = stirTile - 1
)

// stirShare is u′ over Δ |ω| at a strength of 1: √(2 C_I/3) with C_I = 0.09.
const stirShare = 0.25

// stirMost is how far whirls move anything in a step at most, voxels.
const stirMost = 0.75

// stirring is sub-grid turbulence.
type stirring struct {
	Drift geom.Vec3 // of the noise, voxels
	Phase float64   // of its turning into another, radians

	way   [2][3][]float32 // the ways with it
	tiles [2][3][]float32 // the noise and what it turns into: components of mean square 1
	flat  bool            // of a single layer
	room  [3][]float32    // the noise of a step
}

// newStirring draws the noise: the curl of a vector potential that holds waves of 2.5 to 6
// voxels, of one that lies across where there is a single layer.
func newStirring(seed uint64, flat bool) *stirring {
	t := &stirring{flat: flat}
	n := stirTile * stirTile * stirTile
	for which := range t.tiles {
		var psi [3][]float32
		for c := range psi {
			psi[c] = make([]float32, n)
			if flat && c < 2 {
				continue
			}
			for i := range psi[c] {
				h := noise.Hash(seed+uint64(3*which+c), int64(i), 7, 11)
				// eight bytes add up to what is nearly a bell
				sum := 0
				for b := range 8 {
					sum += int(h >> (8 * b) & 255)
				}
				psi[c][i] = float32(sum)/1020 - 1
			}
			if flat {
				for i := stirTile * stirTile; i < n; i++ {
					psi[c][i] = psi[c][i%(stirTile*stirTile)]
				}
			}
			// a band: what two passes of ¼ ½ ¼ leave, without what six more leave of that
			band(psi[c], flat)
		}
		at := func(f []float32, i, j, k int) float64 {
			return float64(f[((k&stirMask)*stirTile+j&stirMask)*stirTile+i&stirMask])
		}
		var sum float64
		for c := range 3 {
			t.tiles[which][c] = make([]float32, n)
		}
		for k := range stirTile {
			for j := range stirTile {
				for i := range stirTile {
					dx := func(f []float32) float64 { return at(f, i+1, j, k) - at(f, i-1, j, k) }
					dy := func(f []float32) float64 { return at(f, i, j+1, k) - at(f, i, j-1, k) }
					dz := func(f []float32) float64 { return at(f, i, j, k+1) - at(f, i, j, k-1) }
					v := [3]float64{dy(psi[2]) - dz(psi[1]), dz(psi[0]) - dx(psi[2]), dx(psi[1]) - dy(psi[0])}
					for c, x := range v {
						t.tiles[which][c][(k*stirTile+j)*stirTile+i] = float32(x)
						sum += x * x
					}
				}
			}
		}
		parts := 3.0
		if flat {
			parts = 2
		}
		scale := float32(1 / math.Sqrt(sum/(parts*float64(n))))
		for c := range 3 {
			for i := range t.tiles[which][c] {
				t.tiles[which][c][i] *= scale
			}
		}
	}
	return t
}

// band leaves of a periodic field the waves between those that smoothing a little and
// smoothing much take away.
func band(f []float32, flat bool) {
	smooth := func(times int) {
		g := make([]float32, len(f))
		for range times {
			for axis := range 3 {
				if flat && axis == 2 {
					continue
				}
				for i, v := range f {
					p := [3]int{i & stirMask, i / stirTile & stirMask, i / (stirTile * stirTile)}
					a, b := p, p
					a[axis], b[axis] = (p[axis]+1)&stirMask, (p[axis]-1)&stirMask
					at := func(q [3]int) float32 { return f[(q[2]*stirTile+q[1])*stirTile+q[0]] }
					g[i] = 0.5*v + 0.25*(at(a)+at(b))
				}
				copy(f, g)
			}
		}
	}
	smooth(1)
	fine := append([]float32(nil), f...)
	smooth(3)
	for i, v := range fine {
		f[i] = v - f[i]
	}
}

// stir lays sub-grid turbulence of a strength over the ways; false: there is nothing that
// it could move.
func (s *Solver) stir(strength float64) bool {
	if strength <= 0 || !(s.live[0] || s.live[1]) {
		return false
	}
	t := s.stirs
	h := &s.lay[onHalo]
	if t == nil || t.flat != (s.NZ == 1) {
		t = newStirring(s.Seed, s.NZ == 1)
		if s.stirs != nil {
			t.Drift, t.Phase = s.stirs.Drift, s.stirs.Phase
		}
		s.stirs = t
	}
	if len(t.way[0][0]) != h.Len() {
		for w := range t.way {
			for c := range 3 {
				t.way[w][c] = s.alloc(h.Len())
			}
		}
	}
	t.blend()
	s.afar, s.goes = s.afar+1, s.goes+1
	part := make([]drifting, h.NZ)
	s.crew.For(h.NZ, s.grain(), func(k0, k1 int) {
		var row [2][]float32
		for n := range row {
			row[n] = make([]float32, h.NX)
		}
		for k := k0; k < k1; k++ {
			for j := range h.NY {
				s.stirRow(&row, j, k, float32(0.5*strength*stirShare), &part[k])
			}
		}
	})
	t.turn(part)
	return true
}

// drifting sums what noise drifts along with, and how quickly it turns over.
type drifting struct {
	way             [3]float64
	stirred, weight float64
}

// turn lets the noise drift as the smoke did, by its mean way, and turn over as fast as its
// whirls do: by a radian when they have gone as far as they are wide.
func (t *stirring) turn(part []drifting) {
	var all drifting
	for _, p := range part {
		for a := range 3 {
			all.way[a] += p.way[a]
		}
		all.stirred, all.weight = all.stirred+p.stirred, all.weight+p.weight
	}
	if all.weight <= 0 {
		return
	}
	t.Drift = t.Drift.Add(geom.V(all.way[0], all.way[1], all.way[2]).Mul(1 / all.weight))
	const across = 3 // voxels
	t.Phase += min(all.stirred/all.weight/across, 0.5)
	for _, x := range []*float64{&t.Drift.X, &t.Drift.Y, &t.Drift.Z} {
		*x = math.Mod(*x, stirTile)
	}
	t.Phase = math.Mod(t.Phase, 2*math.Pi)
}

// blend readies the noise of the step: cos φ of the one and sin φ of the other, which keeps
// its mean square.
func (t *stirring) blend() {
	sin, cos := math.Sincos(t.Phase)
	a, b := float32(cos), float32(sin)
	for c := range t.room {
		if t.room[c] == nil {
			t.room[c] = make([]float32, len(t.tiles[0][c]))
		}
		x, y := t.tiles[0][c], t.tiles[1][c]
		for i := range t.room[c] {
			t.room[c][i] = float32(a*x[i]) + float32(b*y[i])
		}
	}
}

// stirRow lays it over a row of the halo's ways, of which share is what half of one gets of its
// curl. Away from what channels hold ways stay as they are.
func (s *Solver) stirRow(row *[2][]float32, j, k int, share float32, sum *drifting) {
	t, h := s.stirs, &s.lay[onHalo]
	inside := j > 0 && j < h.NY-1 && (t.flat || k > 0 && k < h.NZ-1)
	near := func(c int) bool {
		return s.live[c] && s.alive[c].any(j-1-s.goes, j-1+s.goes, k-1-s.goes, k-1+s.goes, s.NY, s.NZ)
	}
	for _, r := range h.spans(j, k) {
		o, n := h.Index(r.Lo, j, k), r.Hi-r.Lo
		if n < 3 || !inside || !near(0) && !near(1) {
			for w := range t.way {
				for c := range 3 {
					copy(t.way[w][c][o:o+n], s.way[w][c][o:o+n])
				}
			}
			continue
		}
		mag := row[0][:n]
		s.turned(mag, o)
		if j%4 == 0 && k%2 == 0 {
			s.drifts(mag, r.Lo, j, k, o, share, sum)
		}
		for c := range 3 {
			d := row[1][:n]
			t.noiseRow(d, c, r.Lo, j, k)
			back, forth := t.way[0][c][o:o+n], t.way[1][c][o:o+n]
			a, b := s.way[0][c][o:o+n], s.way[1][c][o:o+n]
			for i, v := range d {
				v = float32(share * float32(v*mag[i]))
				v = max(-0.5*stirMost, min(0.5*stirMost, v))
				back[i], forth[i] = a[i]-v, b[i]+v
			}
		}
	}
}

// turned is |ω| dt of the cells from place o of the halo on: the curl of whole ways by central
// differences, which is that of half ways by differences over two cells.
func (s *Solver) turned(mag []float32, o int) {
	h, n := &s.lay[onHalo], len(mag)
	ny, nz := h.NX, h.NX*h.NY
	if s.stirs.flat {
		nz = 0 // nothing changes across a single layer
	}
	u, v, w := s.way[0][0], s.way[0][1], s.way[0][2]
	at := func(f []float32, by int) []float32 { return f[o+by:][:n] }
	vx0, vx1, wx0, wx1 := at(v, -1), at(v, 1), at(w, -1), at(w, 1)
	uy0, uy1, wy0, wy1 := at(u, -ny), at(u, ny), at(w, -ny), at(w, ny)
	uz0, uz1, vz0, vz1 := at(u, -nz), at(u, nz), at(v, -nz), at(v, nz)
	for i := range mag {
		x := (wy1[i] - wy0[i]) - (vz1[i] - vz0[i])
		y := (uz1[i] - uz0[i]) - (wx1[i] - wx0[i])
		z := (vx1[i] - vx0[i]) - (uy1[i] - uy0[i])
		mag[i] = float32(math.Sqrt(float64(float32(x*x) + float32(y*y) + float32(z*z))))
	}
	mag[0], mag[n-1] = mag[1], mag[n-2] // beside the rim or tiles that aren't in use
}

// drifts adds up how far the smoke of a row goes, and how far whirls stir it.
func (s *Solver) drifts(mag []float32, lo, j, k, o int, share float32, sum *drifting) {
	if j < 1 || k < 1 || j > s.NY || k > s.NZ {
		return
	}
	smoke := s.Smoke.Row(j-1, k-1)
	for i := max(1-lo, 0); i < min(len(mag), s.NX+1-lo); i++ {
		m := float64(smoke[lo+i-1])
		if m <= 0 {
			continue
		}
		for c := range 3 {
			sum.way[c] -= 2 * m * float64(s.way[0][c][o+i])
		}
		sum.stirred += 2 * m * float64(share*mag[i])
		sum.weight += m
	}
}

// noiseRow is a component of the noise along a row of the halo from cell i on.
func (t *stirring) noiseRow(d []float32, c, i, j, k int) {
	at := func(x float64) int { return int(math.Round(x)) }
	j, k = (j-at(t.Drift.Y))&stirMask, (k-at(t.Drift.Z))&stirMask
	row := t.room[c][(k*stirTile+j)*stirTile:][:stirTile]
	first := (i - at(t.Drift.X)) & stirMask
	for n := 0; n < len(d); {
		n += copy(d[n:], row[first:])
		first = 0
	}
}

// whirled adds to where points got what sub-grid turbulence moves them by, that of the voxel
// that they are in.
func (s *Solver) whirled(to [3][]float32, from [3][]float32) {
	h := &s.lay[onHalo]
	for i := range to[0] {
		x, y, z := from[0][i]-float32(s.Low[0]), from[1][i]-float32(s.Low[1]), from[2][i]-float32(s.Low[2])
		m := h.Index(clampInt(int(x), s.NX-1)+1, clampInt(int(y), s.NY-1)+1, clampInt(int(z), s.NZ-1)+1)
		for c := range to {
			to[c][i] -= 2 * (s.stirs.way[0][c][m] - s.way[0][c][m])
		}
	}
}
