package web

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/format/ply"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/surface"
)

// MaxUpload is the largest geometry file that is taken, bytes, all files of a
// request together.
const MaxUpload = 1 << 30

// uses are what a file that comes in can become.
var uses = []shot.Option{{Key: "collider", Label: "stops gas"}, {Key: "emitter", Label: "lets gas in"}, {Key: "pull", Label: "gathers smoke"}, {Key: "guide", Label: "leads along its curve"}, {Key: "mesh", Label: "only stands by"}, {Key: "replace", Label: "replaces the chosen one's file"}}

// brought is the answer to a file that came in.
type brought struct {
	Element string       `json:"element"`
	Facts   *bring.Facts `json:"facts"`
	Notes   []string     `json:"notes"`
}

// bringIn takes files of a multipart request, reads the geometry, keeps it, and
// makes or changes an element. Nothing is changed by a file that can't be read.
func (s *server) bringIn(c *gin.Context) {
	s.heavy <- struct{}{} // large files one after the other: their memory adds up
	defer func() { <-s.heavy }()
	name, data, side, err := uploaded(c)
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	o, err := options(c)
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	ref, facts, err := s.st.Files.Bring(name, data, side, o)
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	use, into := c.PostForm("as"), c.PostForm("into")
	out := brought{Facts: facts, Notes: append([]string{}, facts.Notes...)}
	err = s.change(c, "bring in "+asset.Name(ref), "", func(d *shot.Shot) error {
		notes, id, err := s.install(d, use, into, ref, facts, c.PostForm)
		out.Element = id
		out.Notes = append(out.Notes, notes...)
		return err
	})
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.JSON(http.StatusOK, out)
}

// refuse answers a script in words.
func refuse(c *gin.Context, code int, err error) { c.String(code, upper(err.Error())+".") }

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// uploaded reads the files of a request: the geometry, and others beside it.
func uploaded(c *gin.Context) (name string, data []byte, side map[string][]byte, err error) {
	form, err := c.MultipartForm()
	if err != nil {
		var big *http.MaxBytesError
		if errors.As(err, &big) {
			return "", nil, nil, fmt.Errorf("the files have over %d MB together; up to that is taken: hand over a lighter mesh", MaxUpload>>20)
		}
		return "", nil, nil, fmt.Errorf("the upload broke off: %v", err)
	}
	defer form.RemoveAll()
	files := form.File["file"]
	if len(files) == 0 {
		return "", nil, nil, errors.New("no file came along; choose one")
	}
	if len(files) > 64 {
		return "", nil, nil, fmt.Errorf("%d files at once; up to 64 are taken", len(files))
	}
	main := slices.IndexFunc(files, func(f *multipart.FileHeader) bool {
		return slices.Contains([]string{".gltf", ".glb", ".obj", ".ply", ".stl", ".svg"}, strings.ToLower(path.Ext(f.Filename)))
	})
	main = max(main, 0)
	side = map[string][]byte{}
	for i, f := range files {
		b, err := content(f)
		if err != nil {
			return "", nil, nil, fmt.Errorf("%s broke off: %v", asset.Clean(f.Filename), err)
		}
		if i == main {
			name, data = asset.Clean(f.Filename), b
		} else if ext := strings.ToLower(path.Ext(f.Filename)); ext == ".bin" {
			side[asset.Clean(f.Filename)] = b
		}
	}
	return name, data, side, nil
}

func content(f *multipart.FileHeader) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}

func options(c *gin.Context) (o bring.Options, err error) {
	for _, f := range []struct {
		key string
		to  *float64
	}{{"unit", &o.Unit}, {"depth", &o.Depth}, {"bevel", &o.Bevel}, {"width", &o.Width}, {"height", &o.Height}} {
		text := strings.TrimSpace(c.PostForm(f.key))
		if text == "" {
			continue
		}
		if *f.to, err = shot.Metre.Parse(text, "m"); err != nil {
			return o, fmt.Errorf("%s: %w", f.key, err)
		}
	}
	o.ZUp = c.PostForm("up") == "z"
	return o, nil
}

