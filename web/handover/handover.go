package handover

import (
	"bytes"
	"fmt"
	"image/png"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/format"
	"zarf/core/look"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/handover"
	"zarf/studio/store"
	"zarf/web/desk"
)

// handView is a handover in the list.
type handView struct {
	store.Job
	Take     int
	Name     string
	Manifest *handover.Manifest
	Bytes    int64
	Again    bool // it ended early and can go on
}

// Headline tells what a handover is, in a few words.
func (h handView) Headline() string {
	m := h.Manifest
	if m == nil {
		return ""
	}
	switch {
	case m.Flipbook != nil:
		f := m.Flipbook
		s := fmt.Sprintf("flipbook, %d × %d tiles of %d × %d", f.Columns, f.Rows, f.TileWide, f.TileTall)
		if f.Seam != nil {
			s += fmt.Sprintf(", seam %.2f×", f.Seam.Ratio)
		}
		return s
	case m.Pictures != nil:
		return fmt.Sprintf("pictures, %d × %d, alpha %s", m.Pictures.Width, m.Pictures.Height, m.Pictures.Alpha)
	}
	units := "units are a metre"
	if m.Scale == 1 {
		units = "unit is a metre"
	}
	return fmt.Sprintf("%s, %s, %s "+units, map[string]string{"volumes": "volumes", "field": "vector field", "points": "points", "meshes": "meshes"}[m.What], m.Axes, shot.Short(m.Scale))
}

func (s *room) hands(w *view) error {
	jobs, err := s.Studio.Store.ShotJobs(w.Row.ID, studio.KindHandover)
	seen := map[string]bool{}
	for _, j := range jobs {
		if seen[j.Dir] { // a later job went on with it
			continue
		}
		seen[j.Dir] = true
		v := handView{Job: j, Take: s.TakeNumber(j.TakeID), Name: studio.JobName(j)}
		if m, err := handover.Read(j.Dir); err == nil {
			v.Manifest = m
			for _, f := range m.Files {
				v.Bytes += f.Size
			}
		}
		v.Again = v.Manifest == nil && !j.Active()
		w.Hands = append(w.Hands, v)
	}
	return err
}

// recording names a rendered range that pictures and flipbooks can be made of.
type recording struct {
	desk.JobView
	Says string
}

// Recordings are the rendered ranges with files, the newest first.
func (w *view) Recordings() (out []recording) {
	for _, r := range w.Renders {
		if len(r.Files) == 0 {
			continue
		}
		kind := "pictures"
		if strings.Contains(filepath.Base(r.Dir), "-tiles-") {
			kind = "tiles"
		}
		says := fmt.Sprintf("%s of take %d, %d frames", kind, r.Take, len(r.Files))
		if l := w.Doc.Look(r.Look); l != nil && len(w.Doc.Looks) > 1 {
			says += ", " + l.Name
		}
		if r.Active() {
			says += ", being made"
		}
		out = append(out, recording{r, fmt.Sprintf("%s (no. %d)", says, r.ID)})
	}
	return out
}

// Presets are the sets of values for a handover.
func (w *view) Presets() []handover.Preset { return handover.Presets }

// Sides reports that tiles are to be lit from six sides.
func (w *view) Sides() bool { return val.SheetSides.Of(w.Doc.Handover) }

// What is what the shot hands over next.
func (w *view) What() string { return val.What.Of(w.Doc.Handover) }

// OfPictures tells whether the next handover is made of rendered pictures.
func (w *view) OfPictures() bool { return w.What() == "pictures" || w.What() == "flipbook" }

// TileSize is what is offered for a recording.
func (w *view) TileSize() [2]int {
	return [2]int{int(val.TileWide.Of(w.Doc.Handover)), int(val.TileTall.Of(w.Doc.Handover))}
}

func (s *room) handOver(c *gin.Context) {
	t, from, to, renders, err := s.handed(c, c.PostForm)
	if err == nil {
		err = s.Studio.HandOver(desk.Row(c), t, c.PostForm("name"), from, to, renders)
	}
	s.Answer(c, err)
}

