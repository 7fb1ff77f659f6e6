package measure

import (
	"bytes"
	"fmt"
	"io"
	"log/slog"
	"math"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/core/surface"
	"zarf/demo"
	"zarf/studio"
	"zarf/studio/store"
	"zarf/web"
)

// geometry measures distances to meshes and surfaces of level sets.
func geometry(t *Table) {
	m := geom.BallMesh(1, 318)
	spacing := 2.0 / 128
	t.most(fmt.Sprintf("signed distance of %d triangles, 128 across", len(m.Tri)), best(3, func() {
		b, err := geom.NewBody(m, spacing)
		if err != nil {
			panic(err)
		}
		b.Fill(t.crew.For)
	}), 300, "ms")
	n := 128
	l := &surface.Lattice{N: [3]int{n, n, n}, H: 2.4 / float64(n-1), Origin: geom.V(-1.2, -1.2, -1.2), V: make([]float32, n*n*n)}
	for i := range l.V {
		p := geom.V(float64(i%n), float64(i/n%n), float64(i/(n*n))).Mul(l.H).Add(l.Origin)
		l.V[i] = float32(p.Len() - 0.93)
	}
	quads := 0
	ms := best(8, func() { quads = len(surface.Nets(l, 0, t.crew.For).Tri) / 2 })
	t.most(fmt.Sprintf("surface of a 128³ level set, %d quads", quads), ms, 19, "ms")
	tree := geom.NewTree(m)
	t.most("hierarchy over them", best(3, func() { tree = geom.NewTree(m) }), 0, "ms")
	ms = best(3, func() {
		for i := range 10000 {
			a := float64(i) * 2.399963
			tree.Nearest(geom.V(1.2*math.Cos(a), float64(i)/5000-1, 1.2*math.Sin(a)), math.Inf(1))
		}
	})
	t.most("nearest point, each of 10,000", ms/10, 0, "µs")
}

// best is the least time of a few runs, ms.
func best(runs int, fn func()) float64 {
	least := math.Inf(1)
	for range runs {
		begin := time.Now()
		fn()
		least = min(least, time.Since(begin).Seconds()*1000)
	}
	return least
}

// interfaceSpeed measures the server's answers, with the demo library and a
// thousand takes.
func interfaceSpeed(t *Table) {
	if err := answers(t); err != nil {
		t.Rows = append(t.Rows, Row{Section: t.section, Case: "failed", Measured: err.Error()})
	}
}

func answers(t *Table) error {
	dir, err := os.MkdirTemp("", "zarf-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	st, err := studio.Open(dir, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		return err
	}
	defer st.Close()
	shots, err := demo.Shots(st.Files)
	if err != nil {
		return err
	}
	slugs, err := shelf(st, shots)
	if err != nil {
		return err
	}
	srv := httptest.NewServer(web.New(st, web.Options{Threads: t.crew.Threads()}))
	defer srv.Close()
	k := &asker{address: srv.URL}
	for round := range 6 {
		if round == 1 {
			*k = asker{address: srv.URL} // the first answers read files and templates
		}
		if err := k.round(slugs, round); err != nil {
			return err
		}
	}
	slices.Sort(k.all)
	t.most(fmt.Sprintf("any page or answer, 1,000 takes, %d asked, p95", len(k.all)), k.all[len(k.all)*95/100], 15, "ms")
	t.most("the slowest of them: "+k.which, k.worst, 0, "ms")
	if err := crowded(t, st, srv.URL); err != nil {
		return err
	}
	return meshArrives(t, srv.URL+"/shots/"+slugs[0], st)
}

// shelf stores shots with 1,000 takes in all, and gives their slugs.
func shelf(st *studio.Studio, shots []*shot.Shot) (slugs []string, err error) {
	for i, d := range shots {
		row, err := st.Store.CreateShot(d, "demo")
		if err != nil {
			return nil, err
		}
		slugs = append(slugs, row.Slug)
		d.Attach(st.Store.Files)
		dom, err := stage.PickDomain(d, "")
		if err != nil {
			return nil, err
		}
		takes := 1000 / len(shots)
		if i == 0 {
			takes += 1000 % len(shots)
		}
		for n := range takes {
			if _, err := st.Store.CreateTake(store.Take{ShotID: row.ID, Doc: d.Encode(), Domain: dom.ID, Key: fmt.Sprintf("%032x", i*1000+n), First: 1, Last: 72}); err != nil {
				return nil, err
			}
		}
	}
	return slugs, nil
}

// asker asks a server and notes how long each answer takes.
type asker struct {
	address string
	all     []float64 // ms
	worst   float64
	which   string
}

// round asks for every page of every shot, and types a value into each.
func (k *asker) round(slugs []string, n int) error {
	if err := k.ask("GET", "/", nil); err != nil {
		return err
	}
	for _, slug := range slugs {
		for _, part := range []string{"/stage", "/score", "/takes", "/look", "/handover", "/sheet?at=stage&el=domain1", "/parts/takes", "/scene.json?frame=10", "/recipes"} {
			if err := k.ask("GET", "/shots/"+slug+part, nil); err != nil {
				return err
			}
		}
		if err := k.ask("POST", "/shots/"+slug+"/value", url.Values{"kind": {"domain"}, "id": {"domain1"}, "key": {"lift"}, "v": {fmt.Sprint(1 + float64(n)/10)}, "frame": {"1"}}); err != nil {
			return err
		}
	}
	return nil
}