// install makes an element of a file, or gives the file to one.
func (s *server) install(d *shot.Shot, use, into, ref string, f *bring.Facts, form func(string) string) (notes []string, id string, err error) {
	if use == "replace" {
		e := d.Element(into)
		if e == nil || !e.Placed() {
			return nil, "", errors.New("no element with a shape is chosen whose file could be replaced")
		}
		notes, err = s.swapMesh(d, e, ref, f)
		return notes, e.ID, err
	}
	kind := shot.Kind(use)
	if !slices.ContainsFunc(uses, func(o shot.Option) bool { return o.Key == use }) {
		return nil, "", fmt.Errorf("a file can't become %q", use)
	}
	if len(d.Elements) >= shot.MaxElements {
		return nil, "", fmt.Errorf("the shot has %d elements; no more are allowed", shot.MaxElements)
	}
	e := d.Add(kind)
	if name := strings.TrimSuffix(asset.Name(ref), path.Ext(asset.Name(ref))); shot.CheckName(name) == nil && !slices.ContainsFunc(d.Elements, func(o *shot.Element) bool { return o.Name == name }) {
		e.Name = name
	}
	if kind == shot.Guide {
		return notes, e.ID, s.guideFrom(d, e, ref)
	}
	if f.Triangles == 0 {
		return nil, "", fmt.Errorf("%s holds no mesh, only %d curves; bring it in as a curve that leads", asset.Name(ref), len(f.Curves))
	}
	e.Values["form"], e.Values["mesh"] = shot.Text("mesh"), shot.Text(ref)
	size, at := f.Size, geom.FromArray(f.Centre)
	for a := range size {
		size[a] = max(size[a], 1e-4)
	}
	if fit := strings.TrimSpace(form("fit")); fit != "" {
		want, err := shot.Metre.Parse(fit, d.Get("units").Text)
		if err != nil || !(want > 0) || want > 1e5 {
			return nil, "", fmt.Errorf("the size to fit to is %q; give a length such as 2.5 m", fit)
		}
		k := want / max(size[0], size[1], size[2])
		for a := range size {
			size[a] *= k
		}
		at = at.Mul(k)
	}
	if form("recentre") == "on" {
		at = geom.V(0, size[1]/2, 0)
	}
	e.Values["size"], e.Values["position"] = shot.Vec(size[0], size[1], size[2]), shot.Vec(at.X, at.Y, at.Z)
	for _, key := range []string{"size", "position"} {
		if err := shot.Find(kind, key).Check(e.Values[key]); err != nil {
			return nil, "", fmt.Errorf("it would be placed wrongly (%v); fit it to a size, recentre it, or set the unit", err)
		}
	}
	if kind == shot.Emitter && f.OpenEdges > 0 {
		e.Values["from"] = shot.Text("surface")
		notes = append(notes, "it isn't closed, so its surface emits")
	}
	if f.Length > 0 {
		animate(d, e, f, form)
	}
	if f.Camera && form("camera") == "on" {
		n, err := s.cameraFrom(d, e)
		notes = append(notes, n...)
		if err != nil {
			return nil, "", err
		}
	}
	return notes, e.ID, nil
}

// animate sets the values of a file's animation.
func animate(d *shot.Shot, e *shot.Element, f *bring.Facts, form func(string) string) {
	first, _ := d.Range()
	e.Values["motion_start"] = shot.Num(float64(first))
	if f.Rate > 0 {
		e.Values["motion_rate"] = shot.Num(f.Rate)
	}
	if form("keeps") == "frames" {
		e.Values["motion_keeps"] = shot.Text("frames")
	}
	if n, err := strconv.Atoi(form("hold")); err == nil && n > 0 {
		e.Values["motion_hold"] = shot.Num(float64(min(n, 100000)))
	}
}

