package stage

import (
	"math"
	"strings"
	"testing"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// foreign is a file as others may write it: z up, channels under other names,
// velocity in three parts, kelvin, a transform that mirrors an axis.
func foreign() *frame.Frame {
	n := [3]int{12, 8, 8}
	grid := func(name string, value func(i, j, k int) float32) *frame.Grid {
		v := make([]float32, n[0]*n[1]*n[2])
		for c := range v {
			v[c] = value(c%12, c/12%8, c/96)
		}
		g := frame.FromDense(name, [3]int{-4, 0, 0}, n, [][]float32{v}, 0, 0, nil)
		g.Transform = frame.Uniform(0.5, [3]float64{1, 2, 3})
		g.Transform.M[0][0] = -0.5 // x runs the other way
		return g
	}
	one := func(v float32) func(i, j, k int) float32 {
		return func(i, j, k int) float32 {
			if i == 5 && j == 3 && k == 2 {
				return v
			}
			return 0
		}
	}
	return &frame.Frame{Grids: []*frame.Grid{grid("Rauch", one(0.7)), grid("T", one(593)), grid("speed_x", one(1)), grid("speed_y", one(2)), grid("speed_z", one(3)), grid("other", one(1))}}
}

// A source takes the motion of voxels wider than its own, between theirs.
func TestSourcesMoveByCoarserVoxels(t *testing.T) {
	fill := func(name string, h float64, n int, comps ...func(x, y, z float64) float64) *frame.Grid {
		data := make([][]float32, len(comps))
		for c, fn := range comps {
			data[c] = make([]float32, n*n*n)
			for i := range data[c] {
				data[c][i] = float32(fn((float64(i%n)+0.5)*h, (float64(i/n%n)+0.5)*h, (float64(i/n/n)+0.5)*h))
			}
		}
		g := frame.FromDense(name, [3]int{}, [3]int{n, n, n}, data, 0, 0, nil)
		g.Transform = frame.Uniform(h, [3]float64{h / 2, h / 2, h / 2})
		return g
	}
	one := func(x, y, z float64) float64 { return 1 }
	f := &frame.Frame{Grids: []*frame.Grid{fill(frame.Density, 0.1, 32, one),
		fill(frame.Velocity, 0.2, 16, func(x, y, z float64) float64 { return 3 * x }, func(x, y, z float64) float64 { return y - z }, one)}}
	src, err := sourceOf(f, frame.Density)
	if err != nil {
		t.Fatal(err)
	}
	at := geom.V(1.23, 0.71, 2.05)
	if share, v := src.At(at); share != 1 || v.Dist(geom.V(3*at.X, at.Y-at.Z, 1)) > 1e-4 {
		t.Errorf("at %v: %g, moving by %v", at, share, v)
	}
}

func TestNormaliseReadsNamesAxesAndUnits(t *testing.T) {
	s := shot.New("x")
	e := s.Add(shot.Sequence)
	if _, _, err := Normalise(foreign(), e, 293, 24); err == nil || !strings.Contains(err.Error(), "Rauch, T, speed_x") {
		t.Errorf("nothing known: %v", err)
	}
	val.DensityFrom.Set(e, "Rauch")
	val.TemperatureFrom.Set(e, "T")
	val.VelocityFrom.Set(e, "speed")
	val.Axes.Set(e, "z-up")
	val.HeatIs.Set(e, "kelvin")
	val.VelocityIs.Set(e, "frame")
	f, left, err := Normalise(foreign(), e, 293, 24)
	if err != nil {
		t.Fatal(err)
	}
	if len(left) != 1 || left[0] != "other" {
		t.Errorf("left %v", left)
	}
	// the voxel at index (1,3,2): x = 1 − 0.5, y = 2 + 1.5, z = 3 + 1 → ours x, z, −y
	want := [3]float64{0.5, 4, -3.5}
	for _, g := range f.Grids {
		found := 0
		for _, l := range g.Leaves {
			for v := range 512 {
				if !l.Active.On(v) {
					continue
				}
				found++
				p := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(v>>6), float64(l.Origin[1]) + float64(v>>3&7), float64(l.Origin[2]) + float64(v&7)})
				for a := range p {
					if math.Abs(p[a]-want[a]) > 1e-9 {
						t.Fatalf("%s lies at %v, %v expected", g.Name, p, want)
					}
				}
				switch g.Name {
				case frame.Temperature:
					if got := l.At(v, 0, 1); math.Abs(got-300) > 1e-3 {
						t.Errorf("temperature %g", got)
					}
				case frame.Velocity:
					if x, y, z := l.At(v, 0, 3), l.At(v, 1, 3), l.At(v, 2, 3); x != 24 || y != 72 || z != -48 {
						t.Errorf("velocity %g %g %g", x, y, z)
					}
				}
			}
		}
		if found != 1 {
			t.Errorf("%s has %d voxels", g.Name, found)
		}
		for a := range 3 {
			if g.Transform.M[a][a] != 0.5 {
				t.Errorf("%s: transform %v", g.Name, g.Transform.M)
			}
		}
	}
	src, err := sourceOf(f, frame.Density)
	if err != nil || src.Motion[1] == nil {
		t.Errorf("as a source: %v", err)
	}
	val.BurnFrom.Set(e, "fire")
	if _, _, err := Normalise(foreign(), e, 293, 24); err == nil || !strings.Contains(err.Error(), "burn is to be read from fire") {
		t.Errorf("a name that isn't there: %v", err)
	}
	askew := foreign()
	askew.Grids[0].Transform.M[0][1] = 0.1
	val.BurnFrom.Set(e, "auto")
	if _, _, err := Normalise(askew, e, 293, 24); err == nil || !strings.Contains(err.Error(), "right angles") {
		t.Errorf("askew: %v", err)
	}
}

