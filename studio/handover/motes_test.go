package handover

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/format"
	"zarf/core/format/abc"
	"zarf/core/format/ply"
	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/run"
)

// fountain throws particles up that soon die.
func fountain() *shot.Shot {
	s := shot.New("fountain")
	val.Last.Set(s.Self, 6)
	d := s.Add(shot.Domain)
	val.Fluid.Set(d, "particles")
	val.Voxel.Set(d, 0.1)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.5, 0)
	val.BirthRate.Set(e, 2400)
	val.Life.Set(e, 0.1)
	val.Speed.Set(e, 2)
	val.Temperature.Set(e, 900)
	return s
}

// Particles that live on their own keep their identity and their numbers in every file, in
// the receiver's unit of length; those that died in a frame aren't in it.
func TestParticlesKeepTheirIdentity(t *testing.T) {
	s := fountain()
	c := made(t, s)
	src, err := run.Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	all, err := src.Stage.LoadPoints(5)
	if err != nil {
		t.Fatal(err)
	}
	alive := all.Alive()
	if len(alive.P) < 100 || len(alive.P) == len(all.P) {
		t.Fatalf("%d of %d live", len(alive.P), len(all.P))
	}
	j := &Job{Take: s, From: 1, To: 6, Name: "p", Settings: Set(val.What.Is("points"), val.Scale.Is(100))}
	do(t, c, j)
	data, err := os.ReadFile(filepath.Join(j.Dir, "abc", "p.abc"))
	if err != nil {
		t.Fatal(err)
	}
	a, err := abc.Decode(data)
	if err != nil || len(a.Objects) != 1 {
		t.Fatal(err)
	}
	x, err := a.Objects[0].Sample(4)
	if err != nil {
		t.Fatal(err)
	}
	if len(x.IDs) != len(alive.P) || len(x.Widths) != len(alive.P) {
		t.Fatalf("%d identities and %d sizes of %d", len(x.IDs), len(x.Widths), len(alive.P))
	}
	id, size := alive.Of("id"), alive.Of("size")
	for n := range x.IDs {
		if float32(x.IDs[n]) != id[n] || math.Abs(float64(x.Widths[n]/size[n]-100)) > 1e-3 {
			t.Fatalf("particle %d has identity %d and size %g, %g and %g are kept", n, x.IDs[n], x.Widths[n], id[n], size[n])
		}
	}
	names := map[string]bool{}
	for _, e := range x.Extra {
		names[e.Name] = len(e.V) == len(x.IDs)
	}
	if !names["age"] || !names["temperature"] || !names["life"] {
		t.Errorf("it holds %v", names)
	}
	j = &Job{Take: s, From: 5, To: 5, Name: "p", Settings: Set(val.What.Is("points"), val.PointFile.Is("ply"), val.PointNumbers.Is(false))}
	do(t, c, j)
	b, err := os.ReadFile(filepath.Join(j.Dir, "ply", "p.0001.ply"))
	if err != nil {
		t.Fatal(err)
	}
	p, err := ply.DecodePoints(b)
	if err != nil || len(p.P) != len(alive.P) || p.Of("id")[9] != id[9] || p.Of("age") != nil {
		t.Errorf("PLY holds %d particles, %v", len(p.P), err)
	}
}

// A take whose particles are gone from the cache is told by its frame.
func TestParticlesThatAreGoneAreTold(t *testing.T) {
	s := fountain()
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	files, _ := filepath.Glob(filepath.Join(src.Stage.Dir, "*.ply"))
	if len(files) == 0 {
		t.Fatal("no files of particles")
	}
	for _, f := range files {
		os.Remove(f)
	}
	j := &Job{Take: s, From: 1, To: 6, Name: "p", Dir: t.TempDir(), Settings: Set(val.What.Is("points"))}
	if err := j.Do(context.Background(), c, quiet); err == nil {
		t.Error("frames without particles were handed over")
	}
}

// lumps are a few particles drawn as meshes, coloured by their age, that come to rest.
func lumps() *shot.Shot {
	s := fountain()
	d := s.Of(shot.Domain)[0]
	val.ShownAs.Set(d, "stones")
	val.OnHit.Set(d, "stick")
	e := s.Of(shot.Emitter)[0]
	val.BirthRate.Set(e, 120)
	val.Life.Set(e, 0)
	val.Speed.Set(e, 5)
	val.SolidDensity.Set(e, 3000)
	val.Spin.Set(e, 4)
	floor := s.Add(shot.Collider)
	val.Form.Set(floor, "box")
	val.Size.Set(floor, 4, 0.2, 4)
	val.Position.Set(floor, 0, 0.3, 0)
	val.MoteBy.Set(s.Looks[0], "age")
	val.MoteHigh.Set(s.Looks[0], 0.25)
	if p := val.MoteRamp.Is("0 1 0 0; 1 0 0 1"); s.Looks[0].Put(p.Name, p.Value) != nil {
		panic(p)
	}
	return s
}