// swapMesh gives an element another file. Place, keys, scope and what hangs on
// it stay; the size follows the new file by the old one's scale; painted
// weights are carried over, and named parts that the new file lacks are told.
func (s *server) swapMesh(d *shot.Shot, e *shot.Element, ref string, f *bring.Facts) (notes []string, err error) {
	if f.Triangles == 0 {
		return nil, fmt.Errorf("%s holds no mesh", asset.Name(ref))
	}
	lib := s.st.Store.Files
	old, oldErr := lib.Model(e.Get("mesh").Text)
	now, err := lib.Model(ref)
	if err != nil {
		return nil, err
	}
	size := geom.FromArray(f.Size)
	if e.FromFile() && oldErr == nil {
		was, native := geom.FromArray(e.Get("size").Vec), old.Box.Size()
		k := 1.0
		if m := native.MaxComponent(); m > 0 {
			k = was.MaxComponent() / m
		}
		size = size.Mul(k)
		if w := e.Get("share_painted").Text; w != "" {
			weights, err := lib.Weights(w)
			if err == nil && len(weights) == len(old.Rest.P) {
				carried, share := asset.Carry(old.Rest, weights, now.Rest)
				id, err := s.st.Files.PutWeights(asset.Pack(carried))
				if err != nil {
					return nil, err
				}
				e.Values["share_painted"] = shot.Text(id)
				if share < 0.95 {
					notes = append(notes, fmt.Sprintf("the painted weights were carried over to the nearest place; for %.0f %% of the new mesh that is far: look at them", 100*(1-share)))
				} else {
					notes = append(notes, "the painted weights were carried over")
				}
			}
		}
	} else if m := size.MaxComponent(); m > 0 {
		size = size.Mul(geom.FromArray(e.Get("size").Vec).MaxComponent() / m)
	}
	by, have := e.Get("share").Text, f.Parts
	if by == "joints" {
		have = f.Joints
	}
	if by == "parts" || by == "joints" {
		for _, n := range e.Get("share_names").List() {
			if !slices.Contains(have, n) {
				notes = append(notes, fmt.Sprintf("the new file has no %s called %q", strings.TrimSuffix(by, "s"), n))
			}
		}
	}
	e.Values["form"], e.Values["mesh"] = shot.Text("mesh"), shot.Text(ref)
	if len(e.Keys["size"]) == 0 {
		e.Values["size"] = shot.Vec(max(size.X, 1e-4), max(size.Y, 1e-4), max(size.Z, 1e-4))
	}
	return notes, nil
}

// guideFrom takes the first curve of a file, evenly thinned, as a guide.
func (s *server) guideFrom(d *shot.Shot, e *shot.Element, ref string) error {
	m, err := s.st.Store.Files.Model(ref)
	if err != nil {
		return err
	}
	if len(m.Curves) == 0 {
		return fmt.Errorf("%s holds no curve", asset.Name(ref))
	}
	p := m.CurveInSpace(0)
	const most = 48
	line := geom.NewLine(p, m.Curves[0].Closed, 1)
	if len(p) > most { // evenly along its length
		thin := make([]geom.Vec3, 0, most)
		at := 0
		for i := range most {
			want := float64(i) / (most - 1)
			for at+2 < len(line.S) && line.S[at+1] < want {
				at++
			}
			t := (want - line.S[at]) / max(line.S[at+1]-line.S[at], 1e-12)
			thin = append(thin, line.P[at].Add(line.P[at+1].Sub(line.P[at]).Mul(min(1, max(0, t)))))
		}
		p = thin
	}
	var list [][3]float64
	for _, q := range p {
		list = append(list, q.Array())
	}
	v := shot.PointList(list)
	if err := shot.Find(shot.Guide, "points").Check(v); err != nil {
		return err
	}
	e.Values["points"] = v
	e.Values["closed"] = shot.On(m.Curves[0].Closed)
	e.Values["reach"] = shot.Num(shot.Tidy(max(1e-3, line.L*0.12)))
	return nil
}

