package vec

import (
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// with runs fn with every set of kernels that this processor has.
func with(fn func(s Set)) {
	was := Chosen
	defer func() { Chosen = was }()
	for _, s := range Sets() {
		Chosen = s
		fn(s)
	}
}

// values are n random values; some are what arithmetic trips over.
func values(rng *rand.Rand, n int) []float32 {
	odd := []float32{0, float32(math.Copysign(0, -1)), float32(math.Inf(1)), float32(math.Inf(-1)), float32(math.NaN()), 1e-42, -3e38}
	v := make([]float32, n)
	wild := rng.IntN(4) == 0
	for i := range v {
		v[i] = rng.Float32()*8 - 4
		if wild && rng.IntN(9) == 0 {
			v[i] = odd[rng.IntN(len(odd))]
		}
	}
	return v
}

// kernels run each exported kernel on rows of n values and return what it wrote.
var kernels = map[string]func(rng *rand.Rand, n int) []float32{
	"Blend": func(r *rand.Rand, n int) []float32 {
		dst := values(r, n)
		Blend(dst, values(r, n), values(r, n), values(r, n), values(r, n), &[4]float32{0.75, 0.25, -0.1, 3})
		return dst
	},
	"Led": func(r *rand.Rand, n int) []float32 {
		l := NewLattice(values(r, 60), 5, 4, 3, [3]float32{0.5, 0, -1.25})
		ways := [3][]float32{values(r, n+40), values(r, n+40), values(r, n+40)}
		var runs []Trail
		for to := 0; to < min(n, Batch); {
			m := min(min(n, Batch)-to, 1+r.IntN(40))
			runs = append(runs, Trail{int32(9 + to + r.IntN(20)), int32(m), int32(to), r.Float32() * 4, r.Float32() * 3, r.Float32() * 2})
			to += m
		}
		s, at, step := new(Spots), new(Three), r.IntN(10)
		l.Led(s, at, &ways, step, runs)
		var out []float32
		for c := range at {
			out = append(append(out, at[c][:s.n]...), s.w[c][:s.n]...)
		}
		for _, c := range s.cells[:s.n] {
			out = append(out, float32(c))
		}
		again := new(Spots)
		l.Led(again, nil, &ways, step, runs)
		for i, c := range again.cells[:s.n] {
			out = append(out, float32(c), again.w[0][i], again.w[1][i], again.w[2][i])
		}
		by := Three{}
		for c := range by {
			copy(by[c][:], values(r, n))
		}
		l.Ahead(again, &by, -0.3, runs)
		for i, c := range again.cells[:s.n] {
			out = append(out, float32(c), again.w[0][i], again.w[1][i], again.w[2][i])
		}
		Depart(&ways, at, 0.7, runs)
		return append(append(append(out, ways[0]...), ways[1]...), ways[2]...)
	},
	"Rates": func(r *rand.Rand, n int) []float32 {
		n = min(n&^(Lanes-1), Batch)
		var v, u, a Three
		for c := range 3 {
			copy(v[c][:], values(r, n))
			copy(u[c][:], values(r, n))
			copy(a[c][:], values(r, n))
		}
		k := make([]float32, n)
		(&Slowing{1.2, 1.8e-5, 0.01}).Rates(k, values(r, n), values(r, n), &v, &u, &a)
		return k
	},
	"Fading": func(r *rand.Rand, n int) []float32 {
		n &^= Lanes - 1
		left, mean, rise := make([]float32, n), make([]float32, n), make([]float32, n)
		Fading(left, mean, rise, values(r, n), 0.7)
		return append(append(left, mean...), rise...)
	},
	"Carried": func(r *rand.Rand, n int) []float32 {
		n &^= Lanes - 1
		next, along := make([]float32, n), make([]float32, n)
		Carried(next, along, values(r, n), values(r, n), values(r, n), values(r, n), values(r, n), values(r, n), 0.3)
		return append(next, along...)
	},
	"Move": func(r *rand.Rand, n int) []float32 {
		p := values(r, n)
		Move(p, values(r, n), 0.3)
		return p
	},
	"Leeway": func(r *rand.Rand, n int) []float32 {
		off := values(r, n)
		Leeway(off, values(r, n), values(r, n), values(r, n), 0.3, -0.5, 0.25, 0.01)
		return off
	},
	"Largest": func(r *rand.Rand, n int) []float32 {
		top, odd := Largest(values(r, n))
		return []float32{top, flag(odd)}
	},
	"Outside": func(r *rand.Rand, n int) []float32 {
		row := values(r, n)
		if r.IntN(2) == 0 { // mostly within, so that both answers come up
			for i := range row {
				row[i] = row[i]/8 + 0.5
			}
			if n > 0 && r.IntN(2) == 0 {
				row[r.IntN(n)] = []float32{-1e-9, 1.0001}[r.IntN(2)]
			}
		}
		return []float32{flag(Outside(row, 1))}
	},
	"Enter": func(r *rand.Rand, n int) []float32 {
		out := values(r, 3*n)
		b := NewSides([3]float32{2, 1.5, 2.5}, [6]bool{r.IntN(2) == 0, r.IntN(2) == 0, true, false, r.IntN(2) == 0, r.IntN(2) == 0})
		Enter(out[:n], out[n:2*n], out[2*n:], values(r, n), values(r, n), values(r, n), &b, 7)
		return out
	},
	"WideResidual": func(r *rand.Rand, n int) []float32 {
		n &^= 15
		sy, sz := n+16+r.IntN(9), 3*n+60+r.IntN(9)
		x, res, diag := values(r, 2*sz+n), values(r, n), values(r, n)
		var y []float32
		if r.IntN(2) == 0 {
			y = values(r, 2*sz+n)
		}
		for i := range diag {
			if r.IntN(3) == 0 {
				diag[i] = 0
			}
		}
		wide := Wide{X: x, Y: y, O: sz, SY: sy, SZ: sz}
		if r.IntN(2) == 0 {
			return append(res, both(WideResidual(res, &wide, values(r, n), diag))...)
		}
		w := [3][]float32{values(r, 2*sz+n), values(r, 2*sz+n), values(r, 2*sz+n)}
		return append(res, both(WideCutResidual(res, &wide, values(r, n), diag, w))...)
	},
	"Lattice": func(r *rand.Rand, n int) []float32 {
		nx, ny, nz := 1+r.IntN(6), 1+r.IntN(6), 1+r.IntN(6)
		l := NewLattice(values(r, nx*ny*nz), nx, ny, nz, [3]float32{0.5, 0, -1.25})
		x, y, z := values(r, n), values(r, n), values(r, n)
		for i := range x {
			x[i], y[i] = x[i]+3, y[i]+3
		}
		if r.IntN(4) > 0 { // rows that are followed, more or less
			nx = 14 + r.IntN(40)
			l = NewLattice(values(r, nx*ny*nz), nx, ny, nz, [3]float32{0.5, 0, -1.25})
			begin, stride, calm := float32(r.IntN(50)-5), []float32{1, 1, 0.3, -1, 2.5}[r.IntN(5)], []float32{0, 0.02, 0.2, 1}[r.IntN(4)]
			for i := range x {
				x[i], y[i], z[i] = begin+stride*float32(i)+calm*(x[i]-3), 1.9+calm*(y[i]-3), 1.2+calm*z[i]
			}
		}
		out := make([]float32, 4*n)
		l.Sample(out[:n], x, y, z)
		l.SampleRange(out[n:2*n], out[2*n:3*n], out[3*n:], x, y, z)
		n = min(n, Batch)
		f, s := values(r, n), new(Spots)
		l.Locate(s, x[:n], y[:n], z[:n])
		from := 0
		if n > 0 {
			from = r.IntN(n)
		}
		l.Correct(f[from:], values(r, n), values(r, n), values(r, n), s, from)
		l.At(f[:from], s, 0)
		return append(out, f...)
	},
}

func flag(b bool) float32 {
	if b {
		return 1
	}
	return 0
}

// same holds every set's result against the reference's, bit by bit; what is no
// number may be any of them.
func same(name string, seed uint64, n int) error {
	var want []float32
	var err error
	with(func(s Set) {
		got := kernels[name](rand.New(rand.NewPCG(seed, uint64(n))), n)
		if s == Plain {
			want = got
			return
		}
		for i, v := range got {
			if math.Float32bits(v) != math.Float32bits(want[i]) && !(v != v && want[i] != want[i]) && err == nil {
				err = fmt.Errorf("%s of %d values, seed %d: value %d is %v with %s, %v plain", name, n, seed, i, v, s, want[i])
			}
		}
	})
	return err
}

func TestKernelsGiveTheSameBits(t *testing.T) {
	if len(Sets()) == 1 {
		t.Skip("this processor has no vector kernels")
	}
	for name := range kernels {
		for n := range 70 {
			for seed := range uint64(12) {
				if err := same(name, seed, n); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
}

func FuzzKernels(f *testing.F) {
	var names []string
	for name := range kernels {
		names = append(names, name)
		f.Add(name, uint64(1), uint16(33))
	}
	f.Fuzz(func(t *testing.T, name string, seed uint64, n uint16) {
		if kernels[name] == nil {
			t.Skip()
		}
		if err := same(name, seed, int(n%2048)); err != nil {
			t.Fatal(err)
		}
	})
}

// A kernel that gets a row too short panics in every set, even where the row's
// capacity would hold what is asked for; so it does with rows of no whole block.
func TestShortRowsPanic(t *testing.T) {
	long := func() []float32 { return make([]float32, 32, 64) }
	short := make([]float32, 16, 64)
	row := make([]float32, 300)
	cube := NewLattice(row, 4, 4, 4, [3]float32{})
	calls := map[string]func(){
		"Blend":          func() { Blend(long(), long(), short, long(), long(), &[4]float32{}) },
		"Fold rows":      func() { Fold(long(), make([]float32, 120), 3, 16, 8, 16, &[4]float32{}) },
		"Fold source":    func() { Fold(long(), make([]float32, 79), 2, 16, 16, 16, &[4]float32{}) },
		"Enter lo":       func() { Enter(long(), short, long(), long(), long(), long(), &Sides{}, 0) },
		"Enter z":        func() { Enter(long(), long(), long(), long(), long(), short, &Sides{}, 0) },
		"At":             func() { cube.At(long(), spotted(&cube), 1) },
		"AtRange hi":     func() { cube.AtRange(long(), long(), short, spotted(&cube), 0) },
		"Led ways":       func() { cube.Led(new(Spots), nil, &[3][]float32{long(), long(), short}, 0, []Trail{{N: 32}}) },
		"Led before":     func() { cube.Led(new(Spots), nil, &[3][]float32{long(), long(), long()}, 1, []Trail{{N: 31}}) },
		"Led many":       func() { cube.Led(new(Spots), nil, &[3][]float32{row, row, row}, 0, slices.Repeat([]Trail{{N: 64}}, 9)) },
		"Depart":         func() { Depart(&[3][]float32{long(), long(), short}, new(Three), 1, []Trail{{N: 32}}) },
		"Depart before":  func() { Depart(&[3][]float32{row, row, row}, new(Three), 1, []Trail{{From: -1, N: 32}}) },
		"Ahead many":     func() { cube.Ahead(new(Spots), new(Three), 0, slices.Repeat([]Trail{{N: 64}}, 9)) },
		"Correct lo":     func() { cube.Correct(long(), long(), short, long(), spotted(&cube), 0) },
		"Correct f":      func() { cube.Correct(long(), long(), long(), long(), spotted(&cube), -1) },
		"Locate y":       func() { cube.Locate(new(Spots), long(), short, long()) },
		"Locate many":    func() { cube.Locate(new(Spots), make([]float32, 513), make([]float32, 513), make([]float32, 513)) },
		"Sample x":       func() { cube.Sample(long(), short, long(), long()) },
		"Sample z":       func() { cube.Sample(long(), long(), long(), short) },
		"SampleRange lo": func() { cube.SampleRange(long(), short, long(), long(), long(), long()) },
		"SampleRange hi": func() { cube.SampleRange(long(), long(), short, long(), long(), long()) },
		"WideResidual b": func() { WideResidual(long(), &Wide{make([]float32, 200), nil, 70, 40, 60}, short, long()) },
		"WideResidual z": func() { WideResidual(long(), &Wide{make([]float32, 160), nil, 70, 40, 60}, long(), long()) },
		"WideResidual y": func() {
			WideResidual(long(), &Wide{make([]float32, 200), make([]float32, 160), 70, 40, 60}, long(), long())
		},
		"WideResidual 0": func() { WideResidual(long(), &Wide{make([]float32, 200), nil, 50, 40, 60}, long(), long()) },
		"WideCutResidual w": func() {
			w := [3][]float32{make([]float32, 200), make([]float32, 160), make([]float32, 200)}
			WideCutResidual(long(), &Wide{make([]float32, 200), nil, 70, 40, 60}, long(), long(), w)
		},
		"Deepen row": func() {
			Deepen(long(), long(), long(), &[4][]float32{long(), long(), long(), short}, &[4]float32{}, 1, 1, 0)
		},
		"Deepen out": func() {
			Deepen(long(), short, long(), &[4][]float32{long(), long(), long(), long()}, &[4]float32{}, 1, 1, 0)
		},
		"Differ off":    func() { Differ(long(), Planes{row, 100, 64}, Planes{row, 20, 64}, 20, 0.5) },
		"Differ before": func() { Differ(long(), Planes{row, 20, 64}, Planes{row, 20, 64}, -21, 0.5) },
		"Part planes":   func() { Part(long(), Planes{row, 20, 64}, 6, 0) },
		"GatherLike gap": func() {
			GatherLike(long(), Planes{row, 0, 64}, Planes{row, 0, 64}, row, 20, 20, long(), long(), 0, 1)
		},
		"GatherLike in": func() {
			GatherLike(long(), Planes{row, 0, 64}, Planes{row, 40, 64}, row, 100, 40, long(), long(), 50, 1)
		},
		"Halve":         func() { Halve(short, long(), 1) },
		"short lattice": func() { NewLattice(row[:63], 4, 4, 4, [3]float32{}) },
		"empty lattice": func() { NewLattice(row, 4, 0, 4, [3]float32{}) },
	}
	maps.Copy(calls, shortRuns)
	with(func(s Set) {
		for what, call := range calls {
			func() {
				defer func() {
					if r := recover(); r == nil || !strings.HasPrefix(fmt.Sprint(r), "vec:") {
						t.Errorf("%s (%s): %v", what, s, r)
					}
				}()
				call()
			}()
		}
		cube.Sample(long(), long(), long(), long())
	})
}

// The kernels for AVX2 use nothing that only AVX-512 has: registers from 16 on,
// those of 512 bits, masks.
func TestAVX2KernelsAreAVX2(t *testing.T) {
	b, err := os.ReadFile("kernels_amd64.s")
	if err != nil {
		t.Fatal(err)
	}
	wide := regexp.MustCompile(`\b([XY](1[6-9]|2\d|3[01])|Z\d+|K\d)\b`)
	within, seen := "", 0
	for n, line := range strings.Split(string(b), "\n") {
		if strings.HasPrefix(line, "TEXT") {
			within = line
			seen += strings.Count(line, "AVX2")
		}
		if strings.Contains(within, "AVX2(") && !strings.HasPrefix(line, "//") && wide.MatchString(line) {
			t.Errorf("line %d, %s: %s", n+1, within, line)
		}
	}
	if seen != 93 {
		t.Errorf("%d kernels for AVX2", seen)
	}
}

// spotted are 32 spots in a lattice.
func spotted(l *Lattice) *Spots {
	s, x := new(Spots), make([]float32, 32)
	l.Locate(s, x, x, x)
	return s
}

func BenchmarkLattice(b *testing.B) {
	rng := rand.New(rand.NewPCG(1, 2))
	d := values(rng, 128*128*128)
	l := NewLattice(d, 128, 128, 128, [3]float32{})
	n := 1 << 14
	x, y, z, dst := make([]float32, n), make([]float32, n), make([]float32, n), make([]float32, n)
	for i := range x {
		x[i], y[i], z[i] = float32(i%128)+0.3, float32(i/128%128)+0.2, 60.4
	}
	with(func(s Set) {
		b.Run(s.String(), func(b *testing.B) {
			for b.Loop() {
				l.Sample(dst, x, y, z)
			}
			b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/float64(n), "ns/sample")
		})
	})
}
