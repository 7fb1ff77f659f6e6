package handover

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"zarf/core/format/abc"
	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
	"zarf/studio/run"
)

func quiet(run.Progress) {}

// puff is a small shot of smoke with a box that moves and a camera.
func puff() *shot.Shot {
	s := shot.New("puff")
	val.Last.Set(s.Self, 6)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1.2, 0.6)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, 0.1, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Speed.Set(e, 0.5)
	s.Add(shot.Wind)
	c := s.Add(shot.Collider)
	val.Form.Set(c, "box")
	val.Size.Set(c, 0.2, 0.1, 0.3)
	c.SetKey(val.Position, shot.Key{Frame: 1, Value: shot.Vec(-0.2, 0.7, 0)})
	c.SetKey(val.Position, shot.Key{Frame: 6, Value: shot.Vec(0.2, 0.8, 0.1)})
	return s
}

// splash is a small shot of a liquid.
func splash() *shot.Shot {
	s := shot.New("splash")
	val.Last.Set(s.Self, 3)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "liquid")
	val.Size.Set(d, 0.6, 0.5, 0.4)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, 0, 0.25, 0)
	for i, side := range shot.Sides {
		if i != 3 {
			side.Name.Set(d, "wall")
		}
	}
	val.CachePoints.Set(d, "all")
	e := s.Add(shot.Emitter)
	val.Form.Set(e, "box")
	val.Size.Set(e, 0.3, 0.3, 0.3)
	val.Position.Set(e, -0.1, 0.2, 0)
	val.Pours.Set(e, "once")
	return s
}

func made(t *testing.T, s *shot.Shot) *cache.Cache {
	t.Helper()
	c, err := cache.Open(filepath.Join(t.TempDir(), "cache"))
	if err != nil {
		t.Fatal(err)
	}
	_, last := s.Range()
	j := run.Sim{Shot: s, From: 1, To: last, Threads: 2}
	if err := j.Do(context.Background(), c, quiet); err != nil {
		t.Fatal(err)
	}
	return c
}

