package geom

import (
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"
)

// pair runs work on two threads.
func pair(n, _ int, fn func(lo, hi int)) {
	var wg sync.WaitGroup
	var next = make(chan int, n)
	for i := range n {
		next <- i
	}
	close(next)
	for range 2 {
		wg.Go(func() {
			for i := range next {
				fn(i, i+1)
			}
		})
	}
	wg.Wait()
}

func madeBody(m *Mesh, spacing float64, work Workers) (*Body, error) {
	b, err := NewBody(m, spacing)
	if err == nil {
		b.Fill(work)
	}
	return b, err
}

func TestMeshMakersAreClosed(t *testing.T) {
	for name, c := range map[string]struct {
		m            *Mesh
		area, volume float64
	}{
		"ball":   {BallMesh(1, 128), 4 * math.Pi, 4 * math.Pi / 3},
		"box":    {BoxMesh(V(1, 2, 3)), 22, 6},
		"cone":   {LatheMesh([][2]float64{{0, 0}, {1, 0}, {0, 2}}, 200), math.Pi * (1 + math.Sqrt(5)), 2 * math.Pi / 3},
		"washer": {LatheMesh([][2]float64{{1, 0}, {2, 0}, {2, 1}, {1, 1}, {1, 0}}, 200), 12 * math.Pi, 3 * math.Pi},
	} {
		r, err := c.m.Clean()
		if err != nil || r.OpenEdges != 0 || r.Turned {
			t.Errorf("%s: %+v %v", name, r, err)
		}
		if a, v := c.m.Area(), c.m.Volume(); math.Abs(a/c.area-1) > 2e-3 || math.Abs(v/c.volume-1) > 2e-3 {
			t.Errorf("%s: area %g, want %g; volume %g, want %g", name, a, c.area, v, c.volume)
		}
	}
}

func TestCleanNamesWhatIsWrong(t *testing.T) {
	bad := BoxMesh(V(1, 1, 1))
	bad.P[3].Y = math.NaN()
	if _, err := bad.Clean(); err == nil {
		t.Error("a NaN vertex was taken")
	}
	bad = BoxMesh(V(1, 1, 1))
	bad.Tri[5][1] = 99
	if _, err := bad.Clean(); err == nil {
		t.Error("an index beyond the vertices was taken")
	}
	flat := BoxMesh(V(1, 1, 1))
	flat.Tri = append(flat.Tri, [3]int32{0, 0, 1}, [3]int32{2, 3, 2})
	if r, err := flat.Clean(); err != nil || r.Degenerate != 2 || len(flat.Tri) != 12 {
		t.Errorf("%+v %v, %d faces", r, err, len(flat.Tri))
	}
	inside := BoxMesh(V(1, 1, 1))
	for n, f := range inside.Tri {
		inside.Tri[n] = [3]int32{f[0], f[2], f[1]}
	}
	if r, err := inside.Clean(); err != nil || !r.Turned || inside.Volume() < 0.99 {
		t.Errorf("%+v %v: volume %g", r, err, inside.Volume())
	}
	open := BoxMesh(V(1, 1, 1))
	open.Tri = open.Tri[2:]
	if r, err := open.Clean(); err != nil || r.OpenEdges != 4 {
		t.Errorf("a box without a side: %+v %v", r, err)
	}
	if _, err := (&Mesh{P: make([]Vec3, 3), Tri: [][3]int32{{0, 1, 2}}}).Clean(); err == nil {
		t.Error("a mesh without area was taken")
	}
}

// soup is a mesh of triangles anywhere.
func soup(n int) *Mesh {
	rng := rand.New(rand.NewPCG(5, 5))
	m := &Mesh{}
	for i := range n {
		c := V(rng.Float64(), rng.Float64(), rng.Float64())
		for range 3 {
			m.P = append(m.P, c.Add(V(rng.Float64(), rng.Float64(), rng.Float64()).Mul(0.1)))
		}
		m.Tri = append(m.Tri, [3]int32{int32(3 * i), int32(3*i + 1), int32(3*i + 2)})
	}
	return m
}

func TestTreeFindsWhatASearchOfAllFinds(t *testing.T) {
	m := soup(500)
	tree := NewTree(m)
	if ids := tree.ids(); len(ids) != 500 || ids[0] != 0 || ids[499] != 499 {
		t.Fatal("the tree lost triangles")
	}
	single := func(n int) *Tree { return NewTree(&Mesh{P: m.P, Tri: m.Tri[n : n+1]}) }
	rng := rand.New(rand.NewPCG(6, 6))
	for range 200 {
		p := V(rng.Float64()*2-0.5, rng.Float64()*2-0.5, rng.Float64()*2-0.5)
		d := V(rng.Float64()-0.5, rng.Float64()-0.5, rng.Float64()-0.5).Unit()
		near, first := math.Inf(1), math.Inf(1)
		for n := range m.Tri {
			one := single(n)
			near = min(near, one.Nearest(p, math.Inf(1)).T)
			first = min(first, one.Ray(p, d, 0, math.Inf(1)).T)
		}
		if h := tree.Nearest(p, math.Inf(1)); h.T != near || math.Abs(h.At.Dist(p)-near) > 1e-12 {
			t.Fatalf("nearest %g, want %g", h.T, near)
		}
		if h := tree.Ray(p, d, 0, math.Inf(1)); h.T != first {
			t.Fatalf("ray %g, want %g", h.T, first)
		}
	}
}

