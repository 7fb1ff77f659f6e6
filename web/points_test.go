package web

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/abc"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/studio/run"
)

// plyOf is a text file of points as others may write it: identity, radius, charge.
func plyOf(rows ...string) []byte {
	return []byte(fmt.Sprintf("ply\nformat ascii 1.0\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\nproperty int id\nproperty float radius\nproperty float charge\nend_header\n%s\n", len(rows), strings.Join(rows, "\n")))
}

// Points are brought in with all their numbers: the sheet says what was found and what it is
// read as, pictures show them by their identity, and a domain is fed by what becomes of them.
func TestPointsFromOutsideAreParticles(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("PT")
	val.Last.Set(d.Self, 5)
	dust := d.Add(shot.Domain)
	for _, p := range []val.Pair{val.Fluid.Is("particles"), val.Position.Is(0, 1, 0), val.Size.Is(4, 4, 4), val.Voxel.Is(0.1)} {
		if err := dust.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	seq := d.Add(shot.Sequence)
	val.ShownAs.Set(seq, "blocks")
	e := d.Add(shot.Emitter)
	for _, p := range []val.Pair{val.From.Is("fluid"), val.FedBy.Is(seq.ID), val.BirthMoment.Is("death"), val.BirthCount.Is(12), val.Inherit.Is(0), val.Life.Is(0)} {
		if err := e.Put(p.Name, p.Value); err != nil {
			t.Fatal(err)
		}
	}
	row := s.add(t, d)
	// identities of over 24 bits; the order changes, and one goes at the fourth frame
	const a, b = 100_000_001, 100_000_002
	files := map[string][]byte{}
	for n := 1; n <= 5; n++ {
		one, two := fmt.Sprintf("%g 1 0 %d 0.05 3", 0.1*float64(n), a), fmt.Sprintf("0 1 %g %d 0.1 7", 0.2*float64(n), b)
		rows := []string{one, two}
		switch {
		case n >= 4:
			rows = rows[:1]
		case n%2 == 0:
			rows[0], rows[1] = two, one
		}
		files[fmt.Sprintf("crumbs.%04d.ply", n)] = plyOf(rows...)
	}
	if code, said := s.upload(t, "/shots/pt/sequence/"+seq.ID, files); code != 200 {
		t.Fatal(code, said)
	}
	if _, body := s.get(t, "/shots/pt/sheet?el="+seq.ID); !strings.Contains(body, "charge: 3 to 7") || !strings.Contains(body, "Size is read from radius.") || !strings.Contains(body, "Identities from 100000001 to 100000002.") || strings.Contains(body, "id_high") || strings.Contains(body, "no identity") {
		t.Error("the sheet doesn't tell what was found and what it is read as")
	}
	// they are seen before there is any take, in the viewport
	if scr, _ := s.screen(t, "/shots/pt/volume/0/2"); len(scr.Parts) != 1 || scr.Parts[0].Particles != 2 || len(scr.Parts[0].Forms) != 1 {
		t.Errorf("without a take the viewport has %+v", scr.Parts)
	}
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/pt/stage?frame=2")
	h.until(`() => zarf.view && zarf.view.liquid.group.children.some((c) => c.geometry.instanceCount === 2)`)
	tk := s.finish(t, row)
	st := s.st.Cache.Stage(tk.Key)
	for n, want := range map[int]float64{3: 0, 4: 12, 5: 12} {
		f, _ := st.Get(n)
		if got := run.StatsOf(f).Of(sim.Particles); got != want {
			t.Errorf("frame %d has %g particles, %g were born of the one that went at frame 4", n, got, want)
		}
	}
	now := doc(t, s, row)
	src, err := run.Open(now, dust.ID, s.st.Cache)
	if err != nil {
		t.Fatal(err)
	}
	for n, want := range map[int]int{2: 2, 5: 1} {
		sc, err := src.Scene(n, now, now.Looks[0], grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		m := sc.Motes[len(sc.Motes)-1]
		if len(sc.Motes) != 2 || len(m.P) != want || len(m.Shape.Meshes) != 1 {
			t.Fatalf("frame %d: %d sets, the last of %d drawn as %d meshes", n, len(sc.Motes), len(m.P), len(m.Shape.Meshes))
		}
		for i, id := range m.ID {
			if id == a && (math.Abs(float64(m.Size[i]-0.1)) > 1e-6 || math.Abs(float64(m.V[i][0]-2.4)) > 1e-3) {
				t.Errorf("frame %d: %d is %g m and moves at %v", n, id, m.Size[i], m.V[i])
			}
			if id != a && id != b {
				t.Errorf("frame %d: an identity became %d", n, id)
			}
		}
		scr, _, err := src.Screen(n, 64, ":charge", now, now.Looks[0], grid.NewCrew(1))
		if err != nil || len(scr.Parts) != 2 || scr.Parts[1].By != "charge" || len(scr.Parts[1].Forms) != 1 {
			t.Errorf("frame %d on a page: %v", n, err)
		}
	}
	// a number that is none is named, and what is there stays
	was := val.Frames.Of(now.Element(seq.ID))
	files["crumbs.0002.ply"] = plyOf("0 1 0 5 0.1 nan")
	if code, said := s.upload(t, "/shots/pt/sequence/"+seq.ID, files); code != 422 || !strings.Contains(said, "charge of point 0 is NaN") {
		t.Errorf("with NaN: %d %s", code, said)
	}
	if v := val.Frames.Of(doc(t, s, row).Element(seq.ID)); v != was {
		t.Errorf("it holds %q now, %q before", v, was)
	}
	// out of the picture it is not drawn
	val.Rendered.Set(now.Element(seq.ID), false)
	src.Shot = now
	if sc, err := src.Scene(2, now, now.Looks[0], grid.NewCrew(1)); err != nil || len(sc.Motes) != 1 {
		t.Errorf("out of the picture: %d sets, %v", len(sc.Motes), err)
	}
}

// Points of several objects of an Alembic file come with identity, width and whatever else
// all of them have, and with which object they are of.
func TestPointsOfAnAlembicFile(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("AP")
	seq := d.Add(shot.Sequence)
	row := s.add(t, d)
	var b asFile
	w := abc.NewWriter(&b, abc.Info{App: "test", Rate: 24})
	for k := range 2 {
		o := w.Object(fmt.Sprintf("o%d", k), abc.Points)
		for n := range 3 {
			base := float32(10 * k)
			smp := &abc.Sample{P: []float32{base, 0, float32(n), base + 1, 0, float32(n)}, IDs: []uint64{uint64(k)<<30 + 1, uint64(k)<<30 + 2}, Widths: []float32{0.2, 0.4},
				Extra: []abc.Extra{{Name: "moist", Comps: 1, V: []float32{base, base + 0.5}}, {Name: "Cs", Comps: 3, V: []float32{1, 0, 0, 0, 1, 0}}}}
			if err := o.Add(smp); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if code, said := s.upload(t, "/shots/ap/sequence/"+seq.ID, map[string][]byte{"p.abc": b.data}); code != 200 {
		t.Fatal(code, said)
	}
	_, body := s.get(t, "/shots/ap/sheet?el="+seq.ID)
	for _, want := range []string{"moist: 0 to 10.5", "Cs_y: 0 to 1", "object: 0 to 1", "size: 0.2 to 0.4", "Identities from 1 to 1073741826."} {
		if !strings.Contains(body, want) {
			t.Errorf("the sheet doesn't tell of %q", want)
		}
	}
	ref, _, _ := strings.Cut(val.Frames.Of(doc(t, s, row).Element(seq.ID)), "/")
	p, err := s.st.Cache.Stage(ref).LoadPoints(1)
	if err != nil || len(p.P) != 4 || p.Of("moist")[3] != 10.5 || p.Of("id_high")[2] != 1<<6 {
		t.Errorf("%v: %v", err, p)
	}
}
