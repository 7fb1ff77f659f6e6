package web

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"zarf/core/format/vdb"
	"zarf/core/shot"
)

// outsideFrame is a VDB file as others may write it: a ball of smoke in
// centimetres, channels under other names, one that nobody here knows.
func outsideFrame(t *testing.T, n int, bad float32) []byte {
	t.Helper()
	d := [3]int{16, 16, 16}
	smoke, odd := make([]float32, 16*16*16), make([]float32, 16*16*16)
	vel := [3][]float32{make([]float32, 4096), make([]float32, 4096), make([]float32, 4096)}
	for i := range smoke {
		x, y, z := float64(i%16)-8, float64(i/16%16)-8, float64(i/256)-8
		if math.Sqrt(x*x+y*y+z*z) < 5 {
			smoke[i], odd[i] = 0.8+0.01*float32(n), 1
			vel[1][i] = 50 // cm/s
		}
	}
	if bad != 0 {
		smoke[2000] = bad
	}
	g := []*vdb.Grid{vdb.FromDense("Smoke", [3]int{}, d, [][]float32{smoke}, 0, 0, nil), vdb.FromDense("vel", [3]int{}, d, vel[:], 0, 0, nil), vdb.FromDense("crumbs", [3]int{}, d, [][]float32{odd}, 0, 0, nil)}
	for _, x := range g {
		x.Transform = vdb.Uniform(5, [3]float64{-40, 10, -40}) // 5 cm
	}
	var b bytes.Buffer
	if err := vdb.Write(&b, g, vdb.Options{}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestSequenceFromOutsideFeedsADomain(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("SQ")
	d.Self.Values["last"] = shot.Num(8)
	box := d.Add(shot.Domain)
	box.Values["size"], box.Values["voxel"], box.Values["position"] = shot.Vec(1.2, 1.2, 1.2), shot.Num(0.06), shot.Vec(0, 0.6, 0)
	seq := d.Add(shot.Sequence)
	seq.Values["scale"], seq.Values["start"] = shot.Num(0.01), shot.Num(3)
	e := d.Add(shot.Emitter)
	e.Values["from"], e.Values["fed_by"], e.Values["smoke"] = shot.Text("fluid"), shot.Text(seq.ID), shot.Num(1)
	row := s.add(t, d)
	files := map[string][]byte{}
	for _, n := range []int{101, 102, 104} {
		files[fmt.Sprintf("puff_v2.%04d.vdb", n)] = outsideFrame(t, n, 0)
	}
	// before any frame is there the run says so
	s.post(t, "/shots/sq/run", "takes")
	s.idle(t)
	tk, _ := s.st.Store.Take(row.ID, 1)
	if j := s.job(t, tk.ID); !strings.Contains(j.Message, "holds no frames yet") {
		t.Errorf("without frames: %s %s", j.State, j.Message)
	}
	code, said := s.upload(t, "/shots/sq/sequence/"+seq.ID, files)
	if code != 200 || !strings.Contains(said, "frames 103 to 103 are missing") || !strings.Contains(said, "crumbs") {
		t.Fatalf("%d %s", code, said)
	}
	if v := doc(t, s, row).Element(seq.ID).Get("frames").Text; !strings.HasSuffix(v, "/puff_v2 101–104") {
		t.Errorf("it is called %q", v)
	}
	// frame 5 of the shot would be 103, which is missing: named
	s.post(t, "/shots/sq/run", "takes")
	s.idle(t)
	tk, _ = s.st.Store.Take(row.ID, 2)
	if j := s.job(t, tk.ID); !strings.Contains(j.Message, "frame 103") {
		t.Errorf("with a gap: %s %s", j.State, j.Message)
	}
	files["puff_v2.0103.vdb"] = outsideFrame(t, 103, 0)
	if code, said := s.upload(t, "/shots/sq/sequence/"+seq.ID, files); code != 200 {
		t.Fatalf("%d %s", code, said)
	}
	tk = s.finish(t, row)
	st := s.st.Cache.Stage(tk.Key)
	for n, want := range map[int]bool{2: false, 3: true, 6: true} {
		f, _ := st.Get(n)
		if got := f.Totals["smoke"] > 0; got != want {
			t.Errorf("frame %d holds %g m³ of smoke", n, f.Totals["smoke"])
		}
	}
	// where the file has it: a ball of 25 cm about (0, 0.5, 0), and its 0.5 m/s
	f, _ := st.Get(3)
	ball := 4.0 / 3 * math.Pi * math.Pow(0.25, 3) * 1.81
	if got := f.Totals["smoke"]; math.Abs(got/ball-1) > 0.25 {
		t.Errorf("frame 3 holds %g m³ of smoke, the file %g", got, ball)
	}
	if v := f.Totals["speed"]; v < 0.3 || v > 1 {
		t.Errorf("it moves at %g m/s, the file at 0.5", v)
	}
	stale := doc(t, s, row)
	stale.Element(seq.ID).Values["start"] = shot.Num(4)
	for what, bad := range map[string]map[string][]byte{
		"no number":     {"smoke.vdb": outsideFrame(t, 1, 0)},
		"no VDB":        {"smoke.0001.vdb": []byte("nothing of the kind")},
		"cut off":       {"smoke.0001.vdb": outsideFrame(t, 1, 0)[:900]},
		"NaN":           {"smoke.0001.vdb": outsideFrame(t, 1, float32(math.NaN()))},
		"number twice":  {"a.1.vdb": outsideFrame(t, 1, 0), "a.01.vdb": outsideFrame(t, 1, 0)},
		"absurd number": {"a.99999999999.vdb": outsideFrame(t, 1, 0)},
	} {
		before := doc(t, s, row).Element(seq.ID).Get("frames").Text
		if code, said := s.upload(t, "/shots/sq/sequence/"+seq.ID, bad); code != 422 || len(said) < 10 {
			t.Errorf("%s: %d %s", what, code, said)
		}
		if doc(t, s, row).Element(seq.ID).Get("frames").Text != before {
			t.Errorf("%s: the frames that were there are lost", what)
		}
	}
	if code, _ := s.upload(t, "/shots/sq/sequence/emitter1", files); code != 422 {
		t.Errorf("frames for an emitter: %d", code)
	}
}