func do(t *testing.T, c *cache.Cache, j *Job) *Manifest {
	t.Helper()
	if j.Dir == "" {
		j.Dir = t.TempDir()
	}
	if err := j.Do(context.Background(), c, quiet); err != nil {
		t.Fatal(err)
	}
	m, err := Read(j.Dir)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func volume(t *testing.T, parts ...string) *frame.Frame {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(parts...))
	if err != nil {
		t.Fatal(err)
	}
	f, err := vdb.Decode(b, vdb.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return &f.Frame
}

// where lists a grid's active voxels: the place in world space and the values.
func where(g *frame.Grid) map[[3]int64][]float64 {
	out := map[[3]int64][]float64{}
	n := g.Type.Components()
	for _, l := range g.Leaves {
		for v := range 512 {
			if !l.Active.On(v) {
				continue
			}
			p := g.Transform.World([3]float64{float64(l.Origin[0]) + float64(v>>6), float64(l.Origin[1]) + float64(v>>3&7), float64(l.Origin[2]) + float64(v&7)})
			var at [3]int64
			for a := range at {
				at[a] = int64(math.Round(p[a] * 1e6))
			}
			var vals []float64
			for c := range n {
				vals = append(vals, l.At(v, c, n))
			}
			out[at] = vals
		}
	}
	return out
}

// In every space each voxel lies where its place turns to, with its value, and
// vectors turn with it; transforms stay scale and shift.
func TestEverySpaceTurnsVoxelsAndVectors(t *testing.T) {
	s := puff()
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	in, err := src.Read(5)
	if err != nil {
		t.Fatal(err)
	}
	for axes, turn := range map[string]func(p [3]float64) [3]float64{
		"y-up":      func(p [3]float64) [3]float64 { return p },
		"z-up":      func(p [3]float64) [3]float64 { return [3]float64{p[0], -p[2], p[1]} },
		"y-up-left": func(p [3]float64) [3]float64 { return [3]float64{p[0], p[1], -p[2]} },
		"z-up-left": func(p [3]float64) [3]float64 { return [3]float64{p[0], p[2], p[1]} },
	} {
		j := &Job{Take: s, From: 5, To: 5, Name: "x", Settings: Set(val.Axes.Is(axes), val.Scale.Is(10), val.Precision.Is("float"), val.MotionPer.Is("frame"))}
		do(t, c, j)
		out := volume(t, j.Dir, "vdb", "x.0001.vdb")
		for _, name := range []string{"density", "velocity"} {
			want, got := where(in.Grid(name)), where(out.Grid(name))
			if len(want) == 0 || len(got) != len(want) {
				t.Fatalf("%s %s: %d voxels, %d expected", axes, name, len(got), len(want))
			}
			for p, v := range want {
				q := turn([3]float64{float64(p[0]) * 10, float64(p[1]) * 10, float64(p[2]) * 10})
				w, ok := got[[3]int64{int64(math.Round(q[0])), int64(math.Round(q[1])), int64(math.Round(q[2]))}]
				if !ok {
					// rounding of the place may differ by one
					for at, x := range got {
						if math.Abs(float64(at[0])-q[0]) < 3 && math.Abs(float64(at[1])-q[1]) < 3 && math.Abs(float64(at[2])-q[2]) < 3 {
							w, ok = x, true
						}
					}
				}
				if !ok {
					t.Fatalf("%s %s: nothing at %v", axes, name, q)
				}
				if name == "velocity" {
					u := turn([3]float64{v[0], v[1], v[2]})
					for a := range u {
						if math.Abs(u[a]*10/24-w[a]) > 1e-5 {
							t.Fatalf("%s: velocity %v became %v", axes, v, w)
						}
					}
				} else if v[0] != w[0] {
					t.Fatalf("%s: density %g became %g", axes, v[0], w[0])
				}
			}
			m := out.Grid(name).Transform.M
			for r := range 3 {
				for k := range 3 {
					if (r == k) != (m[r][k] > 0) {
						t.Errorf("%s: the transform is %v", axes, m)
					}
				}
			}
		}
	}
}

func TestVolumesNumbersUnitsAndManifest(t *testing.T) {
	s := puff()
	c := made(t, s)
	j := &Job{Take: s, From: 1, To: 6, Name: "puff", Settings: Set(val.Axes.Is("z-up"), val.Scale.Is(100), val.Start.Is(1001), val.Step.Is(2), val.Digits.Is(5), val.Precision.Is("float"), val.Kelvin.Is("absolute"), val.Compression.Is("zip"), val.DensityAs.Is("smoke"), val.MotionSplit.Is("split"))}
	m := do(t, c, j)
	if len(m.Files) != 3 || m.Files[1].Path != "vdb/puff.01002.vdb" || m.Files[1].Frame != 3 || m.Voxel != 5 || m.Axes != "z up, right-handed" {
		t.Errorf("%+v", m)
	}
	out := volume(t, j.Dir, "vdb", "puff.01003.vdb")
	for _, name := range []string{"smoke", "temperature", "velocity_x", "velocity_y", "velocity_z"} {
		if out.Grid(name) == nil {
			t.Errorf("no %s", name)
		}
	}
	if bg := out.Grid("temperature").Background[0]; bg != 293 {
		t.Errorf("the background is %g K, the air has 293", bg)
	}
	src, _ := run.Open(s, "", c)
	in, _ := src.Read(5)
	hot := func(g *frame.Grid) float64 { return g.Inspect().High[0] }
	if a, b := hot(in.Grid("temperature")), hot(out.Grid("temperature")); math.Abs(b-a-293) > 1e-3 {
		t.Errorf("temperature %g became %g", a, b)
	}
	list, err := os.ReadFile(filepath.Join(j.Dir, ChecklistName))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"z up, right-handed; 100 units are a metre", "numbers 1001 to 1003, 5 digits", "Frame rate 12", "smoke is density", "kelvin, 293"} {
		if !strings.Contains(string(list), want) {
			t.Errorf("the checklist lacks %q:\n%s", want, list)
		}
	}
}

// In 255 steps no value is farther off than the manifest tells, 0 stays 0, and
// files are smaller.
func TestStepsKeepTheStatedError(t *testing.T) {
	s := puff()
	c := made(t, s)
	size := func(precision string) (int64, *Job, *Manifest) {
		j := &Job{Take: s, From: 1, To: 6, Name: "x", Settings: Set(val.Precision.Is(precision), val.Compression.Is("zip"))}
		m := do(t, c, j)
		n := int64(0)
		for _, f := range m.Files {
			n += f.Size
		}
		return n, j, m
	}
	half, _, _ := size("half")
	steps, j, m := size("steps")
	if steps > half*3/4 {
		t.Errorf("in steps %d bytes, as half %d", steps, half)
	}
	src, _ := run.Open(s, "", c)
	in, _ := src.Read(6)
	out := volume(t, j.Dir, "vdb", "x.0006.vdb")
	for _, ch := range m.Channels {
		a, b := where(in.Grid(ch.Name)), where(out.Grid(ch.Name))
		worst := 0.0
		for p, v := range a {
			for k := range v {
				if v[k] == 0 && b[p][k] != 0 {
					t.Fatalf("%s: 0 became %g", ch.Name, b[p][k])
				}
				worst = max(worst, math.Abs(v[k]-b[p][k]))
			}
		}
		if !(ch.Error > 0) || worst > ch.Error*1.01 || worst < ch.Error/10 {
			t.Errorf("%s: off by %.3g, %.3g is stated", ch.Name, worst, ch.Error)
		}
	}
}