func (k *asker) ask(method, path string, form url.Values) error {
	var body io.Reader
	if form != nil {
		body = strings.NewReader(form.Encode())
	}
	r, err := http.NewRequest(method, k.address+path, body)
	if err != nil {
		return err
	}
	if form != nil {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("HX-Request", "true")
		r.Header.Set("HX-Current-URL", k.address+strings.TrimSuffix(path, "/value")+"/stage")
	}
	begin := time.Now()
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	io.Copy(io.Discard, resp.Body)
	resp.Body.Close()
	ms := time.Since(begin).Seconds() * 1000
	if resp.StatusCode >= 400 {
		return fmt.Errorf("%s %s: %s", method, path, resp.Status)
	}
	if k.all = append(k.all, ms); ms > k.worst {
		k.worst, k.which = ms, method+" "+path
	}
	return nil
}

// crowded measures a typed value in a shot of 60 elements, and how soon a
// frame of a million voxels is with the viewport once it is in the cache.
func crowded(t *Table, st *studio.Studio, address string) error {
	s := shot.New("CROWD")
	d := s.Add(shot.Domain)
	val.Size.Set(d, 3, 3, 3)
	val.Voxel.Set(d, 0.03)
	kinds := []shot.Kind{shot.Emitter, shot.Collider, shot.Wind, shot.Turbulence, shot.Lamp}
	for n := len(s.Elements); n < 60; n++ {
		e := s.Add(kinds[n%len(kinds)])
		val.Position.Set(e, float64(n%7)*0.2-0.7, 0.5+float64(n%5)*0.3, float64(n%4)*0.3-0.6)
	}
	row, err := st.Store.CreateShot(s, "bench")
	if err != nil {
		return err
	}
	var all []float64
	for n := range 41 {
		form := url.Values{"kind": {"emitter"}, "id": {s.Of(shot.Emitter)[0].ID}, "key": {val.Speed.Name()}, "v": {fmt.Sprint(1 + float64(n)/16)}, "frame": {"1"}}
		r, err := http.NewRequest("POST", address+"/shots/"+row.Slug+"/value", strings.NewReader(form.Encode()))
		if err != nil {
			return err
		}
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("HX-Request", "true")
		r.Header.Set("HX-Current-URL", address+"/shots/"+row.Slug+"/stage?el="+form.Get("id"))
		begin := time.Now()
		resp, err := http.DefaultClient.Do(r)
		if err != nil {
			return err
		}
		io.Copy(io.Discard, resp.Body)
		resp.Body.Close()
		if resp.StatusCode != http.StatusOK {
			return fmt.Errorf("value: %s", resp.Status)
		}
		if n > 0 {
			all = append(all, time.Since(begin).Seconds()*1000)
		}
	}
	slices.Sort(all)
	t.most("value typed to its answer, a shot of 60 elements, p95 of 40", all[38], 40, "ms")

	const frames = 5
	take, err := st.Store.CreateTake(store.Take{ShotID: row.ID, Doc: s.Encode(), Domain: d.ID, Key: strings.Repeat("c", 32), First: 1, Last: frames})
	if err != nil {
		return err
	}
	smoke(st.Cache.Stage(take.Key), 100, frames)
	f := 0
	ms := best(frames, func() {
		f++
		resp, e := http.Get(fmt.Sprintf("%s/shots/%s/volume/%d/%d?size=64", address, row.Slug, take.Number, f))
		if e != nil {
			err = e
			return
		}
		defer resp.Body.Close()
		if b, _ := io.ReadAll(resp.Body); resp.StatusCode != http.StatusOK {
			err = fmt.Errorf("volume: %s %.200s", resp.Status, b)
		}
	})
	if err != nil {
		return err
	}
	t.most("frame of 1 million voxels in the cache to the viewport", ms, 300, "ms")
	return nil
}

// meshArrives measures a mesh of 200 k triangles from the upload to what the
// viewport is sent, with its distances at 128³.
func meshArrives(t *Table, shot string, st *studio.Studio) error {
	m := geom.BallMesh(0.4, 450)
	var file bytes.Buffer
	if err := gltf.Encode(&file, model.FromMesh(m)); err != nil {
		return err
	}
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	w.WriteField("as", "collider")
	f, err := w.CreateFormFile("file", "ball.glb")
	if err != nil {
		return err
	}
	f.Write(file.Bytes())
	w.Close()
	begin := time.Now()
	resp, err := http.Post(shot+"/bring", w.FormDataContentType(), &body)
	if err != nil {
		return err
	}
	said, _ := io.ReadAll(resp.Body)
	resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("bring: %s", said)
	}
	_, rest, _ := strings.Cut(string(said), `"element":"`)
	id, _, _ := strings.Cut(rest, `"`)
	if resp, err = http.Get(shot + "/mesh/" + id); err != nil {
		return err
	}
	n, _ := io.Copy(io.Discard, resp.Body)
	resp.Body.Close()
	shown := time.Since(begin).Seconds()
	b, err := geom.NewBody(m, 0.8/128)
	if err != nil {
		return err
	}
	b.Fill(t.crew.For)
	t.most(fmt.Sprintf("mesh of %d triangles: upload to %d bytes for the viewport, distances at 128³", len(m.Tri), n), time.Since(begin).Seconds(), 3, "s")
	t.most("of which until it can be shown", shown, 0, "s")
	return nil
}
