package upres

import (
	"math"
	"testing"

	"zarf/core/grid"
)

// swirl is a coarse frame: smoke turning about the z axis, with small eddies.
func swirl(n int, t float64) *Frame {
	d := grid.Dims{NX: n, NY: n, NZ: n / 2}
	f := &Frame{Channels: []*grid.Field{grid.NewField(d), grid.NewField(d)}}
	for c := range f.Velocity {
		f.Velocity[c] = grid.NewField(d)
	}
	for k := range d.NZ {
		for j := range d.NY {
			for i := range d.NX {
				x, y, z := float64(i)-float64(n)/2, float64(j)-float64(n)/2, float64(k)-float64(n)/4
				a := d.Index(i, j, k)
				e := 2.5 * math.Sin(2.1*x) * math.Cos(1.9*y)
				f.Velocity[0].Data[a], f.Velocity[1].Data[a] = float32(-y*0.2+e), float32(x*0.2-e)
				r := math.Sqrt((x-3*math.Cos(t))*(x-3*math.Cos(t)) + (y-3*math.Sin(t))*(y-3*math.Sin(t)) + z*z)
				f.Channels[0].Data[a] = float32(max(0, 1-r/float64(n)*4))
				f.Channels[1].Data[a] = 100 * f.Channels[0].Data[a]
			}
		}
	}
	return f
}

func advance(t *testing.T, s Settings, threads, frames int) *Solver {
	t.Helper()
	u, err := New(s, 1, grid.NewCrew(threads))
	if err != nil {
		t.Fatal(err)
	}
	for f := range frames {
		w := swirl(24, float64(f)*0.2/24)
		u.Advance(w, w.Channels[0].Dims, 1.0/24)
	}
	return u
}

// The noise has no mean, no divergence to speak of, and little that its half
// resolution could hold.
func TestWhirls(t *testing.T) {
	w := whirlsOf(3, grid.NewCrew(2))
	for c := range w {
		sum := 0.0
		for _, v := range w[c].Data {
			sum += float64(v)
		}
		if m := sum / float64(len(w[c].Data)); math.Abs(m) > 0.02 {
			t.Errorf("component %d has a mean of %g", c, m)
		}
	}
	var div, grad float64
	for k := 1; k < tileFine; k++ {
		for j := 1; j < tileFine; j++ {
			for i := 1; i < tileFine; i++ {
				a := float64(w[0].At(i+1, j, k)-w[0].At(i-1, j, k)) / 2
				b := float64(w[1].At(i, j+1, k)-w[1].At(i, j-1, k)) / 2
				c := float64(w[2].At(i, j, k+1)-w[2].At(i, j, k-1)) / 2
				div += (a + b + c) * (a + b + c)
				grad += a*a + b*b + c*c
			}
		}
	}
	if div > 0.1*grad {
		t.Errorf("divergence has %g of the gradient's energy", div/grad)
	}
	r := band(5)
	n := tileSize
	var all, low float64
	for k := 0; k < n; k += 2 {
		for j := 0; j < n; j += 2 {
			for i := 0; i < n; i += 2 {
				s := 0.0
				for m := range 8 {
					v := r[((k+m/4)*n+j+m/2%2)*n+i+m%2]
					s += v / 8
					all += v * v / 8
				}
				low += s * s
			}
		}
	}
	if low > 0.12*all {
		t.Errorf("means over 2³ texels hold %g of the energy", low/all)
	}
}

// Means over coarse cells are the coarse run's, whatever the whirls do.
func TestFineKeepsTheCoarse(t *testing.T) {
	for factor := 2; factor <= 4; factor++ {
		u := advance(t, Settings{Factor: factor, Strength: 1, Seed: 1}, 2, 12)
		want := u.window(swirl(24, 11*0.2/24))
		for n := range u.Channels {
			got := u.means(u.Channels[n])
			diff, sum := 0.0, 0.0
			for i, v := range want.Channels[n].Data {
				diff += math.Abs(float64(v - got.Data[i]))
				sum += math.Abs(float64(v))
			}
			if diff > 0.05*sum {
				t.Errorf("%d times, channel %d: means differ by %.1f %%", factor, n, 100*diff/sum)
			}
		}
	}
}

// The whirls add detail that the coarse run, interpolated, has not.
func TestFineAddsDetail(t *testing.T) {
	rough := func(strength float64) float64 {
		u := advance(t, Settings{Factor: 4, Strength: strength, Seed: 1}, 2, 20)
		f, e := u.Channels[0], 0.0
		for k := 1; k < f.NZ-1; k++ {
			for j := 1; j < f.NY-1; j++ {
				for i := 1; i < f.NX-1; i++ {
					l := f.At(i-1, j, k) + f.At(i+1, j, k) + f.At(i, j-1, k) + f.At(i, j+1, k) + f.At(i, j, k-1) + f.At(i, j, k+1) - 6*f.At(i, j, k)
					e += float64(l * l)
				}
			}
		}
		return e
	}
	plain, fine := rough(0), rough(1)
	if fine < 1.5*plain {
		t.Errorf("curvature %g with whirls, %g without", fine, plain)
	}
}

func TestUpresGivesTheSameBits(t *testing.T) {
	a, b := advance(t, Settings{Factor: 2, Strength: 1, Seed: 4}, 1, 8), advance(t, Settings{Factor: 2, Strength: 1, Seed: 4}, 3, 8)
	c := advance(t, Settings{Factor: 2, Strength: 1, Seed: 5}, 3, 8)
	differ := false
	for i, v := range a.Channels[0].Data {
		if math.Float32bits(v) != math.Float32bits(b.Channels[0].Data[i]) {
			t.Fatalf("value %d is %g with one thread, %g with three", i, v, b.Channels[0].Data[i])
		}
		differ = differ || v != c.Channels[0].Data[i]
	}
	if !differ {
		t.Error("another seed changes nothing")
	}
}

func TestUpresRefusesNonsense(t *testing.T) {
	if _, err := New(Settings{Factor: 7}, 1, grid.NewCrew(1)); err == nil {
		t.Error("7 times was taken")
	}
}
