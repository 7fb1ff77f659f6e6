package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"math"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/format"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/store"
)

type station struct{ Key, Label, Help string }

var stations = []station{
	{"stage", "Stage", "geometry, domain, emitters, forces"},
	{"score", "Score", "what happens when"},
	{"takes", "Takes", "runs and their caches"},
	{"look", "Look", "shading, light, pictures"},
	{"handover", "Handover", "files for others"},
}

func mustJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(b)
}

func (s *server) loadPages() map[string]*template.Template {
	funcs := template.FuncMap{
		"static": func(p string) string { return "/static/" + s.stamp + "/" + p },
		"bytes":  bytesWords, "seconds": secondsWords, "roughly": func(v float64) string {
			if v < 1 {
				return "under 1 s"
			}
			return "about " + secondsWords(v)
		}, "count": countWords, "ago": agoWords,
		"lookList": lookList, "lookChanges": lookChanges, "driven": driven, "takeNumbers": takeNumbers, "sweepable": sweepable, "sweepVoxel": sweepVoxel,
		"field":    s.field,
		"takeLine": s.takeLine,
		"stations": func() []station { return stations },
		"kinds":    shot.ElementKinds,
		"recipes":  s.st.Recipes,
		"picture": func(key string) string {
			if strings.HasPrefix(key, studio.Own) {
				return "/recipes/" + key + ".png"
			}
			return "/static/" + s.stamp + "/recipes/" + key + ".png"
		},
		"uses": func() []shot.Option { return uses },
		// files that can be brought in, and what each leaves open
		"accepted": func() string { return strings.Join(append(format.Endings(format.Models), format.Besides()...), ",") },
		"beside":   func() string { return strings.Join(format.Besides(), " ") },
		"asked":    func(q string) string { return strings.Join(format.Endings(format.Asked(format.Question(q))), " ") },
		"units":    units,
		"has":      func(list []string, s string) bool { return slices.Contains(list, s) },
		"own":      func(key string) bool { return strings.HasPrefix(key, studio.Own) },
		"minus":    func(a, b int) int { return a - b },
		"half":     func(a int) int { return a / 2 },
		"upto": func(n int) []int {
			out := make([]int, n)
			for i := range out {
				out[i] = i + 1
			}
			return out
		},
		"dict": func(kv ...any) map[string]any {
			m := map[string]any{}
			for i := 0; i+1 < len(kv); i += 2 {
				m[kv[i].(string)] = kv[i+1]
			}
			return m
		},
	}
	s.written = newWritten()
	base := template.Must(template.New("").Funcs(funcs).ParseFS(templateFiles, "templates/base.html", "templates/partials.html", "templates/glyphs.html"))
	out := map[string]*template.Template{"partials": base}
	for _, p := range []string{"shots", "workspace", "queue", "fault"} {
		out[p] = template.Must(template.Must(base.Clone()).ParseFS(templateFiles, "templates/"+p+".html"))
	}
	return out
}

func (s *server) page(c *gin.Context, code int, name string, data map[string]any) {
	data["Nonce"] = c.GetString(nonceKey)
	c.Header("Content-Type", "text/html; charset=utf-8")
	c.Header("Cache-Control", "no-store")
	c.Status(code)
	s.exec(c, name, "base", data)
}

func (s *server) exec(c *gin.Context, page, tmpl string, data any) {
	if err := s.pages[page].ExecuteTemplate(c.Writer, tmpl, data); err != nil {
		s.st.Log.Error("template", "name", tmpl, "error", err)
	}
}

func bytesWords(n any) string {
	var v float64
	switch n := n.(type) {
	case int64:
		v = float64(n)
	case float64:
		v = n
	}
	for _, u := range []struct {
		size float64
		name string
	}{{1e12, "TB"}, {1e9, "GB"}, {1e6, "MB"}, {1e3, "kB"}} {
		if v >= u.size {
			return strconv.FormatFloat(v/u.size, 'f', 1, 64) + " " + u.name
		}
	}
	return fmt.Sprintf("%.0f B", v)
}

func secondsWords(v float64) string {
	switch {
	case v < 1:
		return "under 1 s"
	case v < 90:
		return fmt.Sprintf("%.0f s", v)
	case v < 5400:
		return fmt.Sprintf("%.0f min", v/60)
	case v < 48*3600:
		return fmt.Sprintf("%.1f h", v/3600)
	}
	return fmt.Sprintf("%.1f days", v/86400)
}