func TestCropAndCoarseField(t *testing.T) {
	s := puff()
	c := made(t, s)
	box := Set(val.Crop.Is("box"), val.CropLow.Is(-0.1, 0.2, -0.2), val.CropHigh.Is(0.2, 0.7, 0.1), val.Precision.Is("float"))
	j := &Job{Take: s, From: 5, To: 5, Name: "x", Settings: box}
	do(t, c, j)
	src, _ := run.Open(s, "", c)
	in, _ := src.Read(5)
	want := 0
	for p := range where(in.Grid("density")) {
		if p[0] >= -100000 && p[0] <= 200000 && p[1] >= 200000 && p[1] <= 700000 && p[2] >= -200000 && p[2] <= 100000 {
			want++
		}
	}
	if got := len(where(volume(t, j.Dir, "vdb", "x.0001.vdb").Grid("density"))); got != want || want == 0 {
		t.Errorf("%d voxels in the box, %d expected", got, want)
	}
	j = &Job{Take: s, From: 5, To: 5, Name: "x", Settings: Set(val.Crop.Is("box"), val.CropLow.Is(1, 0, 0), val.CropHigh.Is(0, 1, 1)), Dir: t.TempDir()}
	if err := j.Do(context.Background(), c, quiet); err == nil || !strings.Contains(err.Error(), "along x") {
		t.Errorf("a box the wrong way round: %v", err)
	}

	// the field as text agrees with the field as volume, voxel by voxel
	field := Set(val.What.Is("field"), val.FieldStep.Is(2), val.Axes.Is("z-up"), val.Precision.Is("float"))
	v := &Job{Take: s, From: 5, To: 5, Name: "f", Settings: field}
	do(t, c, v)
	grid := where(volume(t, v.Dir, "field", "f.0001.vdb").Grid("velocity"))
	field = Set(val.What.Is("field"), val.FieldStep.Is(2), val.Axes.Is("z-up"), val.Precision.Is("float"), val.FieldFile.Is("csv"))
	x := &Job{Take: s, From: 5, To: 5, Name: "f", Settings: field}
	do(t, c, x)
	b, _ := os.ReadFile(filepath.Join(x.Dir, "csv", "f.0001.csv"))
	r := csv.NewReader(bytes.NewReader(b))
	r.Comment = '#'
	rows, err := r.ReadAll()
	if err != nil || len(rows) < 100 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	if !strings.Contains(string(b), "# axes z up, right-handed\n") || !strings.Contains(string(b), "# velocity in units per second\n") {
		t.Errorf("the head is %.300s", b)
	}
	matched := 0
	for _, row := range rows[1:] {
		var n [6]float64
		for i := range n {
			n[i], _ = strconv.ParseFloat(row[i], 64)
		}
		at := [3]int64{int64(math.Round(n[0] * 1e6)), int64(math.Round(n[1] * 1e6)), int64(math.Round(n[2] * 1e6))}
		if g, ok := grid[at]; ok {
			matched++
			for a := range 3 {
				if math.Abs(g[a]-n[3+a]) > 1e-5 {
					t.Fatalf("at %v the text says %v, the volume %v", at, n[3:], g)
				}
			}
		}
	}
	if matched != len(grid) {
		t.Errorf("%d of %d voxels stand in the text", matched, len(grid))
	}
	// a mean of blocks keeps the whole: sum over the coarse field times 8
	sum := func(m map[[3]int64][]float64) (v float64) {
		for _, x := range m {
			v += x[1]
		}
		return v
	}
	zup := sum(where(in.Grid("velocity")))
	got := 0.0
	for _, v := range grid {
		got += v[2] * 8
	}
	if math.Abs(got/zup-1) > 1e-3 {
		t.Errorf("upward motion adds up to %g, %g before", got, zup)
	}
}

