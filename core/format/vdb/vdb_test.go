package vdb

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/x448/float16"

	"zarf/core/frame"
)

// puff is a dense array with an empty half, negative corners and a seed.
func puff(n [3]int, seed uint64) []float32 {
	rng := rand.New(rand.NewPCG(seed, 2))
	out := make([]float32, n[0]*n[1]*n[2])
	for k := range n[2] {
		for j := range n[1] {
			for i := range n[0] {
				if i+j < n[0] {
					out[(k*n[1]+j)*n[0]+i] = float32(math.Sin(float64(i)*0.3)*math.Cos(float64(k)*0.2)) + rng.Float32()*0.01
				}
			}
		}
	}
	return out
}

func sample(lo, n [3]int) []*Grid {
	d := frame.FromDense("density", lo, n, [][]float32{puff(n, 1)}, 0, 0, nil)
	v := frame.FromDense("velocity", lo, n, [][]float32{puff(n, 2), puff(n, 3), puff(n, 4)}, 0, 0, nil)
	d.Transform = frame.Uniform(0.05, [3]float64{1, 2, -3})
	v.Transform = d.Transform
	v.Meta = map[string]any{"vector_type": "contravariant relative", "frame": int32(7)}
	return []*Grid{d, v}
}

var compressions = map[string]Compression{"none": None, "zip": Zip, "blosc": Blosc}

func TestRoundTrip(t *testing.T) {
	lo, n := [3]int{-5, 3, 130}, [3]int{37, 20, 19}
	for name, c := range compressions {
		for _, half := range []bool{false, true} {
			grids := sample(lo, n)
			for _, g := range grids {
				g.Half = half
			}
			b, err := Encode(grids, Options{Compression: c, Meta: map[string]any{"creator": "test"}})
			if err != nil {
				t.Fatal(err)
			}
			f, err := Decode(b, DefaultLimits)
			if err != nil {
				t.Fatalf("%s half=%v: %v", name, half, err)
			}
			if f.Meta["creator"] != "test" || f.Grid("velocity").Meta["frame"] != int32(7) {
				t.Errorf("metadata lost: %v %v", f.Meta, f.Grid("velocity").Meta)
			}
			got := [][]float32{make([]float32, n[0]*n[1]*n[2])}
			if err := f.Grid("density").Dense(lo, n, got); err != nil {
				t.Fatal(err)
			}
			for i, want := range puff(n, 1) {
				if half {
					want = float16.Fromfloat32(want).Float32()
				}
				if got[0][i] != want {
					t.Fatalf("%s half=%v: voxel %d is %g, want %g", name, half, i, got[0][i], want)
				}
			}
			if w := f.Grids[0].Transform.World([3]float64{10, 0, 0}); w != [3]float64{1.5, 2, -3} {
				t.Errorf("voxel 10 stands at %v", w)
			}
		}
	}
}

func TestSameGridsGiveSameBytes(t *testing.T) {
	lo, n := [3]int{0, 0, 0}, [3]int{40, 40, 40}
	a, _ := Encode(sample(lo, n), Options{Compression: Blosc})
	b, _ := Encode(sample(lo, n), Options{Compression: Blosc, Workers: func(n, grain int, fn func(lo, hi int)) {
		done := make(chan bool)
		for i := range n {
			go func() { fn(i, i+1); done <- true }()
		}
		for range n {
			<-done
		}
	}})
	if !bytes.Equal(a, b) {
		t.Error("the file depends on the threads that wrote it")
	}
}

func TestNonFiniteIsKeptAndCounted(t *testing.T) {
	v := []float32{0, float32(math.NaN()), float32(math.Inf(1)), 2}
	g := frame.FromDense("d", [3]int{}, [3]int{4, 1, 1}, [][]float32{v}, 0, 0, nil)
	in := g.Inspect()
	if in.NonFinite != 2 || in.Active != 3 || in.High[0] != 2 {
		t.Errorf("%+v", in)
	}
}

// reference runs a script in the reference library, where it is installed.
func reference(t *testing.T, script string, args ...string) string {
	t.Helper()
	if exec.Command("/usr/bin/python3", "-c", "import pyopenvdb").Run() != nil {
		t.Skip("python3-openvdb is not installed")
	}
	out, err := exec.Command("/usr/bin/python3", append([]string{"-c", script}, args...)...).CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	return string(out)
}