func countWords(v float64) string {
	switch {
	case v >= 1e9:
		return fmt.Sprintf("%.2f billion", v/1e9)
	case v >= 1e6:
		return fmt.Sprintf("%.2f million", v/1e6)
	case v >= 1e4:
		return fmt.Sprintf("%.0f thousand", v/1e3)
	}
	return fmt.Sprintf("%.0f", v)
}

func agoWords(t time.Time) string {
	d := time.Since(t)
	switch {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return fmt.Sprintf("%.0f min ago", d.Minutes())
	case d < 24*time.Hour:
		return fmt.Sprintf("%.0f h ago", d.Hours())
	}
	return t.Format("2 Jan 2006")
}

// shotCard is a shot on the library's page.
type shotCard struct {
	store.ShotRow
	Takes  int
	Frames string
	Thumb  string
	State  string
}

func (s *server) shotsPage(c *gin.Context) {
	rows, err := s.st.Store.Shots()
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The library can't be read: "+err.Error(), "Look at the data folder.")
		return
	}
	var cards []shotCard
	for _, r := range rows {
		card := shotCard{ShotRow: r}
		if doc, err := s.st.Store.Doc(r.ID); err == nil {
			a, b := doc.Range()
			card.Frames = fmt.Sprintf("frames %d–%d at %s fps", a, b, shot.Short(math.Round(doc.Rate()*1000)/1000))
			newest, count, err := s.st.Store.NewestTake(r.ID)
			if card.Takes = count; err == nil && count > 0 {
				st, frames := s.st.State(doc, newest)
				card.State = string(st)
				if f, ok := middle(frames, newest); ok {
					card.Thumb = fmt.Sprintf("/shots/%s/thumb?take=%d&frame=%d&key=%s", r.Slug, newest.Number, f, newest.Key[:8])
				}
			}
		}
		cards = append(cards, card)
	}
	s.page(c, http.StatusOK, "shots", map[string]any{"Title": "Shots", "Cards": cards, "Dir": s.st.Dir})
}

// middle picks a frame to stand for a take: two thirds in, or the last there is.
func middle[F any](frames map[int]F, t store.Take) (int, bool) {
	want := t.First + (t.Last-t.First)*2/3
	best, found := 0, false
	for f := range frames {
		if !found || abs(f-want) < abs(best-want) || (abs(f-want) == abs(best-want) && f < best) {
			best, found = f, true
		}
	}
	return best, found
}

func abs(a int) int {
	if a < 0 {
		return -a
	}
	return a
}

// space is all that the workspace's templates read.
type space struct {
	Row        store.ShotRow
	Doc        *shot.Shot
	Station    string
	Groups     []castGroup
	Sheet      *sheet
	Checks     []check.Finding
	Faults     int
	Undo       string
	Redo       string
	Est        *stage.Estimate
	Rated      bool
	Free       float64
	Takes      []takeView
	Take       *takeView
	Active     *store.Job
	Look       *shot.Element
	Library    []string // looks that any shot can take
	Renders    []jobView
	Hands      []handView
	Frame      int
	First      int
	Last       int
	Changes    []shot.Change
	Domain     *shot.Element
	Disk       int64        // that the shot's takes take
	Clearable  []store.Take // that nobody marked
	ClearBytes int64
	list       studio.Listing
	turns      map[int64]*turn
	Chain      []studio.Stage
	Behind     int // stages of the chain that aren't current
	Sweeps     []sweepView
	Older      int   // takes that the list leaves out
	Head       int   // revision of the document that the panels show
	Stamp      int64 // differs in every answer: the page reads the scene again
}

type castGroup struct {
	Name  string
	Items []castItem
}

type castItem struct {
	*shot.Element
	Sentence string
	Chosen   bool
	Finding  string
}

type takeView struct {
	store.Take
	State   studio.CacheState
	Made    int
	Want    int
	Bytes   int64
	Job     *store.Job
	Thumb   string
	Chosen  bool
	Running bool
	Newest  bool
	Strip   []string // pictures of four frames
	From    int      // number of the take that it was made from; 0: none
	Since   string   // what was changed since that one
	Hangs   string   // what was made from it
	Plots   []plot
	Scale   *scaleView
	After   []check.Finding // what its frames tell
	frames  map[int]cache.Frame
}

