// Package library is the pages over all shots: the list of them, the queue.
package library

import (
	"embed"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct{ *desk.Server }

func init() {
	desk.Register(desk.Room{Key: "library", Files: files, Pages: []string{"shots", "queue"}, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{srv}
	return desk.Part{
		Large: []string{"/shots/import"},
		Routes: func(site *gin.Engine, g *gin.RouterGroup) {
			site.GET("/", s.shotsPage)
			site.GET("/queue", s.queuePage)
			site.POST("/queue/:job/:verb", s.changeJob)
			site.POST("/shots", s.newShot)
			site.POST("/shots/import", s.importShot)
			g.GET("/export", s.exportShot)
			g.POST("/rename", s.renameShot)
			g.POST("/duplicate", s.duplicateShot)
			g.POST("/archive", s.archiveShot)
		},
	}
}
