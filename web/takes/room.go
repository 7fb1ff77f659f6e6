// Package takes is the station of runs: their caches, what they tell, how they
// differ, sweeps over several values.
package takes

import (
	"embed"
	"html/template"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
	"zarf/studio"
	"zarf/studio/store"
	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct{ *desk.Server }

func init() {
	desk.Register(desk.Room{Key: "takes", Label: "Takes", Help: "runs and their caches", Order: 3, Files: files, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{srv}
	return desk.Part{
		Fill: s.fill,
		Funcs: template.FuncMap{
			"sweepable": sweepable, "sweepVoxel": sweepVoxel,
		},
		Routes: func(_ *gin.Engine, g *gin.RouterGroup) {
			g.GET("/thumb", s.thumb)
			g.GET("/still/:take/:frame", s.still)
			g.GET("/compare", s.compareTable)
			g.POST("/sweep/cost", s.sweepCost)
			g.POST("/sweep", s.sweep)
			g.POST("/takes/clear", s.clearTakes)
			g.POST("/run", s.run)
			g.POST("/take/:take/:verb", s.changeTake)
		},
	}
}

// view is what the station's columns show.
type view struct {
	*desk.Space
	Take       *account // that is chosen; nil: none
	Chain      []studio.Stage
	Behind     int           // stages of the chain that aren't current
	Changes    []shot.Change // since the chosen take
	Disk       int64         // that the shot's takes take
	Clearable  []store.Take  // that nobody marked
	ClearBytes int64
}

func (s *room) fill(_ *gin.Context, w *desk.Space) (any, error) {
	v := &view{Space: w, Chain: s.Studio.Chain(w.Doc, w.List)}
	for _, st := range v.Chain {
		if st.State != studio.Current {
			v.Behind++
		}
	}
	if err := s.tidy(v); err != nil || w.Take == nil {
		return v, err
	}
	v.Take = &account{TakeView: w.Take}
	if hangs, err := s.Studio.Hangs(w.Take.Take); err == nil && len(hangs) > 0 {
		v.Take.Hangs = "From it were made " + strings.Join(hangs, " and ") + ": those stay on disk, but can't be made again."
	}
	v.Take.read(w.Take.Cached)
	if old, err := w.Take.Shot(); err == nil {
		v.Changes = shot.Diff(old, w.Doc)
	}
	return v, nil
}
