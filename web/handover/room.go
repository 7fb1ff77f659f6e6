// Package handover is the station of files for others: what goes out, how it
// reads there, rendered tiles for flipbooks.
package handover

import (
	"embed"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct{ *desk.Server }

func init() {
	desk.Register(desk.Room{Key: "handover", Label: "Handover", Help: "files for others", Order: 5, Files: files, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{srv}
	return desk.Part{
		Fill: s.fill,
		Routes: func(_ *gin.Engine, g *gin.RouterGroup) {
			g.POST("/handover", s.handOver)
			g.GET("/handover/:job", s.showHandover)
			g.GET("/handover/:job/zip", s.handoverZip)
			g.GET("/handover/:job/file/:n", s.handoverFile)
			g.GET("/handover/:job/read/:n", s.readBack)
			g.GET("/handover/:job/shadow/:n", s.shadow)
			g.GET("/handover/:job/comp/:n", s.comp)
			g.GET("/handover/:job/sheet/:name", s.sheetPicture)
			g.GET("/handoversize", s.handoverSize)
			g.POST("/handoverpreset", s.presetHandover)
			g.POST("/record", s.record)
		},
	}
}

// view is what the station's columns show.
type view struct {
	*desk.Space
	Hands []handView
}

func (s *room) fill(_ *gin.Context, w *desk.Space) (any, error) {
	w.Sheet = desk.HandoverSheet(w.Doc)
	if err := s.ListRenders(w); err != nil {
		return nil, err
	}
	v := &view{Space: w}
	return v, s.hands(v)
}