func TestTreeOfUnevenTriangles(t *testing.T) {
	// sizes over 12 powers of ten: the tree must not grow deeper than the
	// queries' stacks
	m := &Mesh{}
	for i := range 3000 {
		s := math.Pow(10, -float64(i)/250)
		m.P = append(m.P, V(s, 0, 0), V(s*1.001, 0, 0), V(s, s*0.001, 0))
		m.Tri = append(m.Tri, [3]int32{int32(3 * i), int32(3*i + 1), int32(3*i + 2)})
	}
	tree := NewTree(m)
	if d := tree.depth(); d > 60 {
		t.Errorf("%d levels", d)
	}
	if h := tree.Nearest(V(1e-9, 0, 1), 10); h.Tri < 0 {
		t.Error("nothing found")
	}
}

func TestBodyHoldsTheDistanceOfABall(t *testing.T) {
	m := BallMesh(1, 256)
	b, err := madeBody(m, 0.05, pair)
	if err != nil {
		t.Fatal(err)
	}
	rng := rand.New(rand.NewPCG(1, 9))
	for range 20000 {
		p := V(rng.Float64()*2.2-1.1, rng.Float64()*2.2-1.1, rng.Float64()*2.2-1.1)
		want := p.Len() - 1
		most := 0.02 // near the surface: interpolation and facets
		if math.Abs(want) > 0.07 {
			most = 0.15 // three spacings: the middle is a crease
		}
		if got := b.Distance(p); math.Abs(got-want) > most {
			t.Fatalf("%v: %g, want %g", p, got, want)
		}
	}
	if thin := m.Thickness(b.Tree()); b.Open != 0 || math.Abs(thin-2) > 0.1 {
		t.Errorf("open %d, thickness %g", b.Open, thin)
	}
	if d := b.Distance(V(5, 0, 0)); math.Abs(d-4) > 0.1 {
		t.Errorf("far away: %g", d)
	}
}

func TestBodyIsTheSameOnAnyNumberOfThreads(t *testing.T) {
	m := soup(300)
	a, _ := madeBody(m, 0.02, Alone)
	b, _ := madeBody(m, 0.02, pair)
	if !slices.Equal(a.Dist, b.Dist) || !slices.Equal(a.near, b.near) {
		t.Error("distances differ with the number of threads")
	}
}

func TestBodyBandIsExact(t *testing.T) {
	m := soup(80)
	b, _ := madeBody(m, 0.03, pair)
	exact, banded := 0, 0
	for k := range b.N[2] {
		for j := range b.N[1] {
			for i := range b.N[0] {
				n := b.index(i, j, k)
				want := b.Tree().Nearest(b.point(i, j, k), math.Inf(1)).T
				got := math.Abs(float64(b.Dist[n]))
				if want < 1.499*b.H {
					banded++
					if math.Abs(got-want) < 1e-5 {
						exact++
					}
				} else if math.Abs(got-want) > 3*b.H {
					t.Fatalf("far point %g, want %g", got, want)
				}
			}
		}
	}
	if banded == 0 || exact != banded {
		t.Errorf("%d of %d points in the band are exact", exact, banded)
	}
}

func TestBodyInsideOfCavitiesOverlapsAndHoles(t *testing.T) {
	// a hollow ball: the inner shell looks inwards
	hollow := BallMesh(1, 64)
	inner := BallMesh(0.6, 64)
	for n, f := range inner.Tri {
		inner.Tri[n] = [3]int32{f[0], f[2], f[1]}
	}
	hollow.Append(inner)
	b, _ := madeBody(hollow, 0.05, pair)
	for _, c := range []struct {
		p  Vec3
		in bool
	}{{V(0, 0, 0), false}, {V(0.8, 0, 0), true}, {V(0, -0.8, 0), true}, {V(0, 0, 1.1), false}} {
		if d := b.Distance(c.p); (d < 0) != c.in {
			t.Errorf("hollow ball at %v: %g", c.p, d)
		}
	}
	// two balls that run into each other are one solid
	two := BallMesh(1, 64)
	two.Append(BallMesh(1, 64).Move(V(1, 0, 0), 1))
	b, _ = madeBody(two, 0.05, pair)
	if d := b.Distance(V(0.5, 0, 0)); d > 0 {
		t.Errorf("where both overlap: %g", d)
	}
	// a ball with a few faces missing still has an inside
	torn := BallMesh(1, 64)
	torn = torn.Take(func(n int) bool { return n%97 != 0 })
	b, _ = madeBody(torn, 0.05, pair)
	wrong := 0
	for k := range b.N[2] {
		for j := range b.N[1] {
			for i := range b.N[0] {
				p := b.point(i, j, k)
				if d := p.Len() - 1; math.Abs(d) > 0.1 && (d < 0) != (b.Dist[b.index(i, j, k)] < 0) {
					wrong++
				}
			}
		}
	}
	if share := float64(wrong) / float64(len(b.Dist)); share > 0.005 {
		t.Errorf("%.2f %% of the points round a torn ball have the wrong sign", 100*share)
	}
}