// archive is the Alembic file of a handover.
func archive(t *testing.T, file ...string) *abc.Archive {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(file...))
	if err != nil {
		t.Fatal(err)
	}
	a, err := abc.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// extra is an attribute of a sample; none where it hasn't got it.
func extra(s *abc.Sample, name string) []float32 {
	for _, e := range s.Extra {
		if e.Name == name {
			return e.V
		}
	}
	return nil
}

// Particles go out by what they are drawn as, naming their mesh and how they are turned: what
// a receiver puts together of that is what goes out as meshes.
func TestParticlesThatNameTheirMesh(t *testing.T) {
	s := lumps()
	c := made(t, s)
	for _, axes := range []string{"y-up", "z-up", "y-up-left"} {
		named := &Job{Take: s, From: 1, To: 6, Name: "n", Settings: Set(val.What.Is("points"), val.PointAs.Is("named"), val.PointChosen.Is("age, temperature"), val.PointColours.Is(true), val.Axes.Is(axes), val.Scale.Is(100))}
		m := do(t, c, named)
		x, err := archive(t, named.Dir, "abc", "n.abc").Objects[0].Sample(5)
		if err != nil {
			t.Fatal(err)
		}
		if len(m.Meshes) != 8 || m.Colours == nil || m.Colours.By != "age" || len(m.Colours.Ramp) != 2 {
			t.Fatalf("%s: the manifest tells of %v and %v", axes, m.Meshes, m.Colours)
		}
		if extra(x, "age") == nil || extra(x, "density") != nil {
			t.Errorf("%s: other numbers than were asked for", axes)
		}
		whole := &Job{Take: s, From: 1, To: 6, Name: "w", Settings: Set(val.What.Is("points"), val.PointAs.Is("meshes"), val.PointColours.Is(true), val.Axes.Is(axes), val.Scale.Is(100))}
		do(t, c, whole)
		y, err := archive(t, whole.Dir, "abc", "w.abc").Objects[0].Sample(5)
		if err != nil {
			t.Fatal(err)
		}
		var shapes []*geom.Mesh
		for _, name := range m.Meshes {
			data, err := os.ReadFile(filepath.Join(named.Dir, name))
			if err != nil {
				t.Fatal(err)
			}
			model, err := format.Of("obj").Model(data, nil, format.Options{Unit: 1})
			if err != nil {
				t.Fatal(err)
			}
			shapes = append(shapes, model.At(0))
		}
		at, mesh, red, blue := 0, extra(x, "mesh"), extra(x, "red"), extra(x, "blue")
		for i := range x.IDs {
			q := geom.Quat{X: float64(extra(x, "orient_x")[i]), Y: float64(extra(x, "orient_y")[i]), Z: float64(extra(x, "orient_z")[i]), W: float64(extra(x, "orient_w")[i])}
			for _, p := range shapes[int(mesh[i])].P {
				want := q.Mat3().Apply(p).Mul(float64(x.Widths[i])).Add(geom.V(float64(x.P[3*i]), float64(x.P[3*i+1]), float64(x.P[3*i+2])))
				if d := want.Sub(geom.V(float64(y.P[3*at]), float64(y.P[3*at+1]), float64(y.P[3*at+2]))).Len(); d > 1e-3*float64(x.Widths[i]) {
					t.Fatalf("%s: corner %d of particle %d is %g units off", axes, at, i, d)
				}
				at++
			}
		}
		if 3*at != len(y.P) {
			t.Errorf("%s: %d corners of %d", axes, at, len(y.P)/3)
		}
		// the oldest are blue, the youngest red
		age := extra(x, "age")
		for i := range age {
			u := min(max(age[i]/0.25, 0), 1)
			if k := float32(s.Looks[0].Get("particle_colour").Vec[0]); math.Abs(float64(red[i]-k*(1-u))) > 0.002 || blue[i] > 0.3 {
				t.Fatalf("%s: at %g s particle %d is %g red", axes, age[i], i, red[i])
			}
		}
	}
}

