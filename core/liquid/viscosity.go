package liquid

// Viscosity as a minimisation, which puts free surfaces and walls right without
// treating them: where there is no liquid there is no term, and what is inside a
// solid is known. All three components hang together through the shears, so it is
// one system of about three unknowns a cell, symmetric and positive definite.

import "math"

// element is one part of the rate of strain: the sum of coef·u over up to four
// faces and known, weighted by w.
type element struct {
	face  [4]int32 // unknowns; −1 where the velocity is known
	coef  [4]float32
	known float32
	w     float32
}

// touch says in which element, and as which of its faces, a face counts.
type touch struct {
	element int32
	slot    int8
}

// stress is the variational system of viscosity (Batty and Bridson 2008): the
// velocity that makes
//
//	½ Σ V_u (u − u*)² + ν·dt/h² (Σ V_c Δu_a² + ½ Σ V_e γ²)
//
// least, where Δ are differences over a voxel, γ the shear at edges of cells,
// and V the shares of liquid round faces, cells and edges. Where no liquid is,
// nothing is added, which leaves the surface free of stress; in solids the
// velocity is theirs, so that the liquid sticks to them.
type stress struct {
	// Unknowns are numbered as the walk meets them; faces in air or solids have
	// none.
	index [3][]int32 // unknown of each face, plus one
	vol   []float32  // V_u
	x, b  []float32
	el    []element
	// A face counts in at most six strains: two stretches along its own axis and
	// four shears at its edges. So the transposed matrix is a table of fixed width.
	at    [][6]touch
	count []int8
	strn  []float32
	diag  []float32
}

// share is how much of a voxel round a place is liquid, from its distance.
func share(phi float32) float32 { return min(max(0.5-phi, 0), 1) }

// thicken applies viscosity for dt: nu is ν·dt/h².
// nu over 1e3 makes honey stand still within a step; the system stays solvable, as
// the volumes on its diagonal bound it from below.
func (s *Solver) thicken(nu float32, tol float64, most int) (iterations int) {
	// The system is never assembled: A x = V x + Bᵀ W B x, with B the strains of
	// elements, is applied as two sparse passes.
	m := s.gatherStress(nu)
	n := len(m.x)
	if n == 0 {
		return 0
	}
	// starts from u*, which for thin liquids is nearly the answer
	iterations = s.solveStress(m, tol, most)
	for a := range 3 {
		for f, r := range m.index[a] {
			switch {
			case r > 0:
				s.u[a].Data[f] = m.x[r-1]
			case s.solid.any && s.w[a].Data[f] > 0 && s.buried(a, f%s.u[a].NX, f/s.u[a].NX%s.u[a].NY, f/(s.u[a].NX*s.u[a].NY)):
				s.u[a].Data[f] = s.solid.vel[a].Data[f]
			}
		}
	}
	return iterations
}

// around is the mean distance over cells that aren't solid among those round a
// place: cells at (i,j,k) less up to one along two axes.
func (s *Solver) around(i, j, k, a, b int) (phi float32, ok bool) {
	// an edge has four cells round it, a face two (a == b), of which those in solids
	// tell nothing about liquid
	var sum, count float32
	for c := range 4 {
		at := [3]int{i, j, k}
		at[a] -= c & 1
		at[b] -= c >> 1
		if at[0] < 0 || at[1] < 0 || at[2] < 0 || at[0] >= s.NX || at[1] >= s.NY || at[2] >= s.NZ {
			continue
		}
		n := s.Index(at[0], at[1], at[2])
		if s.solid.room.Data[n] < 0.3 {
			continue
		}
		sum, count = sum+s.phi.Data[n], count+1
	}
	if count == 0 {
		return 1, false
	}
	return sum / count, true
}

