package render

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// What is known beforehand of the sun changes no mean: within two volumes that overlap, in
// front of them, behind, and beside, for grey smoke and for coloured.
func TestKnownSunlightKeepsTheMean(t *testing.T) {
	crew := grid.NewCrew(2)
	for _, e := range []look.RGB{{1, 1, 1}, {0.5, 1, 2}} {
		l := fireLook("path")
		l.Extinction, l.Sun, l.SunDir = e, look.RGB{4, 4, 4}, geom.V(0.6, 0.7, 0.3).Unit()
		a, _ := NewVolume(billows(32, 6), 1.0/32, geom.V(-0.5, 0, -0.5), crew)
		b, _ := NewVolume(billows(20, 3), 1.0/20, geom.V(-0.1, 0.3, -0.4), crew)
		s := &Scene{Volumes: []*Volume{a, b}, Look: l, Camera: NewCamera(geom.V(0.3, 0.7, 2.2), geom.V(0, 0.5, 0), 45)}
		if _, err := New(s, 8, 8, crew); err != nil {
			t.Fatal(err)
		}
		for _, k := range s.known { // wrongly: it must not matter
			for i := range k.through.Data {
				k.through.Data[i] *= 0.6
			}
		}
		tr := &trip{s: s, r: dice{3}}
		for _, p := range []geom.Vec3{{Y: 0.4}, {X: 0.2, Y: 0.6}, {X: -0.6, Y: -0.3, Z: -0.2}, {X: 1, Y: 2, Z: 1}, {X: -0.2, Y: 0.2, Z: 0.1}, {X: 3}} {
			const draws = 200000
			var mean [2]look.RGB
			var square look.RGB
			for range draws {
				x, y := white, white
				tr.sunshine(p, l.SunDir, &x)
				tr.dim(p, l.SunDir, math.Inf(1), &y)
				mean[0], mean[1] = mean[0].Add(x.Scale(1.0/draws)), mean[1].Add(y.Scale(1.0/draws))
				square = square.Add(x.Mul(x).Scale(1.0 / draws))
			}
			for c := range 3 {
				off := math.Sqrt(max(square[c]-mean[0][c]*mean[0][c], 0)/draws) * 1.5 // of both
				if gap := math.Abs(mean[0][c] - mean[1][c]); gap > 3*off+1e-5 {
					t.Errorf("%v at %v: %.4f of the sun's light with what is known, %.4f without; noise is %.4f", e, p, mean[0][c], mean[1][c], off)
				}
			}
		}
	}
}

// Smoke that is drawn with no thickness leaves the sun as it is.
func TestSunThroughNothing(t *testing.T) {
	l := fireLook("path")
	l.Extinction, l.Scattering, l.Sun, l.Ground = look.RGB{}, look.RGB{}, look.RGB{4, 4, 4}, true
	v, _ := NewVolume(billows(16, 6), 1.0/16, geom.V(-0.5, 0, -0.5), grid.NewCrew(1))
	p, err := New(&Scene{Volumes: []*Volume{v}, Look: l, Camera: NewCamera(geom.V(0.3, 0.7, 2.2), geom.V(0, 0.2, 0), 45)}, 16, 16, grid.NewCrew(1))
	if err != nil {
		t.Fatal(err)
	}
	p.Pass(nil)
	if c, _ := p.At(8, 14); c[0] <= 0 {
		t.Errorf("the ground shows %v", c)
	}
}

// What is packed comes back within its precision, and nothing as nothing.
func TestPackedNumbersComeBack(t *testing.T) {
	for _, most := range []float32{1e-3, 1, 7.3, 4e6} {
		unit, inv := units(most)
		for x := most; x > most*2e-9; x *= 0.93 {
			if got := unpack(pack(x, inv)) * unit; math.Abs(float64(got/x)-1) > 1.0/4095 {
				t.Fatalf("%g of at most %g comes back as %g", x, most, got)
			}
		}
		if x := unpack(pack(0, inv)) * unit; x != 0 {
			t.Errorf("nothing comes back as %g", x)
		}
		if x := unpack(pack(most*1e-12, inv)); x != 0 {
			t.Errorf("next to nothing comes back as %g", x)
		}
		if pack(most*100, inv) != 1<<16-1 {
			t.Error("what is too much isn't the most")
		}
	}
}

// Fire that is laid out for paths is what lies between voxels, over sides of tiles and up to
// those of the volume.
func TestEmbersAreReadBetweenVoxels(t *testing.T) {
	crew := grid.NewCrew(2)
	d := grid.Dims{NX: 21, NY: 17, NZ: 9}
	f, heat, burn := grid.NewField(d), grid.NewField(d), grid.NewField(d)
	for i := range f.Data {
		f.Data[i] = 1
		heat.Data[i], burn.Data[i] = float32(700+37*(i%29)), float32(i%13)/13
	}
	l := fireLook("path")
	v, _ := NewVolume(f, 0.1, geom.Vec3{}, crew)
	v.Ignite(burn, heat, 293, &l, crew)
	v.forPaths(1, crew)
	r := dice{5}
	most := 0.0
	for range 5000 {
		x, y, z := float32(r.next()*21), float32(r.next()*17), float32(r.next()*9)
		got := v.glowAt(x, y, z)
		for c := range 3 {
			want := float64(v.Glow[c].Sample(x-0.5, y-0.5, z-0.5))
			if most = max(most, want); math.Abs(got[c]-want) > 3e-4*want+1e-9 {
				t.Fatalf("%g at %g, %g, %g, want %g", got[c], x, y, z, want)
			}
		}
	}
	if most == 0 {
		t.Fatal("nothing glows")
	}
}
