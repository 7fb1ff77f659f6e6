package proof

import (
	"context"
	"encoding/gob"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/asset"
	"zarf/core/format"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	_ "zarf/core/solvers"
	"zarf/core/stage"
	"zarf/internal/shoot"
	"zarf/studio"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/handover"
	"zarf/studio/queue"
	"zarf/web"
	"zarf/web/desk"
)

// The names, typed like all others.
const (
	fall    val.NumKey  = "dust_fall"
	flashes val.TextKey = "flashes"
)

const (
	beacon shot.Kind  = "beacon"
	rhythm shot.Type  = "rhythm" // "3-1-3": seconds of light and dark
	grains sim.Amount = "grains"
)

var rhythmForm = regexp.MustCompile(`^\d+(-\d+)*$`)

// init is all that it takes.
func init() {
	shot.RegisterType(shot.TypeDef{Type: rhythm, Check: func(e *shot.Entry, v shot.Value) error {
		if !rhythmForm.MatchString(v.Text) {
			return fmt.Errorf("%s is “%s”; give seconds of light and dark in turns, such as 3-1-3", e.Label, v.Text)
		}
		return nil
	}})
	shot.Register(shot.KindDef{Kind: beacon, Name: "Beacon", Group: "shows it",
		Values: []shot.Entry{
			shot.Named(val.Position, shot.Entry{Label: "Position", Type: shot.Vector, Unit: shot.Metre, Default: shot.Vec(0, 2, 0), Min: -1e6, Max: 1e6, Main: true}),
			shot.Named(flashes, shot.Entry{Label: "Flashes", Type: rhythm, Default: shot.Text("3-1-3"), Main: true, Help: "Seconds of light and dark."}),
		},
		Sentence: func(s *shot.Shot, e *shot.Element) string { return "flashes " + flashes.Of(e) + "." },
		Draw: func(s *shot.Shot, e *shot.Element, ev val.Eval, d *shot.Drawn) {
			p := val.Position.At(e, ev)
			d.Position = p
			d.Strokes = [][][3]float64{{{p[0] - 1, p[1], p[2]}, {p[0] + 1, p[1], p[2]}}, {{p[0], p[1] - 1, p[2]}, {p[0], p[1] + 1, p[2]}}}
		},
	})
	format.Register(format.Format{Key: "tri", Name: "Triangles in words", Endings: []string{".tri"}, Asks: []format.Question{format.Unit},
		Model: func(data []byte, _ map[string][]byte, _ format.Options) (*model.Model, error) {
			m, err := readTri(data)
			if err != nil {
				return nil, err
			}
			return model.FromMesh(m), nil
		},
		Look: func(data []byte, _ int) ([]*format.Thing, error) {
			m, err := readTri(data)
			if err != nil {
				return nil, err
			}
			return format.LookAtModel(model.FromMesh(m)), nil
		},
		WriteMesh: writeTri,
	})
	desk.Register(desk.Room{Key: "ledger", Label: "Ledger", Help: "what the shot is made of", Order: 9,
		Files: fstest.MapFS{"ledger.html": {Data: []byte(`{{define "ledger-left"}}<div class="colhead"><h2>Ledger</h2></div><p id="sum">{{.Count}} elements of {{len .Kinds}} kinds</p>
{{end}}{{define "ledger-right"}}<form hx-post="/shots/{{.Row.Slug}}/ledger/mark" hx-swap="none"><button id="mark" class="btn">Mark</button></form>{{end}}`)}},
		Open: func(s *desk.Server) desk.Part {
			return desk.Part{
				Fill: func(_ *gin.Context, w *desk.Space) (any, error) {
					kinds := map[shot.Kind]bool{}
					for _, e := range w.Doc.Elements {
						kinds[e.Kind] = true
					}
					return struct {
						*desk.Space
						Count int
						Kinds map[shot.Kind]bool
					}{w, len(w.Doc.Elements), kinds}, nil
				},
				Routes: func(_ *gin.Engine, g *gin.RouterGroup) {
					g.POST("/ledger/mark", func(c *gin.Context) {
						s.Edit(c, "mark", "", func(d *shot.Shot) error { d.Add(beacon); return nil })
					})
				},
			}
		},
	})
	stage.Register(stage.Solver{
		Fluid: shot.Fluid{Key: "dust", Label: "a dust", Word: "dust", Values: []shot.Entry{
			shot.Named(fall, shot.Entry{Kind: shot.Domain, Label: "Falls at", Type: shot.Number, Unit: shot.Speed, Default: shot.Num(1), Min: 0, Max: 100, Step: 0.1, Keyable: true, Main: true, Sim: true, When: "in=dust", Help: "How fast it falls."}),
		}},
		Version: "dust/1", Binds: []shot.Kind{shot.Emitter},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Runner, error) {
			return newDust(s, d, crew), nil
		},
		Bytes: func(*shot.Element) float64 { return 4 },
		Guess: func(s *shot.Shot, d *shot.Element, rate float64, e *stage.Estimate) { e.Seconds, e.Disk = 1, 1e4 },
		Channels: func(*shot.Element) []stage.Channel {
			return []stage.Channel{{Name: frame.Density, Label: "density", Role: frame.Amount, Kept: true, Every: true}}
		},
		Amounts: []stage.Quantity{{Name: grains, Label: "Grains"}},
		Gives:   func(*shot.Element, val.Eval) bool { return true },
	})
}

