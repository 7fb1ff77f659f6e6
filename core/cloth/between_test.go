package cloth_test

import (
	"bytes"
	"errors"
	"testing"

	"zarf/core/format/ply"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	_ "zarf/core/solvers"
	"zarf/core/stage"
)

// under is a shot of a sheet, pinned all round, over a jet of smoke.
func under() (s *shot.Shot, gas, cloth, sheet *shot.Element) {
	s = shot.New("T")
	gas, cloth = s.Add(shot.Domain), s.Add(shot.Domain)
	val.Fluid.Set(cloth, "cloth")
	val.Size.Set(gas, 0.8, 1.2, 0.8)
	val.Position.Set(gas, 0, 0.6, 0)
	val.Voxel.Set(gas, 0.04)
	sheet = s.Add(shot.Cloth)
	val.Size.Set(sheet, 0.78, 0.01, 0.78)
	val.Position.Set(sheet, 0, 0.6, 0)
	val.ClothEdge.Set(sheet, 0.06)
	val.Pins.Set(sheet, "rim")
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.2, 0)
	val.Size.Set(e, 0.2, 0.1, 0.2)
	val.Speed.Set(e, 3)
	val.Along.Set(e, "axis")
	return s, gas, cloth, sheet
}

// over is how much smoke there is above a height after some frames, of all.
func over(t *testing.T, s *shot.Shot, gas *shot.Element, frames map[int]*frame.Frame) float64 {
	t.Helper()
	g, err := stage.New(s, gas.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	g.FedBy(func(d *shot.Element, n int) (*frame.Frame, error) {
		if f := frames[n]; f != nil {
			return f, nil
		}
		return nil, errors.New("no such frame")
	})
	for range 10 {
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	f := g.Frame().Grid(frame.Density)
	d, _, _ := gas.Grid()
	all := make([]float32, d.Len())
	if err := f.Dense([3]int{}, [3]int{d.NX, d.NY, d.NZ}, [][]float32{all}); err != nil {
		t.Fatal(err)
	}
	up, sum := 0.0, 0.0
	for i, v := range all {
		sum += float64(v)
		if i/d.NX%d.NY > d.NY/2+1 {
			up += float64(v)
		}
	}
	return up / sum
}

// Smoke doesn't go through a sheet that another domain simulates, thin as it is; muted, it does.
// The gas' key is another where the cloth is.
func TestClothStopsGas(t *testing.T) {
	s, gas, cloth, sheet := under()
	c, err := stage.New(s, cloth.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	frames := map[int]*frame.Frame{}
	for n := 1; n <= 12; n++ {
		if _, _, err := c.Advance(nil); err != nil {
			t.Fatal(err)
		}
		frames[n] = c.Frame()
	}
	if up := over(t, s, gas, frames); up > 0.002 {
		t.Errorf("%.1f %% of the smoke got through", 100*up)
	}
	order, err := s.Order()
	if err != nil || order[0] != cloth {
		t.Errorf("cloth isn't made first: %v", err)
	}
	was := stage.CoarseKey(s, gas)
	val.ClothMass.Set(sheet, 0.9)
	if stage.CoarseKey(s, gas) == was {
		t.Error("the gas doesn't notice that its cloth is another")
	}
	val.ClothMass.Set(sheet, 0.4)
	val.Colour.Set(sheet, 1, 0, 0)
	if stage.CoarseKey(s, gas) != was {
		t.Error("the gas notices what colour its cloth has")
	}
	sheet.ActsOn = []string{cloth.ID}
	if up := over(t, s, gas, nil); up < 0.1 {
		t.Errorf("without the sheet only %.1f %% of the smoke is above it", 100*up)
	}
}

// Cloth and gas that wait for each other are told to.
func TestClothInARing(t *testing.T) {
	s, gas, cloth, _ := under()
	val.Carrier.Set(cloth, gas.ID)
	if _, err := s.Order(); err == nil {
		t.Error("gas blows cloth that stops it, and nobody says that this is a ring")
	}
}

// The file of a frame's points keeps cloth beside particles.
func TestPointsKeepCloth(t *testing.T) {
	p := &frame.Points{Comment: "m", P: [][3]float32{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {5, 5, 5}}, V: make([][3]float32, 4), Tri: [][3]int32{{0, 1, 2}},
		Extra: []frame.Attribute{{Name: "sheet", V: []float32{0, 0, 0, -1}}}}
	var b bytes.Buffer
	if err := ply.EncodePoints(&b, p); err != nil {
		t.Fatal(err)
	}
	got, err := ply.DecodePoints(b.Bytes())
	if err != nil || len(got.Tri) != 1 || got.Tri[0] != p.Tri[0] {
		t.Fatalf("%v, faces %v", err, got)
	}
	if drops := got.Alive(); len(drops.P) != 1 || drops.P[0][0] != 5 || drops.Tri != nil {
		t.Errorf("particles are %v", drops.P)
	}
	if c := got.Cloth(nil); len(c.P) != 3 || len(c.Tri) != 1 {
		t.Errorf("cloth is %v", c)
	}
	bad := bytes.Clone(b.Bytes())
	bad[len(bad)-4] = 77 // a vertex that isn't there
	if _, err := ply.DecodePoints(bad); err == nil {
		t.Error("a face of a vertex that isn't there was taken")
	}
	if _, err := ply.DecodePoints(b.Bytes()[:b.Len()-3]); err == nil {
		t.Error("a file that ends within a face was taken")
	}
}