type jobView struct {
	store.Job
	Take  int
	From  int
	To    int
	Look  string
	Files []int
}

// space gathers what a station shows; el, take and look come from the query.
func (s *server) space(c *gin.Context, at string) (*space, error) {
	row := rowOf(c)
	doc, err := s.st.Store.Doc(row.ID)
	if err != nil {
		return nil, err
	}
	w := &space{Row: row, Doc: doc, Station: at}
	w.First, w.Last = doc.Range()
	w.Frame = w.First
	if f, err := strconv.Atoi(c.Query("frame")); err == nil {
		w.Frame = f
	}
	w.Undo, w.Redo = s.st.Store.Labels(row.ID)
	w.Free = studio.Memory()
	if w.list, err = s.st.List(row.ID); err != nil {
		return nil, err
	}
	if w.turns, err = s.turns(row.ID); err != nil {
		return nil, err
	}
	w.Checks = check.Shot(doc, check.Machine{Memory: w.Free})
	w.Faults = len(check.Faults(w.Checks))
	if d, err := stage.PickDomain(doc, ""); err == nil {
		g, measured := s.st.Guess(doc, d, w.list)
		w.Est, w.Rated, w.Domain = &g, measured, d
	}
	w.cast(c.Query("el"))
	if err := s.takes(w, c.Query("take"), at == "stage" || at == "score", c.Query("all") != ""); err != nil {
		return nil, err
	}
	w.Look = doc.Look(c.Query("look"))
	if w.Look == nil {
		w.Look = doc.Looks[0]
	}
	switch at {
	case "look":
		w.Sheet = lookSheet(doc, w.Look, float64(w.Frame))
		if w.Library, err = s.st.LookNames(); err == nil {
			err = s.renders(w)
		}
	case "handover":
		w.Sheet = handoverSheet(doc)
		if err = s.renders(w); err == nil {
			err = s.hands(w)
		}
	case "takes":
		w.Chain = s.st.Chain(doc, w.list)
		for _, st := range w.Chain {
			if st.State != studio.Current {
				w.Behind++
			}
		}
		if err := s.tidy(w); err != nil {
			return nil, err
		}
		if w.Take != nil {
			if hangs, err := s.st.Hangs(w.Take.Take); err == nil && len(hangs) > 0 {
				w.Take.Hangs = "From it were made " + strings.Join(hangs, " and ") + ": those stay on disk, but can't be made again."
			}
			w.Take.accounts(w.Take.frames)
			if old, err := w.Take.Shot(); err == nil {
				w.Changes = shot.Diff(old, doc)
			}
		}
	default:
		switch e := doc.Owner(c.Query("el")); {
		case e == nil || e.Kind == shot.Setting:
			w.Sheet = shotSheet(doc, float64(w.Frame))
		case e.Kind == shot.Look:
			w.Sheet = lookSheet(doc, e, float64(w.Frame))
		default:
			w.Sheet = elementSheet(doc, e, float64(w.Frame))
			if e.Kind == shot.Sequence {
				w.Sheet.Outside = s.outsideFacts(doc, e)
			}
		}
	}
	return w, err
}

func (w *space) cast(chosen string) {
	findings := map[string]string{}
	for _, f := range w.Checks {
		if f.Element != "" && findings[f.Element] == "" {
			findings[f.Element] = string(f.Severity)
		}
	}
	for _, name := range shot.Groups {
		g := castGroup{Name: name}
		for _, e := range w.Doc.Elements {
			if e.Kind.Group() == name {
				g.Items = append(g.Items, castItem{e, w.Doc.Sentence(e), e.ID == chosen, findings[e.ID]})
			}
		}
		w.Groups = append(w.Groups, g)
	}
}

// listedTakes is how many of the newest takes are listed; older ones are where
// they have stars, are chosen, or all are asked for.
const listedTakes = 40