func TestNormaliseJoinsCelsiusAndUnit(t *testing.T) {
	e := shot.New("x").Add(shot.Sequence)
	val.DensityFrom.Set(e, "Rauch")
	val.TemperatureFrom.Set(e, "T")
	for is, want := range map[string]float64{"celsius": 593 + 273.15 - 293, "unit": 593 * 800, "excess": 593} {
		val.HeatIs.Set(e, is)
		val.HeatTop.Set(e, 800)
		f, _, err := Normalise(foreign(), e, 293, 24)
		if err != nil {
			t.Fatal(err)
		}
		if got := f.Grid(frame.Temperature).Inspect().High[0]; math.Abs(got-want) > 0.05 {
			t.Errorf("%s: %g, %g expected", is, got, want)
		}
	}
}

// What points hold is kept, wherever they lie, up to what a voxel holds.
func TestPourKeepsWhatPointsHold(t *testing.T) {
	p := &frame.Points{}
	for n := range 200 {
		f := float32(n)
		p.P = append(p.P, [3]float32{f * 0.31, -f * 0.17, 3 + f*0.07})
		p.V = append(p.V, [3]float32{1, -2, 3})
	}
	f, err := Rasterise(p, 0.1)
	if err != nil {
		t.Fatal(err)
	}
	sum := 0.0
	for _, l := range f.Grid(frame.Density).Leaves {
		for _, v := range l.Values {
			sum += float64(v)
		}
	}
	if math.Abs(sum-200) > 0.01 {
		t.Errorf("200 points hold %g", sum)
	}
	v := f.Grid(frame.Velocity).Inspect()
	for a, want := range []float64{1, -2, 3} {
		if math.Abs(v.Low[a]-want) > 1e-5 || math.Abs(v.High[a]-want) > 1e-5 {
			t.Errorf("velocity %v to %v", v.Low, v.High)
		}
	}
	// the middle of what is poured is where the points are
	one, err := Rasterise(&frame.Points{P: [][3]float32{{0.25, 0.5, -0.125}}}, 0.25)
	if err != nil {
		t.Fatal(err)
	}
	g := one.Grid(frame.Density)
	var mid [3]float64
	for _, l := range g.Leaves {
		for n := range 512 {
			w := l.At(n, 0, 1)
			q := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(n>>6), float64(l.Origin[1]) + float64(n>>3&7), float64(l.Origin[2]) + float64(n&7)})
			for a := range mid {
				mid[a] += w * q[a]
			}
		}
	}
	if math.Abs(mid[0]-0.25)+math.Abs(mid[1]-0.5)+math.Abs(mid[2]+0.125) > 1e-6 {
		t.Errorf("it lies at %v", mid)
	}
	if _, err := Rasterise(&frame.Points{P: [][3]float32{{0, 0, 0}, {1000, 1000, 1000}}}, 0.01); err == nil || !strings.Contains(err.Error(), "larger ones") {
		t.Errorf("too far apart: %v", err)
	}
	if f, err := Rasterise(&frame.Points{}, 0.1); err != nil || f.Grid(frame.Density) == nil {
		t.Error("no points at all", err)
	}
}
