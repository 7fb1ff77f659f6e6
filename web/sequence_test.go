package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"zarf/core/format/abc"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/studio/run"
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
	g := []*frame.Grid{frame.FromDense("Smoke", [3]int{}, d, [][]float32{smoke}, 0, 0, nil), frame.FromDense("vel", [3]int{}, d, vel[:], 0, 0, nil), frame.FromDense("crumbs", [3]int{}, d, [][]float32{odd}, 0, 0, nil)}
	for _, x := range g {
		x.Transform = frame.Uniform(5, [3]float64{-40, 10, -40}) // 5 cm
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
	val.Last.Set(d.Self, 8)
	box := d.Add(shot.Domain)
	val.Size.Set(box, 1.2, 1.2, 1.2)
	val.Voxel.Set(box, 0.06)
	val.Position.Set(box, 0, 0.6, 0)
	seq := d.Add(shot.Sequence)
	val.Scale.Set(seq, 0.01)
	val.Start.Set(seq, 3)
	e := d.Add(shot.Emitter)
	val.From.Set(e, "fluid")
	val.FedBy.Set(e, seq.ID)
	val.Smoke.Set(e, 1)
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
	if v := val.Frames.Of(doc(t, s, row).Element(seq.ID)); !strings.HasSuffix(v, "/puff_v2 101–104") {
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
		if got := run.StatsOf(f).Of(sim.SmokeTotal) > 0; got != want {
			t.Errorf("frame %d holds %g m³ of smoke", n, run.StatsOf(f).Of(sim.SmokeTotal))
		}
	}
	// where the file has it: a ball of 25 cm about (0, 0.5, 0), and its 0.5 m/s
	f, _ := st.Get(3)
	ball := 4.0 / 3 * math.Pi * math.Pow(0.25, 3) * 1.81
	if got := run.StatsOf(f).Of(sim.SmokeTotal); math.Abs(got/ball-1) > 0.25 {
		t.Errorf("frame 3 holds %g m³ of smoke, the file %g", got, ball)
	}
	if v := run.StatsOf(f).MaxSpeed; v < 0.3 || v > 1 {
		t.Errorf("it moves at %g m/s, the file at 0.5", v)
	}
	stale := doc(t, s, row)
	val.Start.Set(stale.Element(seq.ID), 4)
	for what, bad := range map[string]map[string][]byte{
		"no number":     {"smoke.vdb": outsideFrame(t, 1, 0)},
		"no VDB":        {"smoke.0001.vdb": []byte("nothing of the kind")},
		"cut off":       {"smoke.0001.vdb": outsideFrame(t, 1, 0)[:900]},
		"NaN":           {"smoke.0001.vdb": outsideFrame(t, 1, float32(math.NaN()))},
		"number twice":  {"a.1.vdb": outsideFrame(t, 1, 0), "a.01.vdb": outsideFrame(t, 1, 0)},
		"absurd number": {"a.99999999999.vdb": outsideFrame(t, 1, 0)},
	} {
		before := val.Frames.Of(doc(t, s, row).Element(seq.ID))
		if code, said := s.upload(t, "/shots/sq/sequence/"+seq.ID, bad); code != 422 || len(said) < 10 {
			t.Errorf("%s: %d %s", what, code, said)
		}
		if val.Frames.Of(doc(t, s, row).Element(seq.ID)) != before {
			t.Errorf("%s: the frames that were there are lost", what)
		}
	}
	if code, _ := s.upload(t, "/shots/sq/sequence/emitter1", files); code != 422 {
		t.Errorf("frames for an emitter: %d", code)
	}
}

// An Alembic file whose samples are ages apart is refused in words, and a sheet over
// frames that are far apart is written at once.
func TestSamplesThatAreAgesApart(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("AG")
	seq := d.Add(shot.Sequence)
	s.add(t, d)
	far := func(cycle float64) []byte {
		var b asFile
		w := abc.NewWriter(&b, abc.Info{App: "test", Rate: 1 / cycle})
		o := w.Object("p", abc.Points)
		for n := range 6 {
			if err := o.Add(&abc.Sample{P: []float32{float32(n), 0, 0, 1, 1, 1}}); err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		return b.data
	}
	begin := time.Now()
	for what, file := range map[string][]byte{"a billion seconds": far(1e9), "1e300 seconds": far(1e300)} {
		if code, said := s.upload(t, "/shots/ag/sequence/"+seq.ID, map[string][]byte{"far.abc": file}); code != 422 || !strings.Contains(said, "-100000 to 1000000 can be") {
			t.Errorf("%s: %d %s", what, code, said)
		}
	}
	// two frames a million apart
	if code, said := s.upload(t, "/shots/ag/sequence/"+seq.ID, map[string][]byte{"p.-00900.vdb": outsideFrame(t, 1, 0), "p.999000.vdb": outsideFrame(t, 2, 0)}); code != 200 {
		t.Fatal(code, said)
	}
	if _, body := s.get(t, "/shots/ag/sheet?el="+seq.ID); !strings.Contains(body, "-899–998999") {
		t.Error("the sheet doesn't name the gap")
	}
	if took := time.Since(begin); took > 5*time.Second {
		t.Errorf("it took %v", took)
	}
}

// A sequence of which one file can't be read leaves none of its frames behind, and
// one that was there before stays whole.
func TestARefusedSequenceLeavesNothing(t *testing.T) {
	s := serve(t, t.TempDir())
	d := shot.New("RS")
	seq := d.Add(shot.Sequence)
	s.add(t, d)
	stages := func() int {
		l, _ := os.ReadDir(s.st.Cache.Root)
		return len(l)
	}
	files := map[string][]byte{"p.0001.vdb": outsideFrame(t, 1, 0), "p.0002.vdb": outsideFrame(t, 2, 0), "p.0003.vdb": outsideFrame(t, 3, 0)[:2000]}
	if code, said := s.upload(t, "/shots/rs/sequence/"+seq.ID, files); code != 422 || !strings.Contains(said, "p.0003.vdb") {
		t.Errorf("%d %s", code, said)
	}
	if n := stages(); n != 0 {
		t.Errorf("%d stages are left", n)
	}
	delete(files, "p.0003.vdb")
	for range 2 {
		if code, said := s.upload(t, "/shots/rs/sequence/"+seq.ID, files); code != 200 {
			t.Fatal(code, said)
		}
	}
	if n := stages(); n != 1 {
		t.Errorf("%d stages", n)
	}
}

// asFile is a file in memory.
type asFile struct {
	data []byte
	at   int
}

func (f *asFile) Write(b []byte) (int, error) {
	if need := f.at + len(b); need > len(f.data) {
		f.data = append(f.data, make([]byte, need-len(f.data))...)
	}
	copy(f.data[f.at:], b)
	f.at += len(b)
	return len(b), nil
}

func (f *asFile) Seek(to int64, whence int) (int64, error) {
	if whence != io.SeekStart {
		return 0, errors.New("only from the start")
	}
	f.at = int(to)
	return to, nil
}