// takes gathers the shot's takes; brief leaves out all but the chosen one.
func (s *server) takes(w *space, chosen string, brief, every bool) error {
	takes, jobs := w.list.Takes, w.list.Jobs
	want, _ := strconv.Atoi(chosen)
	byID := map[int64]store.Take{}
	for _, t := range takes {
		byID[t.ID] = t
	}
	for n, t := range takes {
		if id := t.SweepID(); id != "" && !brief {
			w.swept(s, id, t)
			if t.Number != want {
				if j, ok := jobs[t.ID]; ok && j.Active() && w.Active == nil {
					w.Active = &j
				}
				continue
			}
		}
		hidden := n >= listedTakes && t.Stars == 0 && !every
		if (hidden || (brief && n > 0)) && t.Number != want {
			if !brief {
				w.Older++
			}
			if j, ok := jobs[t.ID]; ok && j.Active() && w.Active == nil {
				w.Active = &j
			}
			continue
		}
		v := takeView{Take: t, Want: t.Last - t.First + 1}
		var frames map[int]bool
		state, fs := s.st.State(w.Doc, t)
		v.State, v.frames = state, fs
		frames = map[int]bool{}
		for f, x := range fs {
			if f >= t.First && f <= t.Last {
				v.Made++
				v.Bytes += x.Size
				frames[f] = true
			}
		}
		for _, f := range four(frames, t) {
			v.Strip = append(v.Strip, fmt.Sprintf("/shots/%s/thumb?take=%d&frame=%d&key=%s", w.Row.Slug, t.Number, f, t.Key[:8]))
		}
		v.Newest = n == 0
		if p, ok := byID[t.Parent]; ok {
			v.From, v.Since = p.Number, s.since.words(p, t)
		}
		if j, ok := jobs[t.ID]; ok {
			v.Job = &j
			v.Running = j.Active()
			if v.Running && w.Active == nil {
				w.Active = &j
			}
		}
		w.Takes = append(w.Takes, v)
	}
	for i := range w.Takes {
		if w.Takes[i].Number == want {
			w.Take = &w.Takes[i]
		}
	}
	if w.Take == nil && len(w.Takes) > 0 {
		w.Take = &w.Takes[0]
	}
	if w.Take != nil {
		w.Take.Chosen = true
	}
	return nil
}

func (s *server) takeNumber(id int64) int {
	t, err := s.st.Store.TakeByID(id)
	if err != nil {
		return 0
	}
	return t.Number
}

func (s *server) renders(w *space) error {
	jobs, err := s.st.Store.ShotJobs(w.Row.ID, studio.KindRender)
	seen := map[string]bool{}
	for _, j := range jobs {
		v := jobView{Job: j, Take: s.takeNumber(j.TakeID)}
		v.From, v.To, v.Look = studio.Span(j)
		if seen[j.Dir] { // a later job went on with it
			continue
		}
		seen[j.Dir] = true
		v.Files = renderedFrames(j, v.From, v.To)
		w.Renders = append(w.Renders, v)
	}
	return err
}

func (s *server) workspace(at string) gin.HandlerFunc {
	return func(c *gin.Context) {
		w, err := s.space(c, at)
		if err != nil {
			s.fail(c, http.StatusInternalServerError, "The shot can't be read: "+err.Error(), "Its earlier revisions are kept; try undo.")
			return
		}
		s.page(c, http.StatusOK, "workspace", map[string]any{"Title": w.Row.Name, "W": w})
	}
}

// parts answers with all panels of a station, each for its own place.
func (s *server) parts(c *gin.Context) {
	at := c.Param("station")
	if !slices.ContainsFunc(stations, func(s station) bool { return s.Key == at }) {
		s.fail(c, http.StatusNotFound, "There is no such station.", "")
		return
	}
	s.refresh(c, at)
}

// refresh writes the panels of a station.
func (s *server) refresh(c *gin.Context, at string) {
	w, err := s.space(c, at)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot can't be read: "+err.Error(), "Try undo.")
		return
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	w.Stamp = time.Now().UnixNano()
	if now, err := s.st.Store.ShotByID(rowOf(c).ID); err == nil {
		w.Head = now.Head
	}
	s.exec(c, "partials", "panels", w)
}

// sheetPart shows another element's sheet.
func (s *server) sheetPart(c *gin.Context) { s.refresh(c, c.DefaultQuery("at", "stage")) }

