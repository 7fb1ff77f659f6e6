package desk

import (
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio"
	"zarf/studio/store"
)

// Space is all that the workspace's templates read.
type Space struct {
	Row     store.ShotRow
	Doc     *shot.Shot
	Station string
	Groups  []castGroup
	Sheet   *sheet
	Checks  []check.Finding
	Faults  int
	Undo    string
	Redo    string
	Est     *stage.Estimate
	Rated   bool
	Free    float64
	Takes   []TakeView
	Take    *TakeView
	Active  *store.Job
	Look    *shot.Element
	Renders []JobView
	Frame   int
	First   int
	Last    int
	Domain  *shot.Element
	List    studio.Listing
	turns   map[int64]*turn
	full    func(job int64) bool // waits for room
	Sweeps  []sweepView
	Older   int   // takes that the list leaves out
	Head    int   // revision of the document that the panels show
	view    any   // what the station's templates are given
	Stamp   int64 // differs in every answer: the page reads the scene again
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

// space gathers what a station shows; el, take and look come from the query.
func (s *Server) space(c *gin.Context, at string) (*Space, error) {
	row := Row(c)
	doc, sum, err := s.Studio.Store.DocSum(row.ID)
	if err != nil {
		return nil, err
	}
	w := &Space{Row: row, Doc: doc, Station: at}
	w.First, w.Last = doc.Range()
	w.Frame = w.First
	if f, err := strconv.Atoi(c.Query("frame")); err == nil {
		w.Frame = f
	}
	w.Undo, w.Redo = s.Studio.Store.Labels(row.ID)
	w.Free = studio.Memory()
	w.full = s.Studio.WaitsForRoom
	if w.List, err = s.Studio.List(row.ID); err != nil {
		return nil, err
	}
	if w.turns, err = s.turns(row.ID); err != nil {
		return nil, err
	}
	w.Checks = s.Studio.Checks(row.ID, doc, sum)
	w.Faults = len(check.Faults(w.Checks))
	if d, err := stage.PickDomain(doc, ""); err == nil {
		g, measured := s.Studio.Guess(doc, d, w.List)
		w.Est, w.Rated, w.Domain = &g, measured, d
	}
	w.cast(c.Query("el"))
	if err := s.takes(w, c.Query("take"), station(at).Brief, c.Query("all") != ""); err != nil {
		return nil, err
	}
	// a page opens where its take has most to show
	if c.Query("frame") == "" && w.Take != nil {
		if f, ok := w.Take.fullest(); ok && f >= w.First && f <= w.Last {
			w.Frame = f
		}
	}
	w.Look = doc.Look(c.Query("look"))
	if w.Look == nil {
		w.Look = doc.Looks[0]
	}
	w.view = w
	if p := s.parts[at]; p.Fill != nil {
		w.view, err = p.Fill(c, w)
	}
	return w, err
}

func (w *Space) cast(chosen string) {
	findings := map[string]string{}
	for _, f := range w.Checks {
		for _, id := range append([]string{f.Element}, f.Also...) {
			if id != "" && findings[id] == "" {
				findings[id] = string(f.Severity)
			}
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

// ShowElement puts the sheet of the element that the address names on the
// right, or the shot's where it names none.
func (s *Server) ShowElement(c *gin.Context, w *Space) {
	switch e := w.Doc.Owner(c.Query("el")); {
	case e == nil || e.Kind == shot.Setting:
		w.Sheet = shotSheet(w.Doc, float64(w.Frame))
	case e.Kind == shot.Look:
		w.Sheet = LookSheet(w.Doc, e, float64(w.Frame))
	default:
		w.Sheet = elementSheet(w.Doc, e, float64(w.Frame))
		if e.Kind == shot.Sequence {
			w.Sheet.Outside = s.OutsideFacts(w.Doc, e)
		}
	}
}