// cameraFrom makes the shot's camera that of a file: a key a frame where it
// moves.
func (s *server) cameraFrom(d *shot.Shot, e *shot.Element) (notes []string, err error) {
	m, err := s.st.Store.Files.Model(e.Get("mesh").Text)
	if err != nil {
		return nil, err
	}
	cams := d.Of(shot.Camera)
	var cam *shot.Element
	if len(cams) > 0 {
		cam = cams[0]
	} else {
		cam = d.Add(shot.Camera)
	}
	// the camera stands to the file's meshes as in the file
	size, native := geom.FromArray(e.Get("size").Vec), m.Box.Size()
	k := 1.0
	if x := native.MaxComponent(); x > 0 {
		k = size.MaxComponent() / x
	}
	shift := geom.FromArray(e.Get("position").Vec).Sub(m.Box.Centre().Mul(k))
	first, last := d.Range()
	moves := m.Moves()
	for _, key := range []string{"position", "target", "lens"} {
		delete(cam.Keys, key)
		delete(cam.Extras, key)
	}
	roll := 0.0
	for f := first; f <= last; f++ {
		t := e.MeshTime(float64(f))
		a, fov, ok := m.CameraAt(t)
		if !ok {
			return nil, nil
		}
		at := a.T.Mul(k).Add(shift)
		ahead := a.M.Apply(geom.V(0, 0, -1)).Unit()
		side := a.M.Apply(geom.V(1, 0, 0)).Unit()
		roll = max(roll, math.Abs(math.Asin(min(1, max(-1, side.Y))))*180/math.Pi)
		dist := max(0.1, geom.FromArray(e.Get("position").Vec).Sub(at).Dot(ahead))
		q := at.Add(ahead.Mul(dist))
		// the picture's shape is the look's; the angle is upright, the lens is
		// told for a picture 36 mm wide
		lk := d.Looks[0]
		aspect := lk.Get("width").Num / lk.Get("height").Num
		lens := 18 / (math.Tan(fov*math.Pi/360) * aspect)
		vals := map[string]shot.Value{"position": shot.Vec(at.X, at.Y, at.Z), "target": shot.Vec(q.X, q.Y, q.Z), "lens": shot.Num(min(2000, max(4, math.Round(lens*1e4)/1e4)))}
		for key, v := range vals {
			if err := shot.Find(shot.Camera, key).Check(v); err != nil {
				return nil, fmt.Errorf("the file's camera: %w", err)
			}
			if !moves || key == "lens" {
				cam.Values[key] = v
				continue
			}
			cam.SetKey(key, shot.Key{Frame: float64(f), Value: v, Way: "ramp"})
		}
		if !moves {
			break
		}
	}
	notes = append(notes, "the shot's camera is the file's")
	if roll > 1 {
		notes = append(notes, fmt.Sprintf("its camera is tilted sideways by up to %.0f°, which is left out", roll))
	}
	return notes, nil
}

// shownTriangles is how many the viewport is sent; larger meshes are thinned.
const shownTriangles = 300_000

// meshBytes sends an element's mesh about its own middle, before its turn and
// position: the counts of vertices and triangles, places as float32, indices,
// and a byte of weight for each vertex. With full it is the whole rest pose,
// for painting.
func (s *server) meshBytes(c *gin.Context) {
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	e := doc.Element(c.Param("el"))
	if e == nil || !e.FromFile() {
		c.String(http.StatusNotFound, "this element has no imported mesh")
		return
	}
	frame, _ := strconv.ParseFloat(c.Query("frame"), 64)
	lib := s.st.Store.Files
	w := asset.Want{Ref: e.Get("mesh").Text, Size: e.At("size", frame).Vec, Region: e.Share()}
	full := c.Query("full") != ""
	if full {
		w.Region = asset.Region{}
	} else {
		w.Time = e.MeshTime(frame)
	}
	p, err := lib.Pose(w)
	if err != nil {
		explain(c, err)
		return
	}
	m, weights := p.Body.Mesh, p.Body.Weight
	if full {
		if got, err := lib.Weights(e.Get("share_painted").Text); err == nil && len(got) == len(m.P) {
			weights = got
		}
	} else if len(m.Tri) > shownTriangles {
		m, weights = m.Thin(shownTriangles), nil
	}
	c.Header("Cache-Control", "private, max-age=86400")
	c.Data(http.StatusOK, "application/octet-stream", packMesh(m, weights))
}