// A file of triangles: nine numbers a line.
func readTri(data []byte) (*geom.Mesh, error) {
	m := &geom.Mesh{}
	for n, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
		var p [3]geom.Vec3
		if _, err := fmt.Sscan(line, &p[0].X, &p[0].Y, &p[0].Z, &p[1].X, &p[1].Y, &p[1].Z, &p[2].X, &p[2].Y, &p[2].Z); err != nil {
			return nil, fmt.Errorf("line %d has no nine numbers", n+1)
		}
		at := int32(len(m.P))
		m.P = append(m.P, p[:]...)
		m.Tri = append(m.Tri, [3]int32{at, at + 1, at + 2})
	}
	return m, nil
}

func writeTri(w io.Writer, m *geom.Mesh) error {
	for _, t := range m.Tri {
		for c, v := range t {
			p := m.P[v]
			if c > 0 {
				fmt.Fprint(w, " ")
			}
			fmt.Fprint(w, p.X, p.Y, p.Z)
		}
		if _, err := fmt.Fprintln(w); err != nil {
			return err
		}
	}
	return nil
}

// dust is a ball that falls at a speed; its state is how far it fell.
type dust struct {
	stage.Cast
	n    grid.Dims
	at   geom.Vec3
	low  geom.Vec3
	Fell float64
}

func newDust(s *shot.Shot, d *shot.Element, crew grid.Crew) *dust {
	dims, _, origin := d.Grid()
	return &dust{Cast: stage.NewCast(s, d, crew), n: dims, low: origin, at: d.DomainBox().Centre()}
}

func (d *dust) Advance(stop func() bool) (int, sim.Stats, error) {
	d.Fell += fall.At(d.Domain, d.Now(float64(d.Number))) * d.Lasts()
	st := sim.Stats{Substeps: 1, MaxSpeed: fall.Of(d.Domain)}
	st.Put(grains, 1000+d.Fell)
	d.Number++
	return d.Number - 1, st, nil
}

func (d *dust) density() []float32 {
	out := make([]float32, d.n.Len())
	c := d.at.Sub(geom.V(0, d.Fell, 0))
	for n := range out {
		i, j, k := n%d.n.NX, n/d.n.NX%d.n.NY, n/(d.n.NX*d.n.NY)
		p := d.low.Add(geom.V(float64(i)+0.5, float64(j)+0.5, float64(k)+0.5).Mul(d.H))
		out[n] = float32(max(0, 1-p.Dist(c)/0.5))
	}
	return out
}

