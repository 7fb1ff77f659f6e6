package stage

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"zarf/core/anim"
	"zarf/core/asset"
	"zarf/core/edit"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/run"
	"zarf/studio/store"
	"zarf/web/desk"
)

// sceneElement is what the viewport and the score draw of an element.
type sceneElement struct {
	shot.Drawn
	Lanes []lane      `json:"lanes,omitempty"`
	Mesh  string      `json:"mesh,omitempty"`  // what the mesh's bytes depend on
	Inner *[6]float64 `json:"inner,omitempty"` // shift and turn that its file gives it
	Fault string      `json:"fault,omitempty"`
}

// lane is a keyed value on the score.
type lane struct {
	Key    string       `json:"key"`
	Label  string       `json:"label"`
	Keys   []edit.KeyAt `json:"keys"`
	Curve  []float64    `json:"curve,omitempty"` // a value a frame over the shot's range, where there is noise
	Vector bool         `json:"vector"`
	Unit   string       `json:"unit,omitempty"`
	Scale  float64      `json:"scale"` // SI units in a shown one
	After  anim.After   `json:"after,omitempty"`
	Noise  float64      `json:"noise,omitempty"`
	Period float64      `json:"period,omitempty"`
	Seed   int          `json:"seed,omitempty"`
}

type sceneTake struct {
	ID     int64   `json:"id"`
	Number int     `json:"number"`
	Key    string  `json:"key"`
	State  string  `json:"state"`
	First  int     `json:"first"`
	Last   int     `json:"last"`
	Frames []int   `json:"frames"`
	Job    string  `json:"job,omitempty"`
	Senses []sense `json:"senses,omitempty"`
}

// sense is what a sensor read in a take, a reading for each frame from the shot's first on.
type sense struct {
	ID   string    `json:"id"`
	Read []float64 `json:"read"`
}

// senses are what the sensors of a take's domain read by what was measured of its frames.
func senses(doc *shot.Shot, domain string, stats map[int]sim.Stats) (out []sense) {
	d, last := doc.Element(domain), 0
	if list := doc.Of(shot.Domain); domain == "" && len(list) > 0 {
		d = list[0] // a shot of one domain needn't name it
	}
	for n := range stats {
		last = max(last, n)
	}
	if d == nil || last == 0 {
		return nil
	}
	past := func(n int) (sim.Stats, bool) { st, there := stats[n]; return st, there }
	for _, e := range doc.Of(shot.Sensor) {
		if !e.Muted && e.Acts(d) {
			s := sense{ID: e.ID, Read: stage.Readings(doc, d, e, past, last)}
			for i, v := range s.Read {
				s.Read[i] = math.Round(v*1000) / 1000
			}
			out = append(out, s)
		}
	}
	return out
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
	Outside  bool           `json:"outside,omitempty"` // particles come from elsewhere, or there is a sea
	Lit      string         `json:"lit"`               // what the viewport's light depends on beside a take's frame
}

// sceneTakes is how many of the newest takes a scene tells of.
const sceneTakes = 4

func (s *room) sceneJSON(c *gin.Context) {
	row := desk.Row(c)
	doc, err := s.Studio.Store.Doc(row.ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	out := scene{Name: row.Name, Rate: doc.Rate(), Units: val.Units.Of(doc), Elements: []sceneElement{}, Others: []sceneElement{}, Takes: []sceneTake{}, Clips: append([]shot.Clip{}, doc.Clips...), Lit: s.lightKey(doc)}
	out.Outside = slices.ContainsFunc(doc.Of(shot.Sequence), func(e *shot.Element) bool { return val.Frames.Of(e) != "" && val.Rendered.Of(e) && !e.Muted })
	out.Outside = out.Outside || slices.ContainsFunc(doc.Of(shot.Sea), func(e *shot.Element) bool { return val.Rendered.Of(e) })
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
		se := sceneElement{Drawn: shot.Drawn{ID: e.Address(), Kind: e.Kind, Name: e.Title()}, Lanes: lanes(doc, e)}
		if len(se.Lanes) > 0 {
			out.Others = append(out.Others, se)
		}
	}
	list, _ := s.Studio.List(row.ID)
	if len(doc.Of(shot.Domain)) > 1 {
		for _, st := range s.Studio.Chain(doc, list) {
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
		state, frames := s.Studio.State(doc, t)
		st := sceneTake{ID: t.ID, Number: t.Number, Key: t.Key[:8], State: string(state), First: t.First, Last: t.Last, Frames: []int{}}
		for f := range frames {
			st.Frames = append(st.Frames, f)
		}
		slices.Sort(st.Frames)
		if len(doc.Of(shot.Sensor)) > 0 {
			st.Senses = senses(doc, t.Domain, run.Stats(frames))
		}
		if j, ok := jobs[t.ID]; ok && j.Active() {
			st.Job = j.State
		}
		out.Takes = append(out.Takes, st)
	}
	c.Header("Cache-Control", "no-store")
	c.JSON(http.StatusOK, out)
}

func describe(doc *shot.Shot, e *shot.Element, frame float64) (sceneElement, bool) {
	ev := doc.Eval(frame)
	se := sceneElement{Drawn: doc.Draw(e, ev), Lanes: lanes(doc, e)}
	if e.FromFile() {
		meshOf(&se, doc, e, ev)
	}
	return se, se.Moving
}

// lanes are the keyed values of an element, a look or the shot.
func lanes(doc *shot.Shot, e *shot.Element) (out []lane) {
	first, last := doc.Range()
	for _, entry := range shot.Entries(e.Kind) {
		keys := e.Keys(entry)
		if len(keys) == 0 {
			continue
		}
		x := e.Extra(entry)
		f := desk.FieldOf(entry, e.ID, entry.Default, val.Units.Of(doc))
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
			l.Keys = append(l.Keys, edit.KeyAt{Frame: k.Frame, Value: v, Way: k.Way, In: k.In, Out: k.Out})
		}
		for f := first; f <= last && x.Amount != 0 && len(l.Curve) < 2000; f++ {
			l.Curve = append(l.Curve, one(e.At(entry.Key, val.Frame(float64(f)))))
		}
		out = append(out, l)
	}
	return out
}