func TestRefusals(t *testing.T) {
	s := puff()
	c := made(t, s)
	locked := t.TempDir()
	full := t.TempDir()
	os.WriteFile(filepath.Join(full, "x.0001.vdb"), []byte("other"), 0o644)
	file := filepath.Join(locked, "file")
	os.WriteFile(file, nil, 0o644)
	dark := Set(val.Density.Is(false), val.HandTemperature.Is(false), val.HandVelocity.Is(false))
	for says, j := range map[string]*Job{
		"frames 7–9":            {From: 1, To: 9},
		"no channel":            {From: 1, To: 2, Settings: dark},
		"both be called smoke":  {From: 1, To: 2, Settings: Set(val.DensityAs.Is("smoke"), val.TemperatureAs.Is("smoke"))},
		"nothing is written ov": {From: 1, To: 2, Dir: full},
		"can't be made":         {From: 1, To: 2, Dir: filepath.Join(file, "under")},
		"no particles":          {From: 1, To: 2, Settings: Set(val.What.Is("points"))},
		"no rendered range":     {From: 1, To: 2, Settings: Set(val.What.Is("pictures"))},
		"no recording":          {From: 1, To: 2, Settings: Set(val.What.Is("flipbook"))},
		"half precision ends":   {From: 5, To: 5, Settings: Set(val.Scale.Is(1e6))},
		"glTF is y up":          {From: 1, To: 2, Settings: Set(val.What.Is("meshes"), val.MeshFile.Is("glb"), val.Axes.Is("z-up"))},
	} {
		j.Take, j.Name = s, "x"
		if j.Dir == "" {
			j.Dir = t.TempDir()
		}
		if err := j.Do(context.Background(), c, quiet); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

// One frame that lacks a channel is named, with those that have it.
func TestAFrameThatLacksAChannel(t *testing.T) {
	s := puff()
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	f, _ := src.Read(3)
	rec, _ := src.Stage.Get(3)
	rec.Channels = slices.DeleteFunc(rec.Channels, func(c cache.Channel) bool { return c.Name == "temperature" })
	grids := slices.DeleteFunc(f.Grids, func(g *frame.Grid) bool { return g.Name == "temperature" })
	if _, err := src.Stage.Put(rec, func(w ioWriter) error { return vdb.Write(w, grids, vdb.Options{}) }); err != nil {
		t.Fatal(err)
	}
	j := &Job{Take: s, From: 1, To: 6, Name: "x", Dir: t.TempDir()}
	if err := j.Do(context.Background(), c, quiet); err == nil || !strings.Contains(err.Error(), "frame 3 holds no temperature, frames 1–2, 4–6 do") {
		t.Errorf("%v", err)
	}
}

// A handover that was stopped goes on: whole files stay, damaged and missing
// ones are made, and the end is what it would have been.
func TestGoesOn(t *testing.T) {
	s := puff()
	c := made(t, s)
	whole := do(t, c, &Job{Take: s, From: 1, To: 6, Name: "x"})
	dir := t.TempDir()
	ctx, stop := context.WithCancel(context.Background())
	j := &Job{Take: s, From: 1, To: 6, Name: "x", Dir: dir, Threads: 1}
	err := j.Do(ctx, c, func(p run.Progress) {
		if p.Done == 3 {
			stop()
		}
	})
	if err == nil {
		t.Fatal("it wasn't stopped")
	}
	if _, err := Read(dir); err == nil {
		t.Error("a manifest is there before the end")
	}
	damaged := filepath.Join(dir, "vdb", "x.0002.vdb")
	b, err := os.ReadFile(damaged)
	if err != nil {
		t.Fatal(err)
	}
	b[len(b)/2] ^= 1
	os.WriteFile(damaged, b, 0o644)
	half := filepath.Join(dir, "vdb", ".part-1") // as a killed worker leaves it
	os.WriteFile(half, b, 0o644)
	reused := 0
	if err := j.Do(context.Background(), c, func(p run.Progress) {
		if p.Reused {
			reused++
		}
	}); err != nil {
		t.Fatal(err)
	}
	m, err := Read(dir)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(half); err == nil {
		t.Error("what was half written is still there")
	}
	if reused < 2 || reused > 4 {
		t.Errorf("%d frames were there from before", reused)
	}
	for i, f := range whole.Files {
		if m.Files[i].SHA256 != f.SHA256 {
			t.Errorf("%s differs from one made at once", f.Path)
		}
	}
	if fmt.Sprint(m.Channels) != fmt.Sprint(whole.Channels) {
		t.Errorf("channels %v\nat once %v", m.Channels, whole.Channels)
	}
	// other values into the same folder
	j.Settings = Set(val.Axes.Is("z-up"))
	if err := j.Do(context.Background(), c, quiet); err == nil || !strings.Contains(err.Error(), "another handover") {
		t.Errorf("other values: %v", err)
	}
}

func TestPointsInEveryFile(t *testing.T) {
	s := splash()
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	b, err := src.Stage.ReadPoints(3)
	if err != nil || b == nil {
		t.Fatal("the run kept no particles", err)
	}
	in, err := ply.DecodePoints(b)
	if err != nil || len(in.P) < 1000 {
		t.Fatalf("%d particles, %v", len(in.P), err)
	}
	j := &Job{Take: s, From: 1, To: 3, Name: "p", Settings: Set(val.What.Is("points"), val.PointGroups.Is("depth"), val.PointDepth.Is(true), val.Axes.Is("z-up"), val.Scale.Is(100))}
	do(t, c, j)
	data, err := os.ReadFile(filepath.Join(j.Dir, "abc", "p.abc"))
	if err != nil {
		t.Fatal(err)
	}
	a, err := abc.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	if len(a.Objects) != 3 {
		t.Fatalf("%d groups", len(a.Objects))
	}
	sum := [3]float64{}
	n := 0
	for _, o := range a.Objects {
		x, err := o.Sample(2)
		if err != nil {
			t.Fatal(err)
		}
		for i, v := range x.P {
			sum[i%3] += float64(v)
		}
		n += len(x.P) / 3
		deep := 0.0
		if len(x.Extra) == 0 {
			t.Fatalf("%s has no depth", o.Path)
		}
		for _, d := range x.Extra[0].V {
			deep += float64(d) / float64(len(x.Extra[0].V))
		}
		if strings.HasPrefix(o.Path, "/inside") && len(x.P) > 0 && deep < 5 {
			t.Errorf("points inside lie %.2f under the surface on the mean", deep)
		}
	}
	want := [3]float64{}
	for _, p := range in.P {
		want[0], want[1], want[2] = want[0]+100*float64(p[0]), want[1]-100*float64(p[2]), want[2]+100*float64(p[1])
	}
	if n != len(in.P) {
		t.Errorf("%d points, %d in the cache", n, len(in.P))
	}
	for i := range want {
		if math.Abs(sum[i]-want[i]) > 1e-3*float64(n) {
			t.Errorf("places add up to %v, %v expected", sum, want)
		}
	}
	for _, ext := range []string{"ply", "obj", "glb"} {
		j := &Job{Take: s, From: 2, To: 3, Name: "p", Settings: Set(val.What.Is("points"), val.PointFile.Is(ext))}
		do(t, c, j)
		file := filepath.Join(j.Dir, ext, "p.0002."+ext)
		if ext == "ply" {
			b, _ := os.ReadFile(file)
			p, err := ply.DecodePoints(b)
			if err != nil || len(p.P) != len(in.P) || p.P[7] != in.P[7] || p.V[7] != in.V[7] || p.Extra[0].Name != "size" {
				t.Errorf("PLY: %v", err)
			}
		}
		if ext != "obj" { // its reader knows no point elements of OBJ
			assimp(t, file, "Vertices:", len(in.P), round(in.P))
		}
	}
}

// round is the box round points.
func round(p [][3]float32) geom.Box {
	b := geom.Box{Min: geom.V(math.Inf(1), math.Inf(1), math.Inf(1)), Max: geom.V(math.Inf(-1), math.Inf(-1), math.Inf(-1))}
	for _, x := range p {
		v := geom.V(float64(x[0]), float64(x[1]), float64(x[2]))
		b.Min, b.Max = b.Min.Min(v), b.Max.Max(v)
	}
	return b
}

// assimp asks an independent reader how many vertices or faces a file has, and
// in which box they lie.
func assimp(t *testing.T, file, what string, want int, in geom.Box) {
	t.Helper()
	if _, err := exec.LookPath("assimp"); err != nil {
		t.Skip("assimp is not installed")
	}
	out, err := exec.Command("assimp", "info", file, "--raw").CombinedOutput()
	if err != nil {
		t.Errorf("%s: the independent reader refuses it: %s", filepath.Base(file), out)
		return
	}
	found := 0
	for _, l := range strings.Split(string(out), "\n") {
		if v, ok := strings.CutPrefix(l, what); ok {
			found++
			if n, _ := strconv.Atoi(strings.TrimSpace(v)); n != want {
				t.Errorf("%s: the independent reader finds %s %d, %d were written", filepath.Base(file), what, n, want)
			}
		}
		for head, p := range map[string]geom.Vec3{"Minimum point": in.Min, "Maximum point": in.Max} {
			if v, ok := strings.CutPrefix(l, head); ok {
				found++
				var q geom.Vec3
				if _, err := fmt.Sscanf(strings.TrimSpace(v), "(%g %g %g)", &q.X, &q.Y, &q.Z); err != nil || q.Sub(p).Len() > 1e-5*(1+p.Len()) {
					t.Errorf("%s: %s is %s for the independent reader, %v was written", filepath.Base(file), head, v, p)
				}
			}
		}
	}
	if found != 3 {
		t.Errorf("%s: %s", filepath.Base(file), out)
	}
}

func TestMeshesAndCamera(t *testing.T) {
	s := splash()
	box := s.Add(shot.Collider)
	box.Name = "Plinth"
	val.Form.Set(box, "box")
	val.Size.Set(box, 0.1, 0.1, 0.1)
	val.Position.Set(box, 0.2, 0.05, 0)
	val.Rendered.Set(box, true)
	cam := s.Of(shot.Camera)[0]
	val.Position.Set(cam, 0, 1, 3)
	val.Target.Set(cam, 0, 1, 0)
	val.Lens.Set(cam, 50)
	c := made(t, s)
	j := &Job{Take: s, From: 1, To: 3, Name: "m", Settings: Set(val.What.Is("meshes"), val.Start.Is(101))}
	do(t, c, j)
	data, _ := os.ReadFile(filepath.Join(j.Dir, "abc", "m.abc"))
	a, err := abc.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	if len(a.Objects) != 3 {
		t.Fatalf("%d objects", len(a.Objects))
	}
	for _, o := range a.Objects {
		if math.Abs(o.First*24-101) > 1e-9 || o.N != 3 {
			t.Errorf("%s begins at frame %g with %d samples", o.Path, o.First*24, o.N)
		}
		x, err := o.Sample(2)
		if err != nil {
			t.Fatal(err)
		}
		switch {
		case o.Kind == abc.Camera:
			m := x.Matrix
			if x.Lens.Focal != 50 || math.Abs(x.Lens.Wide-3.6) > 1e-9 || x.Lens.Focus != 300 || m[14] != 3 || math.Abs(m[10]-1) > 1e-12 || math.Abs(m[0]-1) > 1e-12 {
				t.Errorf("camera %+v %v", x.Lens, m)
			}
		case strings.Contains(o.Path, "fluid"):
			if v := -signed(x); v < 0.02 || v > 0.036 { // clockwise faces: negative
				t.Errorf("the surface holds %.4f m³, 0.027 were poured", v)
			}
			if len(x.V) != len(x.P) {
				t.Errorf("%d velocities for %d points", len(x.V)/3, len(x.P)/3)
			}
			falls := 0.0
			for i := 1; i < len(x.V); i += 3 {
				falls += float64(x.V[i])
			}
			if falls >= 0 {
				t.Error("the liquid doesn't fall")
			}
		default:
			if v := -signed(x); math.Abs(v-0.001) > 1e-6 {
				t.Errorf("%s holds %.6f m³", o.Path, v)
			}
		}
	}
	tris := map[string]int{}
	for _, ext := range []string{"ply", "obj", "glb"} {
		for _, detail := range []string{"final", "half"} {
			j := &Job{Take: s, From: 3, To: 3, Name: "m", Settings: Set(val.What.Is("meshes"), val.MeshFile.Is(ext), val.MeshDetail.Is(detail), val.MeshSplit.Is("each"))}
			m := do(t, c, j)
			if len(m.Files) != 2 {
				t.Errorf("%s: %d files for two objects", ext, len(m.Files))
			}
			b, err := (&work{Job: j, src: mustOpen(t, s, c), sp: spaces["y-up"]}).fluid(3, one)
			if err != nil {
				t.Fatal(err)
			}
			tris[ext+detail] = len(b.mesh.Tri)
			assimp(t, filepath.Join(j.Dir, ext, "m_fluid.0001."+ext), "Faces:", len(b.mesh.Tri), b.mesh.Bounds())
		}
	}
	if tris["plyhalf"] > tris["plyfinal"]/3 || tris["plyhalf"] == 0 {
		t.Errorf("the draft has %d triangles, the final mesh %d", tris["plyhalf"], tris["plyfinal"])
	}
	// smoke has a surface too, and left-handed spaces turn faces round
	p := puff()
	pc := made(t, p)
	for _, axes := range []string{"y-up", "z-up-left"} {
		j = &Job{Take: p, From: 6, To: 6, Name: "m", Settings: Set(val.What.Is("meshes"), val.MeshFile.Is("ply"), val.MeshSolids.Is(false), val.Axes.Is(axes))}
		do(t, pc, j)
		b, _ := os.ReadFile(filepath.Join(j.Dir, "ply", "m.0001.ply"))
		m, err := ply.Decode(b)
		if err != nil {
			t.Fatal(err)
		}
		mesh := m.At(0)
		v := mesh.Volume()
		if axes == "z-up-left" {
			v = -v // in mirrored numbers outward faces count negative
			if up := mesh.Bounds().Max; up.Z < up.Y-0.3 {
				t.Errorf("up is not z: %v", up)
			}
		}
		if v > 0 == (axes == "z-up-left") && axes != "z-up-left" || v == 0 {
			t.Errorf("%s: the smoke's surface holds %g m³", axes, v)
		}
	}
}

// signed is the volume of a sample's triangles, counted anticlockwise.
func signed(x *abc.Sample) (v float64) {
	at := func(i int32) geom.Vec3 {
		return geom.V(float64(x.P[3*i]), float64(x.P[3*i+1]), float64(x.P[3*i+2]))
	}
	for i := 0; i < len(x.Faces); i += 3 {
		v += at(x.Faces[i]).Dot(at(x.Faces[i+1]).Cross(at(x.Faces[i+2]))) / 6
	}
	return v
}

func TestNumbered(t *testing.T) {
	for want, n := range map[string]int{"x.0007.vdb": 7, "x.-0012.vdb": -12, "x.123456.vdb": 123456} {
		if got := Numbered("x", n, 4, "vdb"); got != want {
			t.Errorf("%d is %s", n, got)
		}
	}
}

// An independent reader finds the turned voxels where they belong, with their
// values, in every precision.
func TestIndependentReaderAgrees(t *testing.T) {
	if exec.Command("/usr/bin/python3", "-c", "import pyopenvdb").Run() != nil {
		t.Skip("python3-openvdb is not installed")
	}
	s := puff()
	c := made(t, s)
	for _, precision := range []string{"half", "float", "steps"} {
		j := &Job{Take: s, From: 6, To: 6, Name: "x", Settings: Set(val.Axes.Is("z-up"), val.Scale.Is(100), val.Precision.Is(precision))}
		m := do(t, c, j)
		out, err := exec.Command("/usr/bin/python3", "-c", `
import pyopenvdb as vdb, sys
for name in ("density", "velocity"):
    g = vdb.read(sys.argv[1], name)
    n, top, at, total = 0, None, None, 0.0
    for it in g.citerOnValues():
        v = it.value
        size = v if name == "density" else (v[0]**2 + v[1]**2 + v[2]**2) ** 0.5
        n += it.count
        total += size
        if top is None or size > top:
            top, at = size, g.transform.indexToWorld(it.min)
    print(name, n, top, total, *at)
`, filepath.Join(j.Dir, filepath.FromSlash(m.Files[0].Path))).CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %s", precision, out)
		}
		own := volume(t, j.Dir, m.Files[0].Path)
		for _, l := range strings.Split(strings.TrimSpace(string(out)), "\n") {
			var name string
			var n int
			var top, total float64
			var at [3]float64
			if _, err := fmt.Sscan(l, &name, &n, &top, &total, &at[0], &at[1], &at[2]); err != nil {
				t.Fatal(err, l)
			}
			mine := where(own.Grid(name))
			sum, most := 0.0, 0.0
			for _, v := range mine {
				size := 0.0
				for _, x := range v {
					size += x * x
				}
				sum, most = sum+math.Sqrt(size), max(most, math.Sqrt(size))
			}
			key := [3]int64{int64(math.Round(at[0] * 1e6)), int64(math.Round(at[1] * 1e6)), int64(math.Round(at[2] * 1e6))}
			if n != len(mine) || math.Abs(top-most) > 1e-6*most || math.Abs(total/sum-1) > 1e-6 || mine[key] == nil {
				t.Errorf("%s: the independent reader says %s; %d voxels, at most %g, %g in all here", precision, l, len(mine), most, sum)
			}
		}
	}
}

// The block size that is offered does fit, and one less doesn't.
func TestTooLongATableOffersWhatFits(t *testing.T) {
	for _, n := range []int{162, 200, 323, 400, 1000} {
		err := tooLong(3, [3]int{n, n, n}, 1)
		var need int
		_, rest, _ := strings.Cut(err.Error(), "take ")
		if _, e := fmt.Sscanf(rest, "%d voxels", &need); e != nil {
			t.Fatal(err)
		}
		fits := func(k int) bool { return math.Pow(float64(n)/float64(k), 3) <= maxLines }
		if !fits(need) || fits(need-1) {
			t.Errorf("%d³: %d is offered", n, need)
		}
	}
}

// Where solids are wet goes out where it was kept, under the name that it is given.
func TestWetSolidsGoOut(t *testing.T) {
	for _, kept := range []bool{true, false} {
		s := splash()
		post := s.Add(shot.Collider)
		val.Form.Set(post, "box")
		val.Size.Set(post, 0.1, 0.4, 0.1)
		val.Position.Set(post, 0.1, 0.2, 0)
		val.WetMap.Set(s.Of(shot.Domain)[0], kept)
		j := &Job{Take: s, From: 3, To: 3, Name: "w", Settings: Set(val.What.Is("volumes"), val.WetAs.Is("damp"))}
		do(t, made(t, s), j)
		names, err := filepath.Glob(filepath.Join(j.Dir, "vdb", "*.vdb"))
		if err != nil || len(names) != 1 {
			t.Fatalf("%v %v", names, err)
		}
		data, err := os.ReadFile(names[0])
		if err != nil {
			t.Fatal(err)
		}
		f, err := vdb.Decode(data, vdb.DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		found := false
		for _, g := range f.Grids {
			found = found || g.Name == "damp" && len(g.Leaves) > 0
		}
		if found != kept {
			t.Errorf("kept %t: the file holds it %t", kept, found)
		}
	}
}

// Foam goes out as a volume, in every file once there is some in one; and a surface with ripples
// on its own cells.
func TestFoamAndRipplesGoOut(t *testing.T) {
	read := func(foam float64, from, to int) (out []*vdb.File) {
		s := splash()
		d := s.Of(shot.Domain)[0]
		val.Ripples.Set(d, "2")
		val.Foam.Set(d, foam)
		if foam > 0 { // none in the first frames
			d.SetKey(val.Foam, shot.Key{Frame: 1, Value: shot.Num(0), Way: "hold"})
			d.SetKey(val.Foam, shot.Key{Frame: 2, Value: shot.Num(foam)})
		}
		val.Push.Set(s.Of(shot.Emitter)[0], 5, -3, 0)
		j := &Job{Take: s, From: from, To: to, Name: "w", Settings: Set(val.What.Is("volumes"), val.FoamAs.Is("froth"))}
		do(t, made(t, s), j)
		names, err := filepath.Glob(filepath.Join(j.Dir, "vdb", "*.vdb"))
		if err != nil || len(names) != to-from+1 {
			t.Fatalf("%v %v", names, err)
		}
		for _, n := range names {
			data, err := os.ReadFile(n)
			if err != nil {
				t.Fatal(err)
			}
			f, err := vdb.Decode(data, vdb.DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, f)
		}
		return out
	}
	files := read(9000, 1, 3)
	a, b := files[0].Grid("froth"), files[2].Grid("froth")
	if a == nil || b == nil || len(a.Leaves) > 0 || len(b.Leaves) == 0 {
		t.Fatalf("of foam there is %v, then %v", a, b)
	}
	if a.Transform.M != b.Transform.M || a.Class != b.Class {
		t.Errorf("foam lies elsewhere in a frame that has none: %v, %v", a.Transform.M, b.Transform.M)
	}
	size := func(g *vdb.Grid) float64 { return g.Transform.VoxelSize()[0] }
	if r := size(files[2].Grid("density")) / size(files[2].Grid("surface")); math.Abs(r-4) > 1e-6 {
		t.Errorf("%.3f cells of the surface along a voxel", r)
	}
	if g := read(0, 2, 2)[0].Grid("froth"); g != nil {
		t.Error("a liquid without foam hands some over")
	}
}
