package stage

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
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
	"zarf/core/format"
	"zarf/core/format/ply"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/surface"
	"zarf/web/desk"
)

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
func (s *room) bringIn(c *gin.Context) {
	form, done, err := s.Received(c)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	defer done()
	name, data, side, err := uploaded(form)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	o, err := options(c)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	ref, facts, err := s.Studio.Files.Bring(name, data, side, o)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	use, into := c.PostForm("as"), c.PostForm("into")
	out := brought{Facts: facts, Notes: append([]string{}, facts.Notes...)}
	err = s.Change(c, "bring in "+asset.Name(ref), "", func(d *shot.Shot) error {
		notes, id, err := s.install(d, use, into, ref, facts, c.PostForm)
		out.Element = id
		out.Notes = append(out.Notes, notes...)
		return err
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.JSON(http.StatusOK, out)
}

// uploaded reads the files of a request: the geometry, and others beside it.
func uploaded(form *multipart.Form) (name string, data []byte, side map[string][]byte, err error) {
	files := form.File["file"]
	if len(files) == 0 {
		return "", nil, nil, errors.New("no file came along; choose one")
	}
	if len(files) > 64 {
		return "", nil, nil, fmt.Errorf("%d files at once; up to 64 are taken", len(files))
	}
	main := slices.IndexFunc(files, func(f *multipart.FileHeader) bool {
		k := format.ByName(f.Filename)
		return k != nil && k.Model != nil
	})
	main = max(main, 0)
	beside := map[string][]byte{}
	for i, f := range files {
		b, err := desk.Content(f)
		if err != nil {
			return "", nil, nil, fmt.Errorf("%s broke off: %v", asset.Clean(f.Filename), err)
		}
		if i == main {
			name, data = asset.Clean(f.Filename), b
		} else {
			beside[asset.Clean(f.Filename)] = b
		}
	}
	side = map[string][]byte{}
	if k := format.ByName(name); k != nil {
		for n, b := range beside {
			if slices.Contains(k.Beside, strings.ToLower(path.Ext(n))) {
				side[n] = b
			}
		}
	}
	return name, data, side, nil
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
func (s *room) install(d *shot.Shot, use, into, ref string, f *bring.Facts, form func(string) string) (notes []string, id string, err error) {
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
	val.Form.Set(e, "mesh")
	val.Mesh.Set(e, ref)
	size, at := f.Size, geom.FromArray(f.Centre)
	for a := range size {
		size[a] = max(size[a], 1e-4)
	}
	if fit := strings.TrimSpace(form("fit")); fit != "" {
		want, err := shot.Metre.Parse(fit, val.Units.Of(d))
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
	for _, p := range []val.Pair{val.Size.Is(size[0], size[1], size[2]), val.Position.Is(at.X, at.Y, at.Z)} {
		if err := e.Put(p.Name, p.Value); err != nil {
			return nil, "", fmt.Errorf("it would be placed wrongly (%v); fit it to a size, recentre it, or set the unit", err)
		}
	}
	if kind == shot.Emitter && f.OpenEdges > 0 {
		val.From.Set(e, "surface")
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
	val.MotionStart.Set(e, float64(first))
	if f.Rate > 0 {
		val.MotionRate.Set(e, f.Rate)
	}
	if form("keeps") == "frames" {
		val.MotionKeeps.Set(e, "frames")
	}
	if n, err := strconv.Atoi(form("hold")); err == nil && n > 0 {
		val.MotionHold.Set(e, float64(min(n, 100000)))
	}
}

// swapMesh gives an element another file. Place, keys, scope and what hangs on
// it stay; the size follows the new file by the old one's scale; painted
// weights are carried over, and named parts that the new file lacks are told.
func (s *room) swapMesh(d *shot.Shot, e *shot.Element, ref string, f *bring.Facts) (notes []string, err error) {
	if f.Triangles == 0 {
		return nil, fmt.Errorf("%s holds no mesh", asset.Name(ref))
	}
	lib := s.Studio.Store.Files
	old, oldErr := lib.Model(val.Mesh.Of(e))
	now, err := lib.Model(ref)
	if err != nil {
		return nil, err
	}
	size := geom.FromArray(f.Size)
	if e.FromFile() && oldErr == nil {
		was, native := geom.FromArray(val.Size.Of(e)), old.Box.Size()
		k := 1.0
		if m := native.MaxComponent(); m > 0 {
			k = was.MaxComponent() / m
		}
		size = size.Mul(k)
		if w := val.SharePainted.Of(e); w != "" {
			weights, err := lib.Weights(w)
			if err == nil && len(weights) == len(old.Rest.P) {
				carried, share := asset.Carry(old.Rest, weights, now.Rest)
				id, err := s.Studio.Files.PutWeights(asset.Pack(carried))
				if err != nil {
					return nil, err
				}
				val.SharePainted.Set(e, id)
				if share < 0.95 {
					notes = append(notes, fmt.Sprintf("the painted weights were carried over to the nearest place; for %.0f %% of the new mesh that is far: look at them", 100*(1-share)))
				} else {
					notes = append(notes, "the painted weights were carried over")
				}
			}
		}
	} else if m := size.MaxComponent(); m > 0 {
		size = size.Mul(geom.FromArray(val.Size.Of(e)).MaxComponent() / m)
	}
	by, have := val.Share.Of(e), f.Parts
	if by == "joints" {
		have = f.Joints
	}
	if by == "parts" || by == "joints" {
		for _, n := range val.ShareNames.Of(e) {
			if !slices.Contains(have, n) {
				notes = append(notes, fmt.Sprintf("the new file has no %s called %q", strings.TrimSuffix(by, "s"), n))
			}
		}
	}
	val.Form.Set(e, "mesh")
	val.Mesh.Set(e, ref)
	if len(e.Keys(val.Largest)) == 0 {
		val.Size.Set(e, max(size.X, 1e-4), max(size.Y, 1e-4), max(size.Z, 1e-4))
	}
	return notes, nil
}

// guideFrom takes the first curve of a file, evenly thinned, as a guide.
func (s *room) guideFrom(d *shot.Shot, e *shot.Element, ref string) error {
	m, err := s.Studio.Store.Files.Model(ref)
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
	e.Set(val.Points.Name(), v)
	val.Closed.Set(e, m.Curves[0].Closed)
	val.Reach.Set(e, shot.Tidy(max(1e-3, line.L*0.12)))
	return nil
}

// cameraFrom makes the shot's camera that of a file: a key a frame where it
// moves.
func (s *room) cameraFrom(d *shot.Shot, e *shot.Element) (notes []string, err error) {
	m, err := s.Studio.Store.Files.Model(val.Mesh.Of(e))
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
	size, native := geom.FromArray(val.Size.Of(e)), m.Box.Size()
	k := 1.0
	if x := native.MaxComponent(); x > 0 {
		k = size.MaxComponent() / x
	}
	shift := geom.FromArray(val.Position.Of(e)).Sub(m.Box.Centre().Mul(k))
	first, last := d.Range()
	moves := m.Moves()
	for _, n := range []val.Name{val.Position, val.Target, val.Lens} {
		cam.DropKeys(n)
	}
	roll := 0.0
	for f := first; f <= last; f++ {
		t := e.MeshTime(d.Eval(float64(f)))
		a, fov, ok := m.CameraAt(t)
		if !ok {
			return nil, nil
		}
		at := a.T.Mul(k).Add(shift)
		ahead := a.M.Apply(geom.V(0, 0, -1)).Unit()
		side := a.M.Apply(geom.V(1, 0, 0)).Unit()
		roll = max(roll, math.Abs(math.Asin(min(1, max(-1, side.Y))))*180/math.Pi)
		dist := max(0.1, geom.FromArray(val.Position.Of(e)).Sub(at).Dot(ahead))
		q := at.Add(ahead.Mul(dist))
		// the picture's shape is the look's; the angle is upright, the lens is
		// told for a picture 36 mm wide
		lk := d.Looks[0]
		aspect := val.Width.Of(lk) / val.Height.Of(lk)
		lens := 18 / (math.Tan(fov*math.Pi/360) * aspect)
		val.Lens.Set(cam, math.Round(lens*1e4)/1e4)
		for k, p := range map[val.VecKey]geom.Vec3{val.Position: at, val.Target: q} {
			v := shot.Vec(p.X, p.Y, p.Z)
			if !moves {
				err = cam.Put(k.Name(), v)
			} else {
				err = cam.PutKey(k, shot.Key{Frame: float64(f), Value: v, Way: "ramp"})
			}
			if err != nil {
				return nil, fmt.Errorf("the file's camera: %w", err)
			}
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
func (s *room) meshBytes(c *gin.Context) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	e := doc.Element(c.Param("el"))
	if e == nil || !e.FromFile() {
		c.String(http.StatusNotFound, "this element has no imported mesh")
		return
	}
	frame, err := strconv.ParseFloat(c.DefaultQuery("frame", "0"), 64)
	if err != nil || !(math.Abs(frame) <= shot.MaxFrame) {
		c.String(http.StatusUnprocessableEntity, "the frame is not a number")
		return
	}
	lib, now := s.Studio.Store.Files, doc.Eval(frame)
	w := asset.Want{Ref: val.Mesh.Of(e), Size: val.Size.At(e, now), Region: e.Share()}
	full := c.Query("full") != ""
	if full {
		w.Region = asset.Region{}
	} else {
		w.Time = e.MeshTime(now)
	}
	p, err := lib.Pose(w)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	m, weights := p.Body.Mesh, p.Body.Weight
	if full {
		if got, err := lib.Weights(val.SharePainted.Of(e)); err == nil && len(got) == len(m.P) {
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
func (s *room) paint(c *gin.Context) {
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, geom.MaxVertices))
	if err != nil {
		desk.Refuse(c, http.StatusRequestEntityTooLarge, errors.New("the weights are too large"))
		return
	}
	id := c.Param("el")
	err = s.Change(c, "paint", "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || !e.FromFile() {
			return errors.New("the element that was painted on has no imported mesh any more")
		}
		m, err := s.Studio.Store.Files.Model(val.Mesh.Of(e))
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
		key, err := s.Studio.Files.PutWeights(asset.Pack(w))
		if err != nil {
			return err
		}
		val.Share.Set(e, "painted")
		val.SharePainted.Set(e, key)
		return nil
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// wrap replaces an element's mesh by a closed stand-in of its first pose.
func (s *room) wrap(c *gin.Context) {
	id := c.Param("el")
	s.Edit(c, "wrap", "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || !e.FromFile() {
			return errors.New("only an imported mesh can be wrapped")
		}
		t, err := shot.Metre.Parse(c.PostForm("thickness"), val.Units.Of(d))
		if err != nil {
			return fmt.Errorf("the thickness is %q; give a length such as 5 cm", c.PostForm("thickness"))
		}
		p, err := d.Files().Pose(asset.Want{Ref: val.Mesh.Of(e), Size: val.Size.Of(e), Region: e.Share()})
		if err != nil {
			return err
		}
		m, err := surface.Wrap(p.Body.Mesh, t, 0, c.PostForm("fill") == "on", grid.NewCrew(s.Opt.Threads).For)
		if err != nil {
			return err
		}
		for _, h := range d.Of(shot.Domain) {
			if v := val.Voxel.Of(h); e.Acts(h) && t < v {
				return fmt.Errorf("a wrap %s m thick is thinner than %s's voxels of %s m; give at least that, or a voxel size of %s m", shot.Short(t), h.Name, shot.Short(v), shot.Short(t))
			}
		}
		var b bytes.Buffer
		if err := ply.Encode(&b, m); err != nil {
			return err
		}
		name := strings.TrimSuffix(asset.Name(val.Mesh.Of(e)), path.Ext(asset.Name(val.Mesh.Of(e)))) + " wrapped.ply"
		ref, f, err := s.Studio.Files.Bring(name, b.Bytes(), nil, bring.Options{})
		if err != nil {
			return err
		}
		// the mesh was made about the middle of the old one
		turn := geom.RotationXYZ(geom.FromArray(val.Turn.Of(e)))
		shift := turn.Apply(geom.FromArray(f.Centre))
		e.MapKeys(val.Position, func(v shot.Value) shot.Value {
			return shot.Value{Vec: geom.FromArray(v.Vec).Add(shift).Array()}
		})
		at := geom.FromArray(val.Position.Of(e)).Add(shift)
		val.Position.Set(e, at.X, at.Y, at.Z)
		val.Mesh.Set(e, ref)
		val.Size.Set(e, f.Size[0], f.Size[1], f.Size[2])
		e.DropKeys(val.Size)
		e.Reset(val.Share, val.ShareNames, val.SharePainted)
		if e.Kind == shot.Emitter {
			e.Reset(val.From)
		}
		return nil
	}, "el", id)
}

// units are those that the dialog fills in, by ending, where not a metre.
func units() (string, error) {
	out := map[string]string{}
	for _, f := range format.All() {
		for _, e := range f.Endings {
			if f.Unit != 0 {
				out[e] = shot.Metre.Format(f.Unit, "mm") + " mm"
			}
		}
	}
	b, err := json.Marshal(out)
	return string(b), err
}