// meshOf names the mesh of an element and how its file moves it.
func meshOf(se *sceneElement, doc *shot.Shot, e *shot.Element, ev val.Eval) {
	w := asset.Want{Ref: val.Mesh.Of(e), Size: se.Size, Time: e.MeshTime(ev), Region: e.Share()}
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

// volume answers with a frame as the viewport shows it, in the light of a look.
func (s *room) volume(c *gin.Context) {
	var t store.Take
	outside := c.Param("take") == "0" // what comes from outside, where there is no take
	number, ok := 0, true
	if outside {
		var err error
		if number, err = strconv.Atoi(c.Param("frame")); err != nil {
			c.String(http.StatusUnprocessableEntity, "the frame is not a number")
			return
		}
	} else if t, number, ok = s.TakeFrame(c, c.Param("take"), c.Param("frame")); !ok {
		return
	}
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return
	}
	size := 64
	if n, err := strconv.Atoi(c.Query("size")); err == nil {
		size = min(max(n, 16), 160)
	}
	lk := doc.Look(c.Query("look"))
	if lk == nil {
		lk = doc.Looks[0]
	}
	as, work := c.Query("as"), c.Query("light") == "work"
	if work {
		lk = run.WorkLight(lk)
	}
	key := fmt.Sprintf("%s/%d/%d/%s/%s/%t/%s", cmp.Or(t.Key, desk.Row(c).Slug), number, size, as, lk.ID, work, s.lightKey(doc))
	head, data, kept := s.volumes.Get(key)
	if !kept {
		var h render.Screen
		if crew := grid.NewCrew(s.Opt.Threads); outside {
			_, by, _ := strings.Cut(as, ":")
			h, data, err = run.Outside(number, by, doc, lk, s.Studio.Cache, crew)
		} else {
			var src *run.Source
			if src, err = s.Studio.Source(t); err == nil {
				h, data, err = src.Screen(number, size, as, doc, lk, crew)
			}
		}
		head = desk.JSON(h)
		if err != nil {
			desk.Explain(c, err)
			return
		}
		s.volumes.Put(key, head, data)
	}
	c.Header("X-Zarf-Volume", url.QueryEscape(head))
	// the address holds the keys of take and light: what it names never changes
	if c.Query("key") != "" {
		c.Header("Cache-Control", "private, max-age=86400, immutable")
	} else {
		c.Header("Cache-Control", "no-store")
	}
	c.Data(http.StatusOK, "application/octet-stream", data)
}

// lightKey names all that the viewport's light depends on beside a take's frame: looks,
// what else is in the picture, and what other domains have in the cache.
func (s *room) lightKey(doc *shot.Shot) string {
	seen := []any{doc.Rate(), desk.Pictured(doc)}
	for _, l := range doc.Looks {
		seen = append(seen, l.Print())
	}
	if len(doc.Of(shot.Domain)) > 1 {
		for _, st := range s.Studio.Chain(doc, studio.Listing{}) {
			seen = append(seen, st.Domain.ID, len(st.Frames))
		}
	}
	sum := sha256.Sum256([]byte(desk.JSON(seen)))
	return hex.EncodeToString(sum[:8])
}

// blue are the thresholds by which a viewport's steps begin.
var blue = sync.OnceValue(func() []byte { return render.Blue(64) })

func (s *room) dither(c *gin.Context) {
	c.Header("Cache-Control", "private, max-age=86400, immutable")
	c.Data(http.StatusOK, "application/octet-stream", blue())
}
