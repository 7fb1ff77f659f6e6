// Package score is the station where values change over time: keys, what comes
// after the last one, noise.
package score

import (
	"embed"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct{ *desk.Server }

func init() {
	desk.Register(desk.Room{Key: "score", Label: "Score", Help: "what happens when", Order: 2, Files: files, Brief: true, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{srv}
	return desk.Part{
		Routes: func(_ *gin.Engine, g *gin.RouterGroup) {
			g.POST("/keys", s.editKeys)
			g.POST("/curve", s.setExtra)
		},
		Fill: func(c *gin.Context, w *desk.Space) (any, error) {
			s.ShowElement(c, w)
			return w, nil
		},
	}
}
