package handover

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"testing"

	"zarf/core/format/abc"
	"zarf/core/format/ply"
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
