package web

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/anim"
	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/store"
)

// sceneElement is what the viewport draws of an element.
type sceneElement struct {
	ID       string       `json:"id"`
	Kind     shot.Kind    `json:"kind"`
	Name     string       `json:"name"`
	Muted    bool         `json:"muted,omitempty"`
	Form     string       `json:"form,omitempty"`
	Position [3]float64   `json:"position"`
	Turn     [3]float64   `json:"turn"`
	Size     [3]float64   `json:"size"`
	Taper    float64      `json:"taper,omitempty"`
	Wall     float64      `json:"wall,omitempty"`
	Colour   string       `json:"colour,omitempty"`
	Clear    bool         `json:"clear,omitempty"` // of glass
	Vector   [3]float64   `json:"vector"`          // wind, or the axis an emitter pushes along
	Target   [3]float64   `json:"target"`
	Lens     float64      `json:"lens,omitempty"`
	Min      [3]float64   `json:"min"` // of domains
	Max      [3]float64   `json:"max"`
	Walls    []bool       `json:"walls,omitempty"`
	Radius   float64      `json:"radius,omitempty"`
	Region   string       `json:"region,omitempty"` // form of a force's region
	Fade     float64      `json:"fade,omitempty"`
	Begin    int          `json:"begin"`
	End      int          `json:"end"`
	Lanes    []lane       `json:"lanes,omitempty"`
	Mesh     string       `json:"mesh,omitempty"`  // what the mesh's bytes depend on
	Inner    *[6]float64  `json:"inner,omitempty"` // shift and turn that its file gives it
	Fault    string       `json:"fault,omitempty"`
	Points   [][3]float64 `json:"points,omitempty"` // of guides
	Line     [][3]float64 `json:"line,omitempty"`
	Closed   bool         `json:"closed,omitempty"`
	Swirl    float64      `json:"swirl,omitempty"`
	Along    []float64    `json:"along,omitempty"` // factors of the reach along a guide
}

// lane is a keyed value on the score.
type lane struct {
	Key    string     `json:"key"`
	Label  string     `json:"label"`
	Keys   []laneKey  `json:"keys"`
	Curve  []float64  `json:"curve,omitempty"` // a value a frame over the shot's range, where there is noise
	Vector bool       `json:"vector"`
	Unit   string     `json:"unit,omitempty"`
	Scale  float64    `json:"scale"` // SI units in a shown one
	After  anim.After `json:"after,omitempty"`
	Noise  float64    `json:"noise,omitempty"`
	Period float64    `json:"period,omitempty"`
	Seed   int        `json:"seed,omitempty"`
}

// laneKey is a key as the score draws it.
type laneKey struct {
	Frame float64    `json:"f"`
	Value [3]float64 `json:"v"`
	Way   anim.Way   `json:"way"`
	In    [3]float64 `json:"in"`
	Out   [3]float64 `json:"out"`
}

type sceneTake struct {
	Number int    `json:"number"`
	Key    string `json:"key"`
	State  string `json:"state"`
	First  int    `json:"first"`
	Last   int    `json:"last"`
	Frames []int  `json:"frames"`
	Job    string `json:"job,omitempty"`
}

// sceneStage is a stage of the cache chain as the score draws it.
type sceneStage struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	State  string `json:"state"`
	First  int    `json:"first"`
	Last   int    `json:"last"`
	Frames []int  `json:"frames"`
	Job    bool   `json:"job,omitempty"`
}

type scene struct {
	Name     string         `json:"name"`
	Frame    int            `json:"frame"`
	First    int            `json:"first"`
	Last     int            `json:"last"`
	Rate     float64        `json:"rate"`
	Units    string         `json:"units"`
	Elements []sceneElement `json:"elements"`
	Others   []sceneElement `json:"others"` // the shot itself and its looks, where they have keys
	Takes    []sceneTake    `json:"takes"`
	Stages   []sceneStage   `json:"stages,omitempty"` // of a chain; a shot of one domain has none
	Moving   bool           `json:"moving"`           // some placement has keys
	Clips    []shot.Clip    `json:"clips"`
}