func (s *server) exportShot(c *gin.Context) {
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	if files, weights, clips := assets.Needs(doc); len(files)+len(weights)+len(clips) > 0 {
		var b bytes.Buffer
		if err := s.st.Files.WriteBundle(&b, doc); err != nil {
			s.fail(c, http.StatusConflict, "The shot can't be exported whole: "+err.Error()+".", "The checks at Stage name the element; bring its file in again.")
			return
		}
		c.Header("Content-Disposition", `attachment; filename="`+rowOf(c).Slug+`.zip"`)
		c.Data(http.StatusOK, "application/zip", b.Bytes())
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+rowOf(c).Slug+`.json"`)
	c.Data(http.StatusOK, "application/json", doc.Encode())
}

func (s *server) newShot(c *gin.Context) {
	name := c.PostForm("name")
	if err := shot.CheckName(name); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The shot was not made: "+err.Error()+".", "Change the name and try again.")
		return
	}
	doc := shot.New(name)
	doc.Title = c.PostForm("title")
	if key := c.PostForm("recipe"); key != "" {
		r, err := s.st.Recipe(key)
		size := 0.0
		if err == nil {
			size, err = recipeSize(r, c.PostForm("size"))
		}
		if err != nil {
			s.fail(c, http.StatusUnprocessableEntity, "The shot was not made: "+err.Error()+".", "Choose another and try again.")
			return
		}
		title := doc.Title
		doc = r.Shot(name, size)
		doc.Title = title
	} else {
		d := doc.Add(shot.Domain)
		d.Name = "Air"
	}
	s.created(c, doc, "new shot")
}

func (s *server) created(c *gin.Context, doc *shot.Shot, label string) {
	row, err := s.st.Store.CreateShot(doc, label)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot could not be stored: "+err.Error(), "")
		return
	}
	go2(c, "/shots/"+row.Slug+"/stage")
}

// go2 leads the browser on, from a form or from htmx.
func go2(c *gin.Context, to string) {
	if c.GetHeader("HX-Request") != "" {
		c.Header("HX-Redirect", to)
		c.Status(http.StatusOK)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

func (s *server) importShot(c *gin.Context) {
	f, err := c.FormFile("file")
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "No file came with the form.", "Choose a shot file (.json) first.")
		return
	}
	r, err := f.Open()
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The file can't be read.", "")
		return
	}
	defer r.Close()
	if strings.EqualFold(filepath.Ext(f.Filename), ".zip") {
		doc, unknown, err := s.st.Files.ReadBundle(r, f.Size)
		if err != nil {
			s.fail(c, http.StatusUnprocessableEntity, upper(err.Error())+".", "No shot was made; export it again where it came from.")
			return
		}
		if len(unknown) > 0 {
			doc.Note += fmt.Sprintf("\nKept from the file, but not known to this version: %v", unknown)
		}
		s.created(c, doc, "import")
		return
	}
	b, err := io.ReadAll(io.LimitReader(r, shot.MaxFile+1))
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The file can't be read.", "")
		return
	}
	doc, unknown, err := shot.Decode(b)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err.Error()+".", "Nothing was changed; mend the file and import it again.")
		return
	}
	if len(unknown) > 0 {
		doc.Note += fmt.Sprintf("\nKept from the file, but not known to this version: %v", unknown)
	}
	s.created(c, doc, "import")
}

func (s *server) renameShot(c *gin.Context) {
	name, title := c.PostForm("name"), c.PostForm("title")
	_, err := s.st.Store.Edit(rowOf(c).ID, "rename", "", func(d *shot.Shot) error {
		if err := shot.CheckName(name); err != nil {
			return err
		}
		if len(title) > 200 {
			return fmt.Errorf("the title has %d bytes; 200 are allowed", len(title))
		}
		d.Name, d.Title = name, title
		return nil
	})
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Not renamed: "+err.Error()+".", "")
		return
	}
	go2(c, "/")
}

func (s *server) duplicateShot(c *gin.Context) {
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	if doc.Name += " copy"; len(doc.Name) > shot.MaxName {
		doc.Name = doc.Name[:shot.MaxName]
	}
	if _, err := s.st.Store.CreateShot(doc, "duplicate"); err != nil {
		s.fail(c, http.StatusInternalServerError, "The copy could not be stored.", "")
		return
	}
	go2(c, "/")
}

func (s *server) archiveShot(c *gin.Context) {
	if err := s.st.Store.Archive(rowOf(c).ID, c.PostForm("on") == "1"); err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot could not be archived.", "")
		return
	}
	go2(c, "/")
}