func TestBodyCarriesMotionAndWeight(t *testing.T) {
	m := BoxMesh(V(1, 1, 1))
	b, _ := madeBody(m, 0.1, Alone)
	shift := &Mesh{P: make([]Vec3, len(m.P)), Tri: m.Tri}
	b.Weight = make([]float32, len(m.P))
	for n, p := range m.P {
		shift.P[n] = p.Sub(V(p.Y, 0, 0)) // it sheared along x
		b.Weight[n] = float32(p.X + 0.5)
	}
	was, _ := NewBody(shift, 0.1)
	if now, then := b.Came(was, V(0.52, 0.25, 0)); now.Sub(then).Dist(V(0.25, 0, 0)) > 1e-9 || !b.SameFaces(was) {
		t.Errorf("it came from %v to %v", then, now)
	}
	if h, n := b.Ray(V(5, 0.2, 0.1), V(-1, 0, 0), 0, 10); h.Tri < 0 || math.Abs(h.T-4.5) > 1e-9 || n.Dist(V(1, 0, 0)) > 1e-9 {
		t.Errorf("ray %+v, normal %v", h, n)
	}
	if w := b.Share(V(0.25, 0.55, 0)); math.Abs(w-0.75) > 1e-9 {
		t.Errorf("weight %g", w)
	}
	if w := b.Share(V(0, 3, 0)); math.Abs(w-0.5) > 1e-9 {
		t.Errorf("weight far away %g", w)
	}
}

func TestBodyLattice(t *testing.T) {
	b, err := madeBody(BoxMesh(V(100, 100, 100)), 0.01, Alone)
	if err != nil || !b.Limited || b.N[0]*b.N[1]*b.N[2] > MaxLattice {
		t.Errorf("%v, limited %v, %v points", err, b.Limited, b.N)
	}
	if _, err := NewBody(&Mesh{}, 1); err == nil {
		t.Error("an empty mesh was taken")
	}
}

// BenchmarkBody is the goal's case: a closed mesh of 100 k triangles, 128
// lattice points across.
func BenchmarkBody(b *testing.B) {
	m := BallMesh(1, 318)
	b.Logf("%d triangles", len(m.Tri))
	for b.Loop() {
		begin := time.Now()
		body, err := madeBody(m, 2.0/128, pair)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(body.Dist))/time.Since(begin).Seconds(), "points/s")
	}
}

// Shards and stones are closed, face outwards, hold about their middle, and differ.
func TestShardsAndStonesAreClosed(t *testing.T) {
	seen := map[Vec3]bool{}
	for n := range 8 {
		for _, m := range []*Mesh{SplinterMesh(n), StoneMesh(n)} {
			size := m.Bounds().Size()
			if m.OpenEdges() != 0 || m.Volume() < 0.005 || size.MaxComponent() < 0.6 || size.MaxComponent() > 1.2 || m.Bounds().Centre().Len() > 0.15 {
				t.Errorf("%d: %d open edges, %.3f m³, %v about %v", n, m.OpenEdges(), m.Volume(), size, m.Bounds().Centre())
			}
			if seen[size] {
				t.Errorf("%d is like another", n)
			}
			seen[size] = true
		}
	}
}

// A short way meets the same triangle at the same place as a ray of that length does.
func TestShortWaysMeetWhatRaysDo(t *testing.T) {
	m := StoneMesh(3)
	tree := NewTree(m)
	hits := 0
	for n := range 4000 {
		a, b := 0.7*float64(n), 1.3*float64(n)
		o := V(0.6*math.Sin(a), 0.6*math.Cos(b), 0.6*math.Sin(a+2*b))
		dir := V(math.Cos(3*a), math.Sin(2*b), math.Cos(a-b)).Unit()
		far := 0.02 + 0.3*float64(n%7)/7
		want, got := tree.Ray(o, dir, 0, far), tree.Short(o, dir, far)
		if (want.Tri < 0) != (got.Tri < 0) || want.Tri >= 0 && want.T != got.T {
			t.Fatalf("way %d: a ray meets %d at %g, a short way %d at %g", n, want.Tri, want.T, got.Tri, got.T)
		}
		if got.Tri >= 0 {
			hits++
		}
	}
	if hits < 100 || hits > 3900 {
		t.Errorf("%d of 4,000 ways meet it", hits)
	}
}