// sceneTakes is how many of the newest takes a scene tells of.
const sceneTakes = 4

func (s *server) sceneJSON(c *gin.Context) {
	row := rowOf(c)
	doc, err := s.st.Store.Doc(row.ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	out := scene{Name: row.Name, Rate: doc.Rate(), Units: doc.Get("units").Text, Elements: []sceneElement{}, Others: []sceneElement{}, Takes: []sceneTake{}, Clips: append([]shot.Clip{}, doc.Clips...)}
	out.First, out.Last = doc.Range()
	out.Frame = out.First
	if f, err := strconv.Atoi(c.Query("frame")); err == nil {
		out.Frame = f
	}
	for _, e := range doc.Elements {
		se, moving := describe(doc, e, float64(out.Frame))
		out.Elements = append(out.Elements, se)
		out.Moving = out.Moving || moving
	}
	for _, e := range append([]*shot.Element{doc.Self}, doc.Looks...) {
		se := sceneElement{ID: e.Address(), Kind: e.Kind, Name: e.Title(), Lanes: lanes(doc, e)}
		if len(se.Lanes) > 0 {
			out.Others = append(out.Others, se)
		}
	}
	list, _ := s.st.List(row.ID)
	if len(doc.Of(shot.Domain)) > 1 {
		for _, st := range s.st.Chain(doc, list) {
			v := sceneStage{ID: st.Domain.ID, Name: st.Domain.Name, State: string(st.State), First: out.First, Last: out.Last, Frames: []int{}, Job: st.Running}
			for f := range st.Frames {
				v.Frames = append(v.Frames, f)
			}
			slices.Sort(v.Frames)
			out.Stages = append(out.Stages, v)
		}
	}
	takes, jobs := list.Takes, list.Jobs
	for n, t := range takes {
		// the page shows one of them: the newest, or the one that its address names
		if n >= sceneTakes && strconv.Itoa(t.Number) != c.Query("take") {
			continue
		}
		state, frames := s.st.State(doc, t)
		st := sceneTake{Number: t.Number, Key: t.Key[:8], State: string(state), First: t.First, Last: t.Last, Frames: []int{}}
		for f := range frames {
			st.Frames = append(st.Frames, f)
		}
		slices.Sort(st.Frames)
		if j, ok := jobs[t.ID]; ok && j.Active() {
			st.Job = j.State
		}
		out.Takes = append(out.Takes, st)
	}
	c.Header("Cache-Control", "no-store")
	c.JSON(http.StatusOK, out)
}

func describe(doc *shot.Shot, e *shot.Element, frame float64) (sceneElement, bool) {
	first, last := doc.Range()
	se := sceneElement{ID: e.ID, Kind: e.Kind, Name: e.Name, Muted: e.Muted, Begin: first, End: last}
	moving := false
	vec := func(key string) [3]float64 {
		moving = moving || len(e.Keys[key]) > 0
		return e.At(key, frame).Vec
	}
	se.Position = vec("position")
	switch e.Kind {
	case shot.Domain:
		b := e.DomainBox()
		se.Min, se.Max, se.Size = b.Min.Array(), b.Max.Array(), e.Get("size").Vec
		for _, k := range []string{"side_x0", "side_x1", "side_y0", "side_y1", "side_z0", "side_z1"} {
			se.Walls = append(se.Walls, e.Get(k).Text == "wall")
		}
	case shot.Emitter, shot.Collider, shot.Pull, shot.Mesh:
		se.Form, se.Turn, se.Size = e.Get("form").Text, vec("turn"), vec("size")
		se.Taper, se.Wall = e.At("taper", frame).Num, e.At("wall", frame).Num
		moving = moving || len(e.Keys["taper"])+len(e.Keys["wall"])+len(e.Keys["colour"]) > 0
		if e.FromFile() {
			meshOf(&se, doc, e, frame)
			moving = moving || e.Moving()
		}
		if e.Kind == shot.Collider || e.Kind == shot.Mesh {
			se.Colour = hexOf(e.At("colour", frame).Vec)
			se.Clear = e.Get("material").Text == "glass"
			break
		}
		if e.Kind == shot.Pull {
			se.Radius = e.At("reach", frame).Num
			break
		}
		se.Begin, se.End = max(first, int(e.Get("begin").Num)), min(last, int(e.Get("end").Num))
		if e.Get("along").Text == "axis" {
			sh := e.Shape(frame)
			se.Vector = sh.Axis().Mul(e.At("speed", frame).Num).Array()
		}
	case shot.Wind:
		se.Vector = vec("velocity")
	case shot.Guide:
		se.Points, se.Closed = e.Get("points").Places(), e.Get("closed").Flag
		se.Radius, se.Swirl = e.At("reach", frame).Num, e.At("swirl", frame).Num
		se.Vector[0] = e.At("pace", frame).Num
		se.Along = e.Get("reach_along").Factors()
		var p []geom.Vec3
		for _, q := range se.Points {
			p = append(p, geom.FromArray(q))
		}
		for _, q := range geom.NewLine(p, se.Closed, 12).P {
			se.Line = append(se.Line, q.Array())
		}
	case shot.Vortex:
		se.Turn = vec("turn")
		se.Radius, se.Vector[0] = e.At("radius", frame).Num, e.At("strength", frame).Num
	case shot.Radial:
		se.Radius, se.Vector[0] = e.At("radius", frame).Num, e.At("strength", frame).Num
	case shot.Lamp:
		se.Form, se.Target, se.Colour = e.Get("form").Text, vec("target"), hexOf(e.At("colour", frame).Vec)
		se.Size = [3]float64{e.At("wide", frame).Num, e.At("tall", frame).Num, 0}
	case shot.Camera:
		se.Target, se.Lens = vec("target"), e.At("lens", frame).Num
	}
	if shot.Find(e.Kind, "region") != nil {
		if sh, fade, limited := e.RegionShape(frame); limited {
			se.Region, se.Size, se.Fade = string(sh.Form), sh.Size.Array(), fade
		}
	}
	se.Lanes = lanes(doc, e)
	return se, moving
}

// lanes are the keyed values of an element, a look or the shot.
func lanes(doc *shot.Shot, e *shot.Element) (out []lane) {
	first, last := doc.Range()
	for _, entry := range shot.Entries(e.Kind) {
		keys := e.Keys[entry.Key]
		if len(keys) == 0 {
			continue
		}
		x := e.Extras[entry.Key]
		f := fieldOf(entry, e.ID, entry.Default, doc.Get("units").Text)
		l := lane{Key: entry.Key, Label: entry.Label, Vector: entry.Type.Triple(), Unit: f.Unit, Scale: f.Scale, After: x.After, Noise: x.Amount, Period: x.Period, Seed: x.Seed}
		one := func(v shot.Value) float64 {
			if l.Vector {
				return v.Vec[0]
			}
			return v.Num
		}
		for _, k := range keys {
			v := k.Value.Vec
			if !l.Vector {
				v = [3]float64{k.Value.Num}
			}
			l.Keys = append(l.Keys, laneKey{k.Frame, v, k.Way, k.In, k.Out})
		}
		for f := first; f <= last && x.Amount != 0 && len(l.Curve) < 2000; f++ {
			l.Curve = append(l.Curve, one(e.At(entry.Key, float64(f))))
		}
		out = append(out, l)
	}
	return out
}

// meshOf names the mesh of an element and how its file moves it.
func meshOf(se *sceneElement, doc *shot.Shot, e *shot.Element, frame float64) {
	w := asset.Want{Ref: e.Get("mesh").Text, Size: se.Size, Time: e.MeshTime(frame), Region: e.Share()}
	if w.Ref == "" {
		se.Fault = "no file yet"
		return
	}
	m, err := doc.Files().Model(w.Ref)
	if err == nil {
		var p asset.Placed
		if p, err = doc.Files().Pose(w); err == nil {
			a := p.Turn.Angles()
			se.Inner = &[6]float64{p.At.X, p.At.Y, p.At.Z, a.X, a.Y, a.Z}
			if _, rigid := m.Rigid(w.Time); rigid || !m.Moves() {
				w.Time = 0
			}
		}
	}
	if err != nil {
		se.Fault = err.Error()
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%s %v %v %v", asset.ID(w.Ref), w.Size, w.Time, w.Region))
	se.Mesh = hex.EncodeToString(sum[:8])
}

// takeOf finds the take that an address names; the newest where it names none.
func (s *server) takeOf(c *gin.Context, number string) (store.Take, error) {
	row := rowOf(c)
	if number == "" || number == "0" {
		takes, err := s.st.Store.Takes(row.ID)
		if err != nil {
			return store.Take{}, err
		}
		if len(takes) == 0 {
			return store.Take{}, fmt.Errorf("this shot has no take yet; run it first")
		}
		return s.st.Store.TakeByID(takes[0].ID)
	}
	n, err := strconv.Atoi(number)
	if err != nil {
		return store.Take{}, fmt.Errorf("take %q is not a number", number)
	}
	return s.st.Store.Take(row.ID, n)
}

// takeFrame reads a take and a frame number; where they are wrong it has
// answered already.
func (s *server) takeFrame(c *gin.Context, number, text string) (t store.Take, frame int, ok bool) {
	t, err := s.takeOf(c, number)
	if err != nil {
		explain(c, err)
		return t, 0, false
	}
	if frame, err = strconv.Atoi(text); err != nil {
		c.String(http.StatusUnprocessableEntity, "the frame is not a number")
		return t, 0, false
	}
	return t, frame, true
}

// explain answers a script's request that can't be met.
func explain(c *gin.Context, err error) {
	var miss *cache.Missing
	var bad *cache.Damaged
	code := http.StatusUnprocessableEntity
	switch {
	case errors.As(err, &miss), errors.Is(err, store.ErrNotFound):
		code = http.StatusNotFound
	case errors.As(err, &bad):
		code = http.StatusConflict
	}
	c.String(code, err.Error())
}

func (s *server) volume(c *gin.Context) {
	t, frame, ok := s.takeFrame(c, c.Param("take"), c.Param("frame"))
	if !ok {
		return
	}
	size := 64
	if n, err := strconv.Atoi(c.Query("size")); err == nil {
		size = min(max(n, 16), 160)
	}
	as := c.Query("as")
	key := fmt.Sprintf("%s/%d/%d/%s", t.Key, frame, size, as)
	head, data, kept := s.volumes.get(key)
	if !kept {
		var err error
		if head, data, err = s.makeVolume(t, frame, size, as); err != nil {
			explain(c, err)
			return
		}
		s.volumes.put(key, head, data)
	}
	c.Header("X-Zarf-Volume", head)
	// the address holds the take's key: what it names never changes
	if c.Query("key") != "" {
		c.Header("Cache-Control", "private, max-age=86400, immutable")
	} else {
		c.Header("Cache-Control", "no-store")
	}
	c.Data(http.StatusOK, "application/octet-stream", data)
}

func (s *server) makeVolume(t store.Take, frame, size int, as string) (head string, data []byte, err error) {
	src, err := s.st.Source(t)
	if err != nil {
		return "", nil, err
	}
	if src.Domain.Liquid() {
		return s.makeLiquid(src, frame, as)
	}
	f, err := src.ReadOnly(frame, stage.Density, stage.Temperature, stage.Burn)
	if err != nil {
		return "", nil, err
	}
	den := src.Channel(f, stage.Density)
	if den == nil {
		return "", nil, fmt.Errorf("frame %d holds no density", frame)
	}
	crew := grid.NewCrew(s.opt.Threads)
	_, h, origin := src.Grid()
	low, _ := src.Window(f)
	origin = origin.Add(geom.V(float64(low[0]), float64(low[1]), float64(low[2])).Mul(h))
	in := render.Bake{Density: den, H: h, Origin: origin, Size: size, Sigma: look.At(src.Shot.Looks[0], float64(frame)).Extinction[0], Air: src.Shot.Get("air_temperature").Num}
	if src.Domain.Burns() {
		in.Burn, in.Heat = src.Channel(f, stage.Burn), src.Channel(f, stage.Temperature)
	}
	hd, out := in.Texture(crew)
	return mustJSON(hd), out, nil
}