func packMesh(m *geom.Mesh, weights []float32) []byte {
	out := make([]byte, 0, 12+12*len(m.P)+12*len(m.Tri)+len(m.P))
	put := func(v uint32) { out = binary.LittleEndian.AppendUint32(out, v) }
	put(uint32(len(m.P)))
	put(uint32(len(m.Tri)))
	put(uint32(len(weights)))
	for _, p := range m.P {
		for _, x := range p.Array() {
			put(math.Float32bits(float32(x)))
		}
	}
	for _, t := range m.Tri {
		for _, v := range t {
			put(uint32(v))
		}
	}
	for _, w := range weights {
		out = append(out, byte(w*255+0.5))
	}
	return out
}

// paint takes weights painted in the viewport, a byte for each vertex of the
// rest pose.
func (s *server) paint(c *gin.Context) {
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, geom.MaxVertices))
	if err != nil {
		refuse(c, http.StatusRequestEntityTooLarge, errors.New("the weights are too large"))
		return
	}
	id := c.Param("el")
	err = s.change(c, "paint", "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || !e.FromFile() {
			return errors.New("the element that was painted on has no imported mesh any more")
		}
		m, err := s.st.Store.Files.Model(e.Get("mesh").Text)
		if err != nil {
			return err
		}
		if len(body) != len(m.Rest.P) {
			return fmt.Errorf("%d weights came for a mesh of %d vertices; its file was replaced meanwhile: reload the page", len(body), len(m.Rest.P))
		}
		w := make([]float32, len(body))
		for i, b := range body {
			w[i] = float32(b) / 255
		}
		key, err := s.st.Files.PutWeights(asset.Pack(w))
		if err != nil {
			return err
		}
		e.Values["share"], e.Values["share_painted"] = shot.Text("painted"), shot.Text(key)
		return nil
	})
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// wrap replaces an element's mesh by a closed stand-in of its first pose.
func (s *server) wrap(c *gin.Context) {
	id := c.Param("el")
	s.edit(c, "wrap", "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || !e.FromFile() {
			return errors.New("only an imported mesh can be wrapped")
		}
		t, err := shot.Metre.Parse(c.PostForm("thickness"), d.Get("units").Text)
		if err != nil {
			return fmt.Errorf("the thickness is %q; give a length such as 5 cm", c.PostForm("thickness"))
		}
		p, err := d.Files().Pose(asset.Want{Ref: e.Get("mesh").Text, Size: e.Get("size").Vec, Region: e.Share()})
		if err != nil {
			return err
		}
		m, err := surface.Wrap(p.Body.Mesh, t, 0, c.PostForm("fill") == "on", grid.NewCrew(s.opt.Threads).For)
		if err != nil {
			return err
		}
		for _, h := range d.Of(shot.Domain) {
			if v := h.Get("voxel").Num; e.Acts(h) && t < v {
				return fmt.Errorf("a wrap %s m thick is thinner than %s's voxels of %s m; give at least that, or a voxel size of %s m", shot.Short(t), h.Name, shot.Short(v), shot.Short(t))
			}
		}
		var b bytes.Buffer
		if err := ply.Encode(&b, m); err != nil {
			return err
		}
		name := strings.TrimSuffix(asset.Name(e.Get("mesh").Text), path.Ext(asset.Name(e.Get("mesh").Text))) + " wrapped.ply"
		ref, f, err := s.st.Files.Bring(name, b.Bytes(), nil, bring.Options{})
		if err != nil {
			return err
		}
		// the mesh was made about the middle of the old one
		turn := geom.RotationXYZ(geom.FromArray(e.Get("turn").Vec))
		shift := turn.Apply(geom.FromArray(f.Centre))
		for i, k := range e.Keys["position"] {
			e.Keys["position"][i].Value.Vec = geom.FromArray(k.Value.Vec).Add(shift).Array()
		}
		at := geom.FromArray(e.Get("position").Vec).Add(shift)
		e.Values["position"], e.Values["mesh"] = shot.Vec(at.X, at.Y, at.Z), shot.Text(ref)
		e.Values["size"] = shot.Vec(f.Size[0], f.Size[1], f.Size[2])
		delete(e.Keys, "size")
		for _, key := range []string{"share", "share_names", "share_painted"} {
			delete(e.Values, key)
		}
		if e.Kind == shot.Emitter {
			delete(e.Values, "from")
		}
		return nil
	}, "el", id)
}
