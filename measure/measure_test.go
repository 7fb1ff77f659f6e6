package measure

import (
	"math"
	"slices"
	"strings"
	"testing"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/demo"

	"zarf/core/frame"
	"zarf/core/gas"
	"zarf/core/grid"
)

// Renders are held to every target; gas to those that the schemes reach.
func TestAccuracyTargets(t *testing.T) {
	for _, name := range []string{"accuracy: render", "accuracy: gas"} {
		table, err := Verify(name, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range table.Rows {
			if r.Target != "" && !r.Met {
				t.Errorf("%s: %s, target %s", r.Case, r.Measured, r.Target)
			}
		}
	}
}

// The published scheme leaves 0.63 of semi-Lagrangian's error on the disk, ours no more; a turn
// in a step of nothing changes nothing.
func TestMacCormackIsThePublishedScheme(t *testing.T) {
	if p := publishedDisk(diskSteps); math.Abs(p-0.634) > 0.005 {
		t.Errorf("the published scheme leaves %.3f of the error", p)
	}
	f := slottedDisk()
	for _, c := range []int{0, 5050, 7550, 9999} {
		if x, y := turned(c, 0); x != float64(c%diskCells) || y != float64(c/diskCells) {
			t.Errorf("cell %d unturned lies at %g, %g", c, x, y)
		}
		if v, _, _ := f.linear(float64(c%diskCells), float64(c/diskCells)); v != f[c] {
			t.Errorf("cell %d holds %g, read as %g", c, f[c], v)
		}
	}
}

func TestMacCormackBeatsSemiLagrangian(t *testing.T) {
	crew := grid.NewCrew(0)
	sl, mc := taylorGreen(32, gas.SemiLagrangian, crew), taylorGreen(32, gas.MacCormack, crew)
	if mc < sl+0.05 || mc > 1.001 {
		t.Errorf("energy kept: semi-Lagrangian %.3f, MacCormack %.3f", sl, mc)
	}
	if a, b := disk(gas.SemiLagrangian, 0, crew), disk(gas.MacCormack, 0, crew); b > 0.7*a {
		t.Errorf("error on the disk: semi-Lagrangian %.4f, MacCormack %.4f", a, b)
	}
}

// Waves of six cells lie under eight cells, and not under four.
func TestSpectrumTellsWavesByLength(t *testing.T) {
	f := grid.NewField(grid.Dims{NX: 64, NY: 32, NZ: 64})
	for i := range f.Data {
		x := float64(i % 64)
		f.Data[i] = float32(math.Sin(2*math.Pi*x/6) * math.Sin(math.Pi*x/64) * math.Sin(math.Pi*float64(i/2048)/64))
	}
	crew := grid.NewCrew(2)
	if a, b := fineShare(f, 8, crew), fineShare(f, 4, crew); a < 0.95 || b > 0.05 {
		t.Errorf("under 8 cells %.3f, under 4 cells %.3f", a, b)
	}
}

func TestUnknownSectionIsNamed(t *testing.T) {
	if _, err := Bench("nothing", 1); err == nil || !strings.Contains(err.Error(), "projection") {
		t.Error(err)
	}
}

func TestTableCells(t *testing.T) {
	tb := &Table{section: "s"}
	tb.most("a", 2, 3, "ms")
	tb.least("b", 2, 3, "×")
	tb.most("c", 2, 0, "ns")
	if r := tb.Rows; !r[0].Met || r[1].Met || r[2].Target != "" || r[0].Target != "≤ 3" || r[1].Target != "≥ 3" {
		t.Errorf("%+v", r)
	}
}

// Guesses of the demo's gas before its first run come near what runs took: disk, and the
// work in steps of plain gas, as measured with the frames that they then made.
func TestGuessesOfTheDemo(t *testing.T) {
	for _, c := range []struct {
		s     *shot.Shot
		disk  float64 // MB
		steps float64 // million voxels stepped, with what frames cost beside
	}{{demo.FogSignal(), 254, 210}, {demo.Brazier(), 377, 484}, {demo.Magazine(), 960, 275}, {demo.CliffFog(), 324, 94}} {
		e := stage.Guess(c.s, c.s.Of(shot.Domain)[0], 1e6)
		if r := e.Disk / 1e6 / c.disk; r < 0.85 || r > 1.15 {
			t.Errorf("%s: %.0f MB guessed, %.0f used", c.s.Name, e.Disk/1e6, c.disk)
		}
		if r := e.Seconds / c.steps; r < 0.75 || r > 1.25 {
			t.Errorf("%s: %.0f million voxel steps guessed, %.0f done", c.s.Name, e.Seconds, c.steps)
		}
	}
}

func TestExponentOfAClimb(t *testing.T) {
	for _, law := range []float64{0.5, 0.75} {
		var c climb
		for i := range 100 {
			z := 0.9 * math.Pow(float64(i+1)/24, law)
			c.time, c.top, c.wide = append(c.time, float64(i+1)/24), append(c.top, 0.1+z), append(c.wide, 0.2*z)
		}
		if o := c.origin(); math.Abs(o-0.1) > 1e-9 {
			t.Errorf("widths vanish at %g m, by origin at %g", 0.1, o)
		}
		if p := c.exponent(c.origin()); math.Abs(p-law) > 1e-9 {
			t.Errorf("a climb with t^%g: exponent %g", law, p)
		}
		if p := c.exponent(0); math.Abs(p-law) < 0.01 {
			t.Errorf("from another origin the exponent is %g too: it tells nothing", p)
		}
		short := climb{c.time[:40], c.top[:40], c.wide[:40]}
		if m := meanClimb([]climb{c, short, c}); len(m.top) != 40 || math.Abs(m.top[39]-c.top[39]) > 1e-12 || math.Abs(m.wide[20]-c.wide[20]) > 1e-12 {
			t.Errorf("the mean of a climb with itself has %d heights", len(m.top))
		}
	}
}

func TestWhenASwellingIsWidest(t *testing.T) {
	mean := meanSwelling([]swelling{{[]float64{1, 2}, []float64{3, 5}, []float64{300, 500}, []float64{0, 1}}, {[]float64{2, 4}, []float64{3, 6}, []float64{500, 900}, []float64{1, 2}}})
	if !slices.Equal(mean.top, []float64{1.5, 3}) || !slices.Equal(mean.wide, []float64{3, 5.5}) || !slices.Equal(mean.hot, []float64{400, 700}) || !slices.Equal(mean.bulk, []float64{0.5, 1.5}) {
		t.Errorf("the mean of two fires is %v", mean)
	}
	g := swelling{wide: []float64{1, 3, 5, 6, 5.5, 9, 2}}
	if f := g.widest(); f != 6 {
		t.Errorf("widest at frame %g, is at 6", f)
	}
	// nine tenths of 6 are 5.4, from 5 at frame 3 and 6 at frame 4
	if f := g.widens(5); math.Abs(f-3.4) > 1e-9 {
		t.Errorf("up to frame 5 nine tenths at %g, is at 3.4", f)
	}
	if f := g.widens(1); math.Abs(f-0.9) > 1e-9 {
		t.Errorf("up to frame 1 nine tenths at %g, is at 0.9", f)
	}
}

// The height under which a share of smoke lies is told within a layer of voxels.
func TestUnderWhatHeightSmokeLies(t *testing.T) {
	// ten layers of 0.5 m from 1 m over the world's floor on, of which nine hold as much
	n := [3]int{3, 10, 2}
	data := make([]float32, n[0]*n[1]*n[2])
	for i := range data {
		if i/n[0]%n[1] < 9 {
			data[i] = 2
		}
	}
	g := frame.FromDense(frame.Density, [3]int{}, n, [][]float32{data}, 0, 0, grid.NewCrew(1).For)
	g.Transform = frame.Uniform(0.5, [3]float64{0, 1.25, 0})
	f := &frame.Frame{Grids: []*frame.Grid{g}}
	for share, want := range map[float64]float64{1: 4.5, 0.5: 2.25, 1.0 / 9: 0.5} {
		if y := bulkUnder(f, frame.Density, 1, share); math.Abs(y-want) > 1e-6 {
			t.Errorf("%.2f of the smoke lies under %g m, not %g", share, want, y)
		}
	}
	clear(data)
	f.Grids[0] = frame.FromDense(frame.Density, [3]int{}, n, [][]float32{data}, 0, 0, grid.NewCrew(1).For)
	if y := bulkUnder(f, frame.Density, 0, 0.99); y != 0 {
		t.Errorf("no smoke lies under %g m", y)
	}
}

func TestPeriodOfPuffs(t *testing.T) {
	noise := uint64(7)
	row := func(every, phase float64) (v []float64) {
		for i := range 400 {
			noise = noise*6364136223846793005 + 1442695040888963407
			v = append(v, 3+math.Sin(2*math.Pi*float64(i)/every+phase)+0.3*(float64(noise>>40)/(1<<24)-0.5))
		}
		return v
	}
	for _, every := range []float64{9.3, 21, 40} {
		got, like := period([][]float64{row(every, 0), row(every, 2)})
		if math.Abs(got/every-1) > 0.03 || like < 0.8 {
			t.Errorf("what repeats itself every %g values does by correlation every %.2f, %.2f alike", every, got, like)
		}
	}
	fall := make([]float64, 100)
	for i := range fall {
		fall[i] = float64(i)
	}
	if every, _ := period([][]float64{fall}); !math.IsInf(every, 1) {
		t.Errorf("what never repeats itself does every %g values", every)
	}
}

// A field of one wave lies in that wave's shell, and energies see the turning of a vortex.
func TestShellsOfWaves(t *testing.T) {
	const n = 16
	v := make([]complex64, n*n*n)
	for i := range v {
		v[i] = complex(float32(math.Cos(2*math.Pi*3*float64(i%n)/n)), 0)
	}
	bins := shells(v, n, grid.NewCrew(2))
	var all float64
	for _, b := range bins {
		all += b
	}
	if bins[3] < 0.999*all {
		t.Errorf("of a wave three times an edge, shell 3 holds %.3f", bins[3]/all)
	}
}
