// Package look is the station of pictures: shading, light, previews, rendered
// ranges.
package look

import (
	"embed"
	"html/template"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct {
	*desk.Server
	previews previews
}

func init() {
	desk.Register(desk.Room{Key: "look", Label: "Look", Help: "shading, light, pictures", Order: 4, Files: files, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{Server: srv}
	return desk.Part{
		Fill:  s.fill,
		Large: []string{"/shots/:slug/picture/:kind/:id/:key"},
		Funcs: template.FuncMap{"lookChanges": lookChanges},
		Routes: func(site *gin.Engine, g *gin.RouterGroup) {
			site.GET("/kept/:type", s.keptList)
			site.POST("/kept/:type", s.keep)
			g.GET("/preview", s.preview)
			g.GET("/histogram/:take/:frame", s.histogram)
			g.POST("/picture/:kind/:id/:key", s.bringPicture)
			g.GET("/rendered/:job/:frame", s.rendered)
			g.POST("/look/:id/:verb", s.changeLook)
			g.POST("/render", s.renderRange)
		},
	}
}

// view is what the station's columns show.
type view struct {
	*desk.Space
	Library []string // looks that any shot can take
}

func (s *room) fill(_ *gin.Context, w *desk.Space) (any, error) {
	w.Sheet = desk.LookSheet(w.Doc, w.Look, float64(w.Frame))
	names, err := s.Studio.LookNames()
	if err != nil {
		return nil, err
	}
	return &view{w, names}, s.ListRenders(w)
}