func (d *dust) Frame() *frame.Frame {
	g := frame.FromDense(frame.Density, [3]int{}, [3]int{d.n.NX, d.n.NY, d.n.NZ}, [][]float32{d.density()}, 0, 1e-4, d.Crew.For)
	g.Transform = frame.Uniform(d.H, [3]float64{d.low.X + d.H/2, d.low.Y + d.H/2, d.low.Z + d.H/2})
	return &frame.Frame{Number: d.Number - 1, Grids: []*frame.Grid{g}}
}

func (d *dust) Shown() stage.Shown {
	return stage.Shown{Density: &grid.Field{Dims: d.n, Data: d.density()}, Origin: d.low, H: d.H}
}

type kept struct {
	Next int
	Fell float64
}

func (d *dust) SaveState(w io.Writer) error { return gob.NewEncoder(w).Encode(kept{d.Number, d.Fell}) }

func (d *dust) LoadState(r io.Reader, own bool) error {
	var k kept
	if err := gob.NewDecoder(r).Decode(&k); err != nil {
		return err
	}
	d.Number, d.Fell = k.Next, k.Fell
	return nil
}

// TestMain is the worker too: the studio starts this program again as one.
func TestMain(m *testing.M) {
	dir := os.Getenv("ZARF_PROOF_WORKER")
	if dir == "" {
		os.Exit(m.Run())
	}
	ctx, cancel := context.WithCancel(context.Background())
	go func() { io.Copy(io.Discard, os.Stdin); cancel() }()
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		os.Exit(1)
	}
	files, err := assets.Open(filepath.Join(dir, "assets"))
	if err != nil {
		os.Exit(1)
	}
	w, err := queue.Connect(os.Getenv(studio.QueueEnv))
	if err != nil {
		os.Exit(1)
	}
	w.Run(ctx, (&studio.Work{Cache: c, Files: asset.New(files)}).Do)
	w.Close()
}

func dusty() *shot.Shot {
	s := shot.New("DU")
	val.Last.Set(s.Self, 6)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 2, 2, 2)
	val.Voxel.Set(d, 0.1)
	val.Fluid.Set(d, "dust")
	return s
}

// A new value is in the key while it has a meaning, and survives a file.
func TestItsValuesAreInKeyAndFile(t *testing.T) {
	s := dusty()
	d := s.Of(shot.Domain)[0]
	was := stage.Key(s, d)
	fall.Set(d, 2.5)
	if stage.Key(s, d) == was {
		t.Error("the speed isn't in the key")
	}
	b := s.Add(beacon)
	if err := b.Put(flashes.Name(), shot.Text("1-2")); err != nil {
		t.Fatal(err)
	}
	if err := b.Put(flashes.Name(), shot.Text("fast")); err == nil || !strings.Contains(err.Error(), "such as 3-1-3") {
		t.Errorf("got %v", err)
	}
	again, unknown, err := shot.Decode(s.Encode())
	if err != nil || len(unknown) > 0 {
		t.Fatal(err, unknown)
	}
	if got := flashes.Of(again.Of(beacon)[0]); got != "1-2" || fall.Of(again.Of(shot.Domain)[0]) != 2.5 {
		t.Errorf("read back: %q", got)
	}
	if shot.Find(shot.Domain, fall.Name()).Belongs(again.Of(shot.Domain)[0], again.Within(again.Of(shot.Domain)[0])) == false {
		t.Error("a domain of dust lacks its value")
	}
}