// gatherStress sets up the system of an implicit step: the faces whose velocity
// is unknown, with the liquid about each, and the stresses, one to each pair of
// faces that slide past each other, with the volume that it acts in (Batty and
// Bridson 2008). Solids' faces are known.
//
// unknown numbers a face when it is first met, so that faces without liquid about
// them never get a row. Two walks could count first and save the appends; the
// numbering would then have to be told twice.
func (s *Solver) gatherStress(nu float32) *stress {
	m := &stress{}
	for a := range 3 {
		m.index[a] = make([]int32, len(s.u[a].Data))
	}
	unknown := func(a, i, j, k int) (id int32, known float32) {
		f := s.u[a]
		if i < 0 || j < 0 || k < 0 || i >= f.NX || j >= f.NY || k >= f.NZ {
			return -1, 0
		}
		n := f.Index(i, j, k)
		// Known: a wall's own velocity. buried catches faces that are open in part
		// but whose middle, where the velocity lives, is inside.
		if s.solid.open[a].Data[n] < closed || s.buried(a, i, j, k) {
			return -1, s.solid.vel[a].Data[n]
		}
		if m.index[a][n] == 0 {
			phi, _ := s.around(i, j, k, a, a)
			// V_u: liquid in the voxel round the face; the more, the more inertia
			vol := share(phi)
			if at := [3]int{i, j, k}[a]; at == 0 || at == [3]int{s.NX, s.NY, s.NZ}[a] {
				vol *= 0.5 // the other half lies outside
			}
			m.vol = append(m.vol, vol)
			m.x = append(m.x, f.Data[n])
			m.at = append(m.at, [6]touch{})
			m.count = append(m.count, 0)
			m.index[a][n] = int32(len(m.x))
		}
		return m.index[a][n] - 1, 0
	}
	add := func(e element) {
		id := int32(len(m.el))
		any := false
		for slot, f := range e.face {
			// the transposed entry, so that force can gather without searching
			if f >= 0 && e.coef[slot] != 0 {
				m.at[f][m.count[f]] = touch{id, int8(slot)}
				m.count[f]++
				any = true
			}
		}
		if any {
			m.el = append(m.el, e)
		}
	}
	for k := range s.NZ + 1 {
		for j := range s.NY + 1 {
			for i := range s.NX + 1 {
				if i < s.NX && j < s.NY && k < s.NZ {
					s.stretch(i, j, k, nu, unknown, add)
				}
				// the three edges that start at this corner
				for _, ab := range [3][2]int{{0, 1}, {0, 2}, {1, 2}} {
					s.shear(i, j, k, ab[0], ab[1], nu, unknown, add)
				}
			}
		}
	}
	return m
}

// stretch adds the three strains along the axes of a cell.
// Its weight is twice that of a shear, as in ½ Σ τ : ε the diagonal stands once and
// each off-diagonal pair twice.
func (s *Solver) stretch(i, j, k int, nu float32, unknown func(a, i, j, k int) (int32, float32), add func(element)) {
	v := share(s.phi.At(i, j, k))
	if v == 0 {
		return
	}
	stiff := float32(1)
	if s.stiff != nil {
		stiff = s.stiff[s.Index(i, j, k)]
	}
	for a := range 3 {
		if s.Flat && a == 2 {
			continue
		}
		// τ_aa = 2 μ ∂u_a/∂a: the difference of a cell's two faces
		up := [3]int{i, j, k}
		up[a]++
		f0, k0 := unknown(a, i, j, k)
		f1, k1 := unknown(a, up[0], up[1], up[2])
		add(element{face: [4]int32{f0, f1, -1, -1}, coef: [4]float32{-1, 1}, known: k1 - k0, w: 2 * nu * v * stiff})
	}
}

// shear adds the strain ∂u_a/∂b + ∂u_b/∂a at the edge that starts at corner
// (i,j,k), along the third axis. Where one of two faces lies in a solid, the
// solid begins at a share θ of the way between them: the difference is over θ,
// and counts over θ of the voxel.
func (s *Solver) shear(i, j, k, a, b int, nu float32, unknown func(a, i, j, k int) (int32, float32), add func(element)) {
	c := 3 - a - b
	at := [3]int{i, j, k}
	if n := [3]int{s.NX, s.NY, s.NZ}; at[c] >= n[c] || (s.Flat && c != 2) {
		return
	}
	phi, ok := s.around(i, j, k, a, b)
	v := share(phi)
	if !ok || v == 0 {
		return
	}
	// τ_ab = μ (∂u_a/∂b + ∂u_b/∂a): four faces round the edge
	e := element{face: [4]int32{-1, -1, -1, -1}, w: nu * v * s.stiffness(i, j, k, a, b)}
	for side, ab := range [2][2]int{{a, b}, {b, a}} {
		lo := at
		lo[ab[1]]--
		if x := ab[1]; at[x] == 0 && s.Open[2*x] || at[x] == [3]int{s.NX, s.NY, s.NZ}[x] && s.Open[2*x+1] {
			e.w *= 0.5 // beyond an open side it goes on as it is
			continue
		}
		f0, k0 := unknown(ab[0], lo[0], lo[1], lo[2])
		f1, k1 := unknown(ab[0], at[0], at[1], at[2])
		// As the ghost-fluid way does for pressure, the wall is put where it is and
		// not at the next face: drag in a pipe converges in second order instead of
		// first.
		theta := float32(1)
		if (f0 < 0) != (f1 < 0) {
			theta = s.toWall(ab[0], ab[1], lo, at, f0 < 0)
			e.w *= theta
		}
		e.face[2*side], e.face[2*side+1] = f0, f1
		e.coef[2*side], e.coef[2*side+1] = -1/theta, 1/theta
		e.known += (k1 - k0) / theta
	}
	add(e)
}

