// Package stage is the station where a shot is put together: elements and their
// values, files that are brought in, the viewport's data, live drafts.
package stage

import (
	"embed"
	"html/template"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/format"
	"zarf/core/shot"
	"zarf/studio"
	"zarf/web/desk"
)

//go:embed *.html
var files embed.FS

type room struct {
	*desk.Server
	drafts  drafts
	volumes *desk.Memo
}

func init() {
	desk.Register(desk.Room{Key: "stage", Label: "Stage", Help: "geometry, domain, emitters, forces", Order: 1, Files: files, Brief: true, Open: open})
}

func open(srv *desk.Server) desk.Part {
	s := &room{Server: srv, volumes: desk.NewMemo(256 << 20)}
	return desk.Part{
		Routes: s.routes,
		Large:  []string{"/shots/:slug/bring", "/shots/:slug/clip", "/shots/:slug/sequence/:el", "/shots/:slug/paint/:el"},
		Close:  s.drafts.closeAll,
		Fill: func(c *gin.Context, w *desk.Space) (any, error) {
			s.ShowElement(c, w)
			return w, nil
		},
		Funcs: template.FuncMap{
			"recipes": s.Studio.Recipes,
			"own":     func(key string) bool { return strings.HasPrefix(key, studio.Own) },
			"picture": func(key string) string {
				if strings.HasPrefix(key, studio.Own) {
					return "/recipes/" + key + ".png"
				}
				return s.Static("recipes/" + key + ".png")
			},
			"uses": func() []shot.Option { return uses },
			// files that can be brought in, and what each leaves open
			"accepted": func() string {
				return strings.Join(append(format.Endings(format.Models), format.Besides()...), ",")
			},
			"beside": func() string { return strings.Join(format.Besides(), " ") },
			"asked":  func(q string) string { return strings.Join(format.Endings(format.Asked(format.Question(q))), " ") },
			"units":  units,
		},
	}
}

func (s *room) routes(site *gin.Engine, g *gin.RouterGroup) {
	site.GET("/recipes/:file", s.recipePicture)
	site.GET("/dither", s.dither)
	g.GET("/scene.json", s.Together(s.sceneJSON))
	g.GET("/volume/:take/:frame", s.volume)
	g.GET("/slice/:take/:frame", s.slice)
	g.GET("/mesh/:el", s.meshBytes)
	g.POST("/bring", s.bringIn)
	g.POST("/sequence/:el", s.bringSequence)
	g.POST("/clip", s.addClip)
	g.GET("/clip/:id", s.clip)
	g.POST("/clip/:id/:verb", s.changeClip)
	g.GET("/clip/:id/measured", s.measured)
	g.POST("/paint/:el", s.paint)
	g.POST("/wrap/:el", s.wrap)
	g.POST("/value", s.setValue)
	g.POST("/reset", s.resetValue)
	g.POST("/key", s.toggleKey)
	g.POST("/follow", s.follow)
	g.POST("/element", s.addElement)
	g.POST("/element/:id/:verb", s.changeElement)
	g.POST("/place", s.placeElement)
	g.POST("/voxels", s.scaleVoxels)
	g.POST("/mend", s.mend)
	g.POST("/undo", s.undo(-1))
	g.POST("/redo", s.undo(1))
	g.POST("/recipe", s.addRecipe)
	g.GET("/recipes", s.recipeList)
	g.POST("/saverecipe", s.saveRecipe)
	g.POST("/droprecipe", s.dropRecipe)
	g.GET("/draft", s.liveDraft)
	g.POST("/draft/keep", s.keepDraft)
}