// Through the browser: added from the menu, set on the sheet, run, seen in the
// viewport and in plots, handed over.
func TestItIsEverywhere(t *testing.T) {
	browser, err := shoot.Open()
	if err != nil {
		t.Skip(err)
	}
	defer browser.Close()
	dir := t.TempDir()
	st, err := studio.Open(dir, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	os.Setenv("ZARF_PROOF_WORKER", dir) // the supervisor passes its environment on
	defer os.Unsetenv("ZARF_PROOF_WORKER")
	if err := st.Start(func(context.Context) *exec.Cmd { return exec.Command(os.Args[0]) }); err != nil {
		t.Fatal(err)
	}
	row, err := st.Store.CreateShot(dusty(), "proof")
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewServer(web.New(st, web.Options{Threads: 2}))
	defer srv.Close()
	defer web.Quit(srv.Config)
	p, err := browser.Page()
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	until := func(js string, args ...any) {
		t.Helper()
		if err := p.Until(20*time.Second, js, args...); err != nil {
			t.Fatal(err, p.Faults())
		}
	}
	do := func(js string, args ...any) {
		t.Helper()
		if _, err := p.Eval(js, args...); err != nil {
			t.Fatal(err)
		}
	}
	if err := p.Go(srv.URL + "/shots/" + row.Slug + "/stage?el=domain1&volume=16"); err != nil {
		t.Fatal(err)
	}
	until(`() => window.zarf && zarf.state.scene`)

	// the solver: chosen on the sheet, its value with it
	until(`() => { const f = document.querySelector('#v-fluid'); return f && f.value === 'dust' && [...f.options].some((o) => o.textContent === 'a dust'); }`)
	until(`() => document.querySelector('#f-dust_fall') && !document.querySelector('#f-dust_fall').hidden`)
	until(`() => !document.querySelector('#f-viscosity')`)
	do(`() => { const i = document.querySelector('#v-dust_fall'); i.value = '2'; i.dispatchEvent(new Event('change', { bubbles: true })); return true }`)
	until(`() => document.querySelector('#f-dust_fall').classList.contains('changed')`)

	// the kind: from the menu to the cast and the picture
	do(`() => { document.querySelector('#addmenu').open = true; document.querySelector('.menu input[value=beacon] + button').click(); return true }`)
	until(`() => document.querySelector('.cast').textContent.includes('flashes 3-1-3.')`)
	until(`() => { let n = 0; zarf.view.things.traverse((o) => { if (o.name === 'stroke') n++; }); return n === 2; }`)

	// the type: refused in its own words, then taken
	until(`() => document.querySelector('#v-flashes')`)
	do(`() => { const i = document.querySelector('#v-flashes'); i.value = 'often'; i.dispatchEvent(new Event('change', { bubbles: true })); return true }`)
	until(`() => document.querySelector('#err-flashes').textContent.includes('such as 3-1-3')`)
	do(`() => { const i = document.querySelector('#v-flashes'); i.value = '2-2'; i.dispatchEvent(new Event('change', { bubbles: true })); return true }`)
	until(`() => document.querySelector('.cast').textContent.includes('flashes 2-2.')`)

	// the run: frames, picture, plots, handover
	do(`() => { document.querySelector('#run').click(); return true }`)
	until(`() => zarf.state.scene.takes.length && zarf.state.scene.takes[0].frames.length === 6 && zarf.shown()`)
	if err := p.Go(srv.URL + "/shots/" + row.Slug + "/takes"); err != nil {
		t.Fatal(err)
	}
	until(`() => document.querySelector('#right').textContent.includes('Grains')`)
	take, err := st.Store.Take(row.ID, 1)
	if err != nil {
		t.Fatal(err)
	}
	out := t.TempDir()
	src, err := st.Source(take)
	if err != nil {
		t.Fatal(err)
	}
	f, err := src.Read(6)
	if err != nil {
		t.Fatal(err)
	}
	var high, sum float64
	g := src.Channel(f, frame.Density)
	for n, v := range g.Data {
		high += float64(v) * float64(n/g.NX%g.NY)
		sum += float64(v)
	}
	if want := 10 - 0.5 - 2*6/24.0/0.1; sum == 0 || math.Abs(high/sum-want) > 0.1 {
		t.Errorf("after 6 frames at 2 m/s its middle is at cell %.2f, want %.2f", high/sum, want)
	}
	if err := st.HandOver(row, take, "boards", 1, 6, 0); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		l, err := st.Store.ShotJobs(row.ID, studio.KindHandover)
		if err != nil {
			t.Fatal(err)
		}
		if len(l) == 1 && !l[0].Active() {
			out = l[0].Dir
			if l[0].State != "done" {
				t.Fatalf("%s: %s", l[0].State, l[0].Message)
			}
			break
		}
		if time.Now().After(end) {
			t.Fatal("no handover within 30 s")
		}
	}
	m, err := handover.Read(out)
	if err != nil || len(m.Files) != 6 || len(m.Channels) != 1 {
		t.Errorf("%+v %v", m, err)
	}

	// the format: a file of it becomes a collider, its unit asked for
	if err := p.Go(srv.URL + "/shots/" + row.Slug + "/stage"); err != nil {
		t.Fatal(err)
	}
	until(`() => window.zarf && zarf.state.scene`)
	until(`() => document.querySelector('#bringfile').accept.split(',').includes('.tri')`)
	var cube strings.Builder
	if err := writeTri(&cube, geom.BoxMesh(geom.V(1, 1, 1))); err != nil {
		t.Fatal(err)
	}
	do(`(text) => {
		document.querySelector('#bring').showModal();
		const d = new DataTransfer(); d.items.add(new File([text], 'cube.tri'));
		const f = document.querySelector('#bringfile'); f.files = d.files; f.onchange();
		return true }`, cube.String())
	until(`() => !document.querySelector('#bringunit').closest('[data-for]').hidden && document.querySelector('#bringup').closest('[data-for]').hidden`)
	do(`() => { document.querySelector('#bringas').value = 'collider'; document.querySelector('#bringgo').click(); return true }`)
	until(`() => document.querySelector('.cast').textContent.includes('cube')`)

	// and the shot's solids go out as such files, which the page looks into
	if err := p.Go(srv.URL + "/shots/" + row.Slug + "/handover"); err != nil {
		t.Fatal(err)
	}
	set := `(id, v) => { const i = document.getElementById(id); if (i.type === 'checkbox') i.checked = v === 'true'; else i.value = v; i.dispatchEvent(new Event('change', { bubbles: true })); return true }`
	until(`() => document.querySelector('#v-what')`)
	do(set, "v-what", "meshes")
	until(`() => { const f = document.querySelector('#v-mesh_file'); return f && [...f.options].some((o) => o.value === 'tri' && o.textContent === 'Triangles in words sequence'); }`)
	until(`() => !document.querySelector('#f-mesh_camera').hidden`)
	do(set, "v-mesh_file", "tri")
	until(`() => document.querySelector('#f-mesh_camera').hidden`) // it can't hold one
	do(set, "v-mesh_fluid", "false")
	until(`() => document.querySelector('#f-mesh_fluid').classList.contains('changed')`)
	do(`() => { document.querySelector('#handover').click(); return true }`)
	until(`() => document.querySelectorAll('a[data-hand]').length === 2`)
	do(`() => { document.querySelector('a[data-hand]').click(); return true }`)
	until(`() => [...document.querySelectorAll('.handpane a')].some((a) => /^tri\/.*\.tri$/.test(a.textContent))`)
	do(`() => { document.querySelector('.handpane [data-tab=read]').click(); return true }`)
	until(`() => document.querySelector('.readback').textContent.includes('12 triangles')`)

	// the page: a station among the others, with its columns and what they do
	do(`() => { document.activeElement.blur(); document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '6', bubbles: true })); return true }`)
	until(`() => document.querySelector('#sum')`)
	until(`() => document.querySelector('#sum') && document.querySelector('#sum').textContent === '4 elements of 4 kinds'`)
	do(`() => { document.querySelector('#mark').click(); return true }`)
	until(`() => document.querySelector('#sum').textContent === '5 elements of 4 kinds'`)
}