func TestReferenceLibraryReadsOurs(t *testing.T) {
	lo, n := [3]int{-5, 3, 130}, [3]int{37, 20, 19}
	for name, c := range compressions {
		for _, half := range []bool{false, true} {
			grids := sample(lo, n)
			for _, g := range grids {
				g.Half = half
			}
			path := filepath.Join(t.TempDir(), "a.vdb")
			b, err := Encode(grids, Options{Compression: c})
			if err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(path, b, 0o600); err != nil {
				t.Fatal(err)
			}
			out := reference(t, `
import pyopenvdb as vdb, numpy as np, json, sys
res={}
for name in ("density","velocity"):
    g=vdb.read(sys.argv[1],name)
    lo=[int(v) for v in sys.argv[2:5]]; n=[int(v) for v in sys.argv[5:8]]
    a=np.zeros(n if name=="density" else n+[3],dtype=np.float32)
    g.copyToArray(a,ijk=tuple(lo))
    res[name]=[float(v) for v in a.ravel()]
    res[name+"_active"]=g.activeVoxelCount()
    res[name+"_world"]=list(g.transform.indexToWorld((10,0,0)))
print(json.dumps(res))`, append([]string{path}, strings.Fields(fmt.Sprint(lo[0], lo[1], lo[2], n[0], n[1], n[2]))...)...)
			var res struct {
				Density, Velocity []float64
				ActiveD           int64     `json:"density_active"`
				World             []float64 `json:"density_world"`
			}
			if err := json.Unmarshal([]byte(out), &res); err != nil {
				t.Fatal(err, out)
			}
			if res.ActiveD != grids[0].Inspect().Active || math.Abs(res.World[0]-1.5) > 1e-12 {
				t.Errorf("%s: %d active voxels, voxel 10 at %v", name, res.ActiveD, res.World)
			}
			check := func(what string, got []float64, comps ...[]float32) {
				for i := range n[0] {
					for j := range n[1] {
						for k := range n[2] {
							for c, a := range comps {
								want := a[(k*n[1]+j)*n[0]+i]
								if half {
									want = float16.Fromfloat32(want).Float32()
								}
								if v := got[((i*n[1]+j)*n[2]+k)*len(comps)+c]; v != float64(want) {
									t.Fatalf("%s half=%v %s: voxel %d,%d,%d is %g, want %g", name, half, what, i, j, k, v, want)
								}
							}
						}
					}
				}
			}
			check("density", res.Density, puff(n, 1))
			check("velocity", res.Velocity, puff(n, 2), puff(n, 3), puff(n, 4))
		}
	}
}