// Groups are files or objects of their own: by mesh, by whether they rest, one a particle; an
// object is there on all frames, empty where it has nothing yet.
func TestParticlesInGroups(t *testing.T) {
	s := lumps()
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	last, err := src.Stage.LoadPoints(6)
	if err != nil {
		t.Fatal(err)
	}
	ever := map[float32]bool{} // who lived on any frame
	for n := 1; n <= 6; n++ {
		p, _ := src.Stage.LoadPoints(n)
		for _, id := range p.Alive().Of("id") {
			ever[id] = true
		}
	}
	last = last.Alive()
	resting := 0
	for _, v := range last.Of("state") {
		if v == 1 {
			resting++
		}
	}
	if resting == 0 || resting == len(last.P) {
		t.Fatalf("%d of %d rest", resting, len(last.P))
	}
	for by, groups := range map[string]int{"mesh": 8, "state": 2, "particle": len(ever)} {
		j := &Job{Take: s, From: 1, To: 6, Name: "g", Settings: Set(val.What.Is("points"), val.PointGroups.Is(by))}
		do(t, c, j)
		a := archive(t, j.Dir, "abc", "g.abc")
		sum, second := 0, 0
		for n, o := range a.Objects {
			x, err := o.Sample(5)
			if err != nil {
				t.Fatal(err)
			}
			sum += len(x.IDs)
			if n == 1 {
				second = len(x.IDs)
			}
			if by == "particle" && len(x.IDs) > 1 {
				t.Errorf("an object of %d particles", len(x.IDs))
			}
		}
		if len(a.Objects) != groups || sum != len(last.P) || by == "state" && second != resting {
			t.Errorf("%s: %d groups with %d particles, of %d; %d rest, %d were written", by, len(a.Objects), sum, len(last.P), resting, second)
		}
	}
	j := &Job{Take: s, From: 6, To: 6, Name: "g", Settings: Set(val.What.Is("points"), val.PointGroups.Is("state"), val.MeshSplit.Is("each"), val.PointFile.Is("ply"), val.PointColours.Is(true))}
	do(t, c, j)
	for _, name := range []string{"g_flying.0001.ply", "g_resting.0001.ply"} {
		b, err := os.ReadFile(filepath.Join(j.Dir, "ply", name))
		if err != nil {
			t.Fatal(err)
		}
		if p, err := ply.DecodePoints(b); err != nil || p.Of("red") == nil || len(p.P) == 0 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// What can't be is said before anything is written: meshes of dots, groups by mesh of dots, an
// object for each of too many, groups of a liquid that only particles have.
func TestParticlesThatCantBeHandedOver(t *testing.T) {
	s := fountain()
	c := made(t, s)
	many := lumps()
	val.BirthRate.Set(many.Of(shot.Emitter)[0], 30000)
	cm := made(t, many)
	for name, j := range map[string]*Job{
		"no meshes":              {Take: s, Settings: Set(val.What.Is("points"), val.PointAs.Is("meshes"))},
		"no meshes to group":     {Take: s, Settings: Set(val.What.Is("points"), val.PointGroups.Is("mesh"))},
		"too many for an object": {Take: many, Settings: Set(val.What.Is("points"), val.PointGroups.Is("particle"))},
	} {
		j.From, j.To, j.Name, j.Dir = 1, 6, "x", t.TempDir()
		of := c
		if j.Take == many {
			of = cm
		}
		if err := j.Do(context.Background(), of, quiet); err == nil || !strings.Contains(err.Error(), name) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A liquid's points go out by what they are, with their kind, age and identity.
func TestFoamGoesOutByKind(t *testing.T) {
	s := splash()
	val.Foam.Set(s.Of(shot.Domain)[0], 9000)
	val.Push.Set(s.Of(shot.Emitter)[0], 5, -3, 0) // thrown against the wall
	val.CachePoints.Set(s.Of(shot.Domain)[0], "all")
	c := made(t, s)
	src, _ := run.Open(s, "", c)
	b, err := src.Stage.ReadPoints(3)
	if err != nil || b == nil {
		t.Fatal("the run kept no particles", err)
	}
	in, err := ply.DecodePoints(b)
	if err != nil {
		t.Fatal(err)
	}
	count := map[float32]int{}
	for _, k := range in.Of("kind") {
		count[k]++
	}
	if len(count) < 2 {
		t.Fatalf("the splash has no foam: %v", count)
	}
	j := &Job{Take: s, From: 3, To: 3, Name: "p", Settings: Set(val.What.Is("points"), val.PointFile.Is("ply"), val.PointGroups.Is("foam"), val.MeshSplit.Is("each"))}
	do(t, c, j)
	for k, name := range kinds {
		files, _ := filepath.Glob(filepath.Join(j.Dir, "ply", "p_"+name+"*.ply"))
		if len(files) != 1 {
			t.Fatalf("%s: %v", name, files)
		}
		data, err := os.ReadFile(files[0])
		if err != nil {
			t.Fatal(err)
		}
		p, err := ply.DecodePoints(data)
		if err != nil || len(p.P) != count[float32(k)] {
			t.Fatalf("%s: %d points of %d, %v", name, len(p.P), count[float32(k)], err)
		}
		for i, v := range p.Of("kind") {
			if v != float32(k) || k > 0 && (p.IDs()[i] == 0 || p.Of("age")[i] < 0) {
				t.Fatalf("%s: point %d is of kind %g, number %d, %g s old", name, i, v, p.IDs()[i], p.Of("age")[i])
			}
		}
	}
}