// clearance is how far the middle of a face lies from solids, in voxels.
func (s *Solver) clearance(a int, at [3]int) float32 {
	x := [3]float32{float32(at[0]) + 0.5, float32(at[1]) + 0.5, float32(at[2]) + 0.5}
	x[a] -= 0.5
	d, _ := s.depth(&x)
	return d
}

// buried reports a face whose middle lies in a solid, though it may be open in
// part.
func (s *Solver) buried(a, i, j, k int) bool {
	return s.solid.any && s.clearance(a, [3]int{i, j, k}) < 0
}

// toWall is the share of the way from a face in the liquid to one in a solid,
// at lo and hi, at which the solid begins; low says which of them is in it.
func (s *Solver) toWall(a, b int, lo, hi [3]int, low bool) float32 {
	n := [3]int{s.NX, s.NY, s.NZ}[b]
	if lo[b] < 0 || hi[b] >= n {
		return 0.5 // a side of the box
	}
	if !s.solid.any {
		return 1
	}
	in, out := s.clearance(a, hi), s.clearance(a, lo) // in the liquid, in the solid
	if !low {
		in, out = out, in
	}
	if in <= 0 || out >= 0 {
		return 1
	}
	// 0.25: a wall all but on the face would make the system as stiff as you like
	return min(max(in/(in-out), 0.25), 1)
}

// solveStress finds the velocities by conjugate gradients: stresses are the rates
// of strain times twice the viscosity, weighed by volumes; solids hold theirs.
//
// It works on faces' velocities directly, in m/s. tol is relative to the momentum.
// Known faces (solids') move to the right side by the elements' known parts. It
// gives the iterations that were taken.
func (s *Solver) solveStress(m *stress, tol float64, most int) int {
	n := len(m.x)
	// Plain CG with the diagonal before it. With ν·dt/h² up to a few hundred it
	// takes some tens of iterations; thick honey more, and most bounds it.
	vec := func() []float32 { return make([]float32, n) }
	m.b, m.diag, m.strn = vec(), vec(), make([]float32, len(m.el))
	// B x, weighted: one number an element, written once and gathered by its faces
	strain := func(x []float32, withKnown bool) {
		s.crew.For(len(m.el), 4096, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				e := &m.el[i]
				var sum float32
				for c, f := range e.face {
					if f >= 0 {
						sum += e.coef[c] * x[f]
					}
				}
				if withKnown {
					sum += e.known
				}
				m.strn[i] = e.w * sum
			}
		})
	}
	// row f of Bᵀ: sums in a fixed order, whatever the thread
	force := func(f int) (sum float32) {
		for _, t := range m.at[f][:m.count[f]] {
			sum += m.el[t.element].coef[t.slot] * m.strn[t.element]
		}
		return sum
	}
	r, p, q, z := vec(), vec(), vec(), vec()
	strain(m.x, true)
	s.crew.For(n, 4096, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			r[i] = -force(i) // u starts as u*, so V(u − u*) = 0
			d := m.vol[i]
			for _, t := range m.at[i][:m.count[i]] {
				e := &m.el[t.element]
				d += e.coef[t.slot] * e.coef[t.slot] * e.w
			}
			m.diag[i] = max(d, 1e-6)
		}
	})
	norm := math.Sqrt(dot(s.crew, r, r))
	if norm == 0 {
		return 0
	}
	// what the residual is held against: the momentum, or the force at the start
	// Relative to the momentum and not to the first residual: where nothing shears,
	// the residual is rounding, and no iteration would bring it down.
	mass := 0.0
	for i, v := range m.vol {
		mass += float64(v*m.x[i]) * float64(v*m.x[i])
	}
	goal := tol * max(math.Sqrt(mass), norm*1e-3)
	var rho float64
	for it := range most {
		for i := range z {
			z[i] = r[i] / m.diag[i]
		}
		last := rho
		rho = dot(s.crew, r, z)
		if it == 0 {
			copy(p, z)
		} else {
			beta := float32(rho / last)
			for i := range p {
				p[i] = z[i] + beta*p[i]
			}
		}
		strain(p, false)
		s.crew.For(n, 4096, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				q[i] = m.vol[i]*p[i] + force(i)
			}
		})
		// not positive only by rounding, once the residual is nothing
		pq := dot(s.crew, p, q)
		if !(pq > 0) {
			return it
		}
		alpha := float32(rho / pq)
		for i := range p {
			m.x[i] += alpha * p[i]
			r[i] -= alpha * q[i]
		}
		if math.Sqrt(dot(s.crew, r, r)) < goal {
			return it + 1
		}
	}
	return most
}