func TestReadsFilesOfTheReferenceLibrary(t *testing.T) {
	path := filepath.Join(t.TempDir(), "r.vdb")
	out := reference(t, `
import pyopenvdb as vdb, numpy as np, sys, json
gs=[]
f=vdb.FloatGrid(2.5); f.name="tiles"
f.fill((0,0,0),(300,130,70),7.0)
f.fill((-20,-9,-3),(-1,-1,-1),-2.5,active=False)
f.transform=vdb.createLinearTransform([[0.5,0,0,0],[0,0,0.5,0],[0,-0.5,0,0],[1,2,3,1]])
gs.append(f)
s=vdb.createLevelSetSphere(radius=9.0,center=(3.0,4.0,5.0),voxelSize=0.5); s.name="ball"; gs.append(s)
b=vdb.BoolGrid(); b.name="flags"; b.fill((2,3,4),(40,5,6),True); gs.append(b)
v=vdb.Vec3SGrid((0.0,0.0,0.0)); v.name="vel"
a=v.getAccessor(); a.setValueOn((9,-8,7),(1.5,-2.5,3.5)); gs.append(v)
for kind,name in (("DoubleGrid","wide"),("Int32Grid","ints"),("Int64Grid","longs")):
    if hasattr(vdb,kind):
        g=getattr(vdb,kind)(); g.name=name; g.getAccessor().setValueOn((1,2,3),-77); gs.append(g)
h=vdb.FloatGrid(0.0); h.name="halved"; h.saveFloatAsHalf=True
h.copyFromArray(np.linspace(0,1,20*20*20).reshape(20,20,20).astype(np.float32)); gs.append(h)
vdb.write(sys.argv[1],gs,{"who":"reference"})
print(json.dumps({g.name:g.activeVoxelCount() for g in gs}))`, path)
	want := map[string]int64{}
	if err := json.Unmarshal([]byte(out), &want); err != nil {
		t.Fatal(err, out)
	}
	r, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	f, err := Read(r, DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	if len(f.Grids) != len(want) {
		t.Fatalf("%d grids, want %v", len(f.Grids), want)
	}
	for _, g := range f.Grids {
		if in := g.Inspect(); in.Active != want[g.Name] {
			t.Errorf("%s: %d active voxels, the reference says %d", g.Name, in.Active, want[g.Name])
		}
	}
	at := func(name string, p [3]int) float64 {
		g := f.Grid(name)
		outs := make([][]float32, g.Type.Components())
		for c := range outs {
			outs[c] = make([]float32, 1)
		}
		if err := g.Dense(p, [3]int{1, 1, 1}, outs); err != nil {
			t.Fatal(err)
		}
		return float64(outs[len(outs)-1][0])
	}
	for _, c := range []struct {
		name string
		p    [3]int
		want float64
	}{{"tiles", [3]int{150, 60, 33}, 7}, {"tiles", [3]int{300, 130, 70}, 7}, {"tiles", [3]int{-5, -5, -2}, -2.5}, {"tiles", [3]int{400, 0, 0}, 2.5},
		{"flags", [3]int{20, 4, 5}, 1}, {"flags", [3]int{20, 7, 5}, 0}, {"vel", [3]int{9, -8, 7}, 3.5},
		{"ball", [3]int{6, 8, 10}, -1.5}, {"ball", [3]int{500, 0, 0}, 1.5}, {"halved", [3]int{19, 19, 19}, 1}} {
		if got := at(c.name, c.p); got != c.want {
			t.Errorf("%s at %v is %g, want %g", c.name, c.p, got, c.want)
		}
	}
	for _, name := range []string{"wide", "ints", "longs"} {
		if f.Grid(name) != nil {
			if got := at(name, [3]int{1, 2, 3}); got != -77 {
				t.Errorf("%s is %g, want -77", name, got)
			}
		}
	}
	if w := f.Grid("tiles").Transform.World([3]float64{1, 1, 1}); w != [3]float64{1.5, 1.5, 3.5} {
		t.Errorf("rotated transform gives %v", w)
	}
}

func TestDescribedByTheReferenceTool(t *testing.T) {
	if _, err := exec.LookPath("vdb_print"); err != nil {
		t.Skip("vdb_print is not installed")
	}
	path := filepath.Join(t.TempDir(), "a.vdb")
	b, _ := Encode(sample([3]int{}, [3]int{20, 20, 20}), Options{Compression: Blosc})
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("vdb_print", "-l", path).CombinedOutput()
	if err != nil || !strings.Contains(string(out), "density") || !strings.Contains(string(out), "contravariant relative") {
		t.Errorf("%v\n%s", err, out)
	}
}

func TestHostileFiles(t *testing.T) {
	good, _ := Encode(sample([3]int{}, [3]int{20, 20, 20}), Options{Compression: Blosc})
	if _, err := Decode([]byte("not a volume at all"), DefaultLimits); err == nil || !strings.Contains(err.Error(), "not a VDB file") {
		t.Errorf("text: %v", err)
	}
	for _, n := range []int{0, 7, 30, 60, 100, 400, 5000, len(good) / 2, len(good) - 1} {
		if n < len(good) {
			if _, err := Decode(good[:n], DefaultLimits); err == nil {
				t.Errorf("the first %d of %d bytes were taken", n, len(good))
			}
		}
	}
	if _, err := Decode(good, Limits{Bytes: 1 << 20, Voxels: 1000, Grids: 10}); err == nil || !strings.Contains(err.Error(), "more voxels") {
		t.Errorf("voxel limit: %v", err)
	}
	if _, err := Read(bytes.NewReader(good), Limits{Bytes: 100, Voxels: 1, Grids: 1}); err == nil {
		t.Error("size limit not kept")
	}
	old := bytes.Clone(good)
	binary.LittleEndian.PutUint32(old[8:], 100)
	if _, err := Decode(old, DefaultLimits); err == nil || !strings.Contains(err.Error(), "version 100") {
		t.Errorf("old version: %v", err)
	}
	points := bytes.Replace(good, []byte("Tree_float_5_4_3"), []byte("Tree_thing_5_4_3"), 1)
	if _, err := Decode(points, DefaultLimits); err == nil || !strings.Contains(err.Error(), "Tree_thing_5_4_3") {
		t.Errorf("unknown type: %v", err)
	}
	rng := rand.New(rand.NewPCG(1, 1))
	for range 400 { // flipped bytes give an error or other values, never a crash
		bad := bytes.Clone(good)
		for range 3 {
			bad[rng.IntN(len(bad))] ^= byte(1 << rng.IntN(8))
		}
		Decode(bad, Limits{Bytes: 1 << 24, Voxels: 1 << 22, Grids: 10})
	}
}

func FuzzDecode(f *testing.F) {
	for _, c := range compressions {
		b, _ := Encode(sample([3]int{}, [3]int{9, 9, 9}), Options{Compression: c})
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if file, err := Decode(b, Limits{Bytes: 1 << 20, Voxels: 1 << 20, Grids: 16}); err == nil {
			for _, g := range file.Grids {
				g.Inspect()
			}
		}
	})
}

func BenchmarkWrite128(b *testing.B) {
	n := [3]int{128, 128, 128}
	g := sample([3]int{}, n)
	for name, c := range compressions {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(n[0] * n[1] * n[2] * 16))
			for b.Loop() {
				if _, err := Encode(g, Options{Compression: c}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
