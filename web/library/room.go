// Package library is the pages over all shots: the list of them, the queue.
package library

import (
	"embed"
	"fmt"
	"html/template"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct{ *desk.Server }

func init() {
	desk.Register(desk.Room{Key: "library", Files: files, Pages: []string{"shots", "queue", "delete", "clean"}, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{srv}
	return desk.Part{
		Funcs: template.FuncMap{"many": many},
		Large: []string{"/shots/import"},
		Routes: func(site *gin.Engine, g *gin.RouterGroup) {
			site.GET("/", s.shotsPage)
			site.GET("/queue", s.queuePage)
			site.POST("/queue/:job/:verb", s.changeJob)
			site.POST("/shots", s.newShot)
			site.POST("/shots/import", s.importShot)
			site.GET("/clean", s.cleanPage)
			site.POST("/clean", s.clean)
			g.GET("/delete", s.deletePage)
			g.POST("/delete", s.deleteShot)
			g.GET("/export", s.exportShot)
			g.POST("/rename", s.renameShot)
			g.POST("/duplicate", s.duplicateShot)
			g.POST("/archive", s.archiveShot)
		},
	}
}

// many counts things: “1 take”, “3 takes”.
func many(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return fmt.Sprintf("%d %s", n, what)
}