// handed reads what a handover is made of; frames that are left out are all of
// the take's or of the rendered range's.
func (s *room) handed(c *gin.Context, form func(string) string) (t store.Take, from, to int, renders int64, err error) {
	if t, err = s.TakeOf(c, form("take")); err != nil {
		return
	}
	if text := form("renders"); text != "" {
		if renders, err = strconv.ParseInt(text, 10, 64); err != nil {
			return t, 0, 0, 0, fmt.Errorf("%q names no rendered range", text)
		}
	}
	first, last := t.First, t.Last
	if renders > 0 {
		if j, err := s.Studio.Store.Job(renders); err == nil && j.ShotID == desk.Row(c).ID && j.Kind == studio.KindRender {
			first, last, _ = studio.Span(j)
			if j.TakeID != 0 {
				if of, err := s.Studio.Store.TakeByID(j.TakeID); err == nil {
					t = of
				}
			}
		}
	}
	from, to, err = desk.SpanOf(form, first, last)
	return
}

// handoverSize answers with the disk that a handover will take.
func (s *room) handoverSize(c *gin.Context) {
	t, from, to, renders, err := s.handed(c, c.Query)
	var size int64
	var how string
	if err == nil {
		size, how, err = s.Studio.HandoverSize(desk.Row(c), t, from, to, renders)
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.Exec(c, "partials", "handsize", map[string]any{"Bytes": size, "How": how, "Error": err})
}

// presetHandover sets the handover's values for one need.
func (s *room) presetHandover(c *gin.Context) {
	p, ok := handover.FindPreset(c.PostForm("preset"))
	if !ok {
		s.Fail(c, http.StatusUnprocessableEntity, "There is no such set of values.", "Choose one of the list.")
		return
	}
	s.Edit(c, "handover: "+p.Label, "", func(d *shot.Shot) error { return d.Handover.PutAll(p.Values) })
}

// record queues the rendering of tiles.
func (s *room) record(c *gin.Context) {
	t, err := s.TakeOf(c, c.PostForm("take"))
	var from, to, wide, tall int
	if err == nil {
		from, to, err = desk.Span(c, t.First, t.Last)
	}
	for key, v := range map[string]*int{"wide": &wide, "tall": &tall} {
		if err == nil {
			if *v, err = strconv.Atoi(c.PostForm(key)); err != nil {
				err = fmt.Errorf("%q is no number of pixels", c.PostForm(key))
			}
		}
	}
	if err == nil {
		err = s.Studio.Record(desk.Row(c), t, c.PostForm("look"), from, to, wide, tall, c.PostForm("sides") == "on", c.PostForm("solids"))
	}
	s.Answer(c, err)
}

// finished finds a finished handover by its address.
func (s *room) finished(c *gin.Context) (store.Job, *handover.Manifest, bool) {
	j, err := s.JobOf(c)
	if err != nil || j.Kind != studio.KindHandover {
		c.String(http.StatusNotFound, "There is no such handover.")
		return j, nil, false
	}
	m, err := handover.Read(j.Dir)
	if err != nil {
		c.String(http.StatusConflict, "This handover is not finished. Wait for it, or make it again.")
		return j, nil, false
	}
	return j, m, true
}

// fileOf is the file of a handover that an address names by its number.
func fileOf(c *gin.Context, m *handover.Manifest) (handover.File, bool) {
	n, err := strconv.Atoi(c.Param("n"))
	if err != nil || n < 0 || n >= len(m.Files) || !filepath.IsLocal(filepath.FromSlash(m.Files[n].Path)) {
		c.String(http.StatusNotFound, "This handover has no such file.")
		return handover.File{}, false
	}
	return m.Files[n], true
}

// showHandover shows a handover: what is in it, as the receiver reads it.
func (s *room) showHandover(c *gin.Context) {
	j, m, ok := s.finished(c)
	if !ok {
		return
	}
	v := struct {
		handView
		Row     store.ShotRow
		Opens   bool // a reader can look into its files
		Samples int  // of a file that holds all frames
		Plate   bool
		Ext     string
		JSON    string
	}{handView: handView{Job: j, Take: s.TakeNumber(j.TakeID), Name: m.Name, Manifest: m}, Row: desk.Row(c)}
	for _, f := range m.Files {
		v.Bytes += f.Size
	}
	v.Ext = strings.TrimPrefix(filepath.Ext(m.Files[0].Path), ".")
	if k := format.ByName(m.Files[0].Path); k != nil {
		v.Opens = k.Look != nil
		if k.Film {
			v.Samples = m.Frames
		}
	}
	if doc, err := s.Studio.Store.Doc(desk.Row(c).ID); err == nil {
		v.Plate = plateOf(doc, j) != ""
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.Exec(c, "partials", "handed", v)
}

// plateOf is the plate of the look that a handover's pictures were rendered
// with, or of another look of the shot.
func plateOf(doc *shot.Shot, j store.Job) string {
	_, _, id := studio.Span(j)
	for _, l := range append([]*shot.Element{doc.Look(id)}, doc.Looks...) {
		if l != nil && val.Plate.Of(l) != "" {
			return val.Plate.Of(l)
		}
	}
	return ""
}

// handoverFile sends one file of a handover.
func (s *room) handoverFile(c *gin.Context) {
	j, m, ok := s.finished(c)
	if !ok {
		return
	}
	f, ok := fileOf(c, m)
	if !ok {
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", filepath.Base(f.Path)))
	c.Header("Content-Type", "application/octet-stream")
	c.File(filepath.Join(j.Dir, filepath.FromSlash(f.Path)))
}

// readBack tells what a reader finds in a file.
func (s *room) readBack(c *gin.Context) {
	_, m, things, f, ok := s.things(c)
	if !ok {
		return
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	views := [][4]string{{"across z", "0", "1", "x →, y ↑"}, {"across x", "2", "1", "z →, y ↑"}, {"across y", "0", "2", "x →, z ↑"}}
	if strings.HasPrefix(m.Axes, "z") {
		views = [][4]string{{"across y", "0", "2", "x →, z ↑"}, {"across x", "1", "2", "y →, z ↑"}, {"across z", "0", "1", "x →, y ↑"}}
	}
	s.Exec(c, "partials", "readback", map[string]any{"Things": things, "File": f, "Job": c.Param("job"), "N": c.Param("n"), "Row": desk.Row(c), "Sample": c.DefaultQuery("sample", "0"), "Views": views})
}

func (s *room) things(c *gin.Context) (j store.Job, m *handover.Manifest, things []*format.Thing, f handover.File, ok bool) {
	if j, m, ok = s.finished(c); !ok {
		return
	}
	if f, ok = fileOf(c, m); !ok {
		return
	}
	sample, _ := strconv.Atoi(c.Query("sample"))
	things, err := handover.Open(j.Dir, f, sample)
	if err != nil {
		c.String(http.StatusUnprocessableEntity, desk.Sentence(err.Error())+".")
		return j, m, nil, f, false
	}
	return j, m, things, f, true
}

// shadow draws what a reader finds in a file, along an axis.
func (s *room) shadow(c *gin.Context) {
	_, _, things, _, ok := s.things(c)
	if !ok {
		return
	}
	n, err := strconv.Atoi(c.Query("thing"))
	across, err2 := strconv.Atoi(c.Query("across"))
	up, err3 := strconv.Atoi(c.Query("up"))
	if err != nil || err2 != nil || err3 != nil || n < 0 || n >= len(things) || min(across, up) < 0 || max(across, up) > 2 || across == up {
		c.String(http.StatusUnprocessableEntity, "the view is given by thing, across and up: which of the file's things, and two axes from 0 to 2")
		return
	}
	s.sendPNG(c, func(b *bytes.Buffer) error { return png.Encode(b, things[n].Shadow(across, up, 240)) })
}

func (s *room) sendPNG(c *gin.Context, write func(b *bytes.Buffer) error) {
	var b bytes.Buffer
	if err := write(&b); err != nil {
		c.String(http.StatusUnprocessableEntity, desk.Sentence(err.Error())+".")
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/png", b.Bytes())
}

// sheetPicture sends a flipbook's sheet as the player reads it.
func (s *room) sheetPicture(c *gin.Context) {
	j, m, ok := s.finished(c)
	if !ok {
		return
	}
	if m.Flipbook == nil {
		c.String(http.StatusNotFound, "This handover is no flipbook.")
		return
	}
	most, err := strconv.Atoi(c.DefaultQuery("most", "4096"))
	if err != nil || most < 64 || most > 16384 {
		c.String(http.StatusUnprocessableEntity, "most is the most pixels across, 64 to 16384")
		return
	}
	for _, sh := range m.Flipbook.Sheets {
		if sh.Name != c.Param("name") || len(sh.Files) != 1 || !filepath.IsLocal(filepath.FromSlash(sh.Files[0])) {
			continue
		}
		b, err := os.ReadFile(filepath.Join(j.Dir, filepath.FromSlash(sh.Files[0])))
		if err != nil {
			desk.Explain(c, err)
			return
		}
		s.sendPNG(c, func(out *bytes.Buffer) error {
			ext := strings.TrimPrefix(filepath.Ext(sh.Files[0]), ".")
			if conf, err := png.DecodeConfig(bytes.NewReader(b)); err == nil && max(conf.Width, conf.Height) <= most {
				_, err = out.Write(b)
				return err
			}
			img, err := handover.SheetPicture(b, ext, sh, m.Flipbook.Motion, most)
			if err != nil {
				return err
			}
			e := png.Encoder{CompressionLevel: png.BestSpeed}
			return e.Encode(out, img)
		})
		return
	}
	c.String(http.StatusNotFound, "This flipbook has no such sheet, or it is a sequence.")
}

// comp lays a picture of a handover over the plate, read back from its file.
func (s *room) comp(c *gin.Context) {
	j, m, ok := s.finished(c)
	if !ok {
		return
	}
	f, ok := fileOf(c, m)
	if !ok {
		return
	}
	alpha := c.Query("alpha")
	if alpha != "straight" && alpha != "premultiplied" {
		c.String(http.StatusUnprocessableEntity, "alpha is straight or premultiplied")
		return
	}
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	u := handover.Under{Grey: 0.18, Check: c.Query("under") == "check"}
	if c.Query("under") == "plate" {
		ref := plateOf(doc, j)
		if ref == "" {
			c.String(http.StatusUnprocessableEntity, "No look of this shot has a plate: bring one in at Look.")
			return
		}
		first := 0
		for _, l := range doc.Looks {
			if val.Plate.Of(l) == ref {
				first = look.At(l, 0).PlateFirst
			}
		}
		if u.Plate, err = doc.Files().Picture(ref, f.Frame-first); err != nil {
			c.String(http.StatusUnprocessableEntity, "The plate: "+err.Error()+".")
			return
		}
	}
	b, err := os.ReadFile(filepath.Join(j.Dir, filepath.FromSlash(f.Path)))
	if err != nil {
		desk.Explain(c, err)
		return
	}
	exposure := 0.0
	_, _, id := studio.Span(j)
	if l := doc.Look(id); l != nil {
		exposure = val.Exposure.Of(l)
	}
	s.sendPNG(c, func(out *bytes.Buffer) error {
		img, err := handover.Comp(b, strings.TrimPrefix(filepath.Ext(f.Path), "."), alpha, u, exposure, 960)
		if err != nil {
			return err
		}
		return png.Encode(out, img)
	})
}
