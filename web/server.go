package web

import (
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"os/exec"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"zarf/studio"
	"zarf/studio/store"
)

//go:embed static
var staticFiles embed.FS

//go:embed templates
var templateFiles embed.FS

// Options of the server.
type Options struct {
	Threads int              // for pictures while values change
	Draft   func() *exec.Cmd // the process of a live draft; nil: there are none
}

// MaxBody is the largest request body, bytes.
const MaxBody = 9 << 20

type server struct {
	drafts    drafts
	since     since
	st        *studio.Studio
	opt       Options
	pages     map[string]*template.Template
	written   *written
	stamp     string // hash of all static files, part of their addresses
	previews  previews
	authors   authors
	volumes   *memo
	renderNow chan struct{} // bounds pictures made at once
	heavy     chan struct{} // bounds files read at once
	quit      chan struct{}
	once      sync.Once
}

var servers sync.Map // *http.Handler's server, for Quit

// Quit ends event streams, which would hold a shutdown up.
func Quit(srv *http.Server) {
	if s, ok := servers.Load(srv.Handler); ok {
		s := s.(*server)
		s.once.Do(func() { close(s.quit); s.drafts.closeAll() })
	}
}

// New makes the handler of all pages.
func New(st *studio.Studio, opt Options) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &server{st: st, opt: opt, quit: make(chan struct{}), volumes: newMemo(256 << 20), renderNow: make(chan struct{}, 2), heavy: make(chan struct{}, 2)}
	s.stamp = hashStatic()
	s.pages = s.loadPages()
	e := gin.New()
	e.Use(s.recover, s.harden, s.limit)
	s.routes(e)
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(1024), gzhttp.ExceptContentTypes([]string{"text/event-stream", "image/png", "image/jpeg", "image/gif", "image/webp", "video/mp4", "video/webm", "application/zip", "font/woff2"}))
	if err != nil {
		panic(err)
	}
	h := &handler{wrap(e)}
	servers.Store(http.Handler(h), s)
	return h
}

type handler struct{ http.Handler }

func hashStatic() string {
	h := sha256.New()
	fs.WalkDir(staticFiles, "static", func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			b, _ := staticFiles.ReadFile(p)
			h.Write([]byte(p))
			h.Write(b)
		}
		return nil
	})
	return hex.EncodeToString(h.Sum(nil))[:12]
}

func (s *server) routes(e *gin.Engine) {
	e.GET("/static/:stamp/*file", s.static)
	e.GET("/", s.shotsPage)
	e.GET("/events", s.events)
	e.GET("/queue", s.queuePage)
	e.GET("/kept/:type", s.keptList)
	e.POST("/kept/:type", s.keep)
	e.POST("/queue/:job/:verb", s.changeJob)
	e.POST("/shots", s.newShot)
	e.GET("/recipes/:file", s.recipePicture)
	e.POST("/shots/import", s.importShot)
	g := e.Group("/shots/:slug", s.findShot)
	g.GET("", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, "/shots/"+c.Param("slug")+"/stage") })
	for _, st := range stations {
		g.GET("/"+st.Key, s.workspace(st.Key))
	}
	g.GET("/parts/:station", s.parts)
	g.GET("/sheet", s.sheetPart)
	g.GET("/export", s.exportShot)
	g.GET("/scene.json", s.sceneJSON)
	g.GET("/volume/:take/:frame", s.volume)
	g.GET("/preview", s.preview)
	g.GET("/thumb", s.thumb)
	g.GET("/still/:take/:frame", s.still)
	g.GET("/compare", s.compareTable)
	g.GET("/slice/:take/:frame", s.slice)
	g.GET("/histogram/:take/:frame", s.histogram)
	g.POST("/picture/:kind/:id/:key", s.bringPicture)
	g.POST("/sweep/cost", s.sweepCost)
	g.POST("/sweep", s.sweep)
	g.POST("/takes/clear", s.clearTakes)
	g.GET("/rendered/:job/:frame", s.rendered)
	g.GET("/handover/:job/zip", s.handoverZip)
	g.GET("/handover/:job", s.showHandover)
	g.GET("/handover/:job/file/:n", s.handoverFile)
	g.GET("/handover/:job/read/:n", s.readBack)
	g.GET("/handover/:job/shadow/:n", s.shadow)
	g.GET("/handover/:job/comp/:n", s.comp)
	g.GET("/handover/:job/sheet/:name", s.sheetPicture)
	g.GET("/handoversize", s.handoverSize)
	g.POST("/handoverpreset", s.presetHandover)
	g.POST("/record", s.record)
	g.GET("/mesh/:el", s.meshBytes)
	g.POST("/bring", s.bringIn)
	g.POST("/sequence/:el", s.bringSequence)
	g.POST("/clip", s.addClip)
	g.GET("/clip/:id", s.clip)
	g.POST("/clip/:id/:verb", s.changeClip)
	g.POST("/paint/:el", s.paint)
	g.POST("/wrap/:el", s.wrap)
	g.POST("/rename", s.renameShot)
	g.POST("/duplicate", s.duplicateShot)
	g.POST("/archive", s.archiveShot)
	g.POST("/value", s.setValue)
	g.POST("/reset", s.resetValue)
	g.POST("/key", s.toggleKey)
	g.POST("/keys", s.editKeys)
	g.POST("/curve", s.setExtra)
	g.POST("/element", s.addElement)
	g.POST("/recipe", s.addRecipe)
	g.GET("/recipes", s.recipeList)
	g.POST("/saverecipe", s.saveRecipe)
	g.POST("/droprecipe", s.dropRecipe)
	g.POST("/element/:id/:verb", s.changeElement)
	g.POST("/place", s.placeElement)
	g.POST("/voxels", s.scaleVoxels)
	g.POST("/mend", s.mend)
	g.POST("/undo", s.undo(-1))
	g.POST("/redo", s.undo(1))
	g.POST("/look/:id/:verb", s.changeLook)
	g.POST("/run", s.run)
	g.GET("/draft", s.liveDraft)
	g.POST("/draft/keep", s.keepDraft)
	g.POST("/take/:take/:verb", s.changeTake)
	g.POST("/job/:job/stop", s.onJob(s.st.Stop))
	g.POST("/job/:job/first", s.onJob(func(id int64) error { return s.st.Prefer(id, true) }))
	g.POST("/job/:job/last", s.onJob(func(id int64) error { return s.st.Prefer(id, false) }))
	g.POST("/job/:job/again", s.renderAgain)
	g.POST("/render", s.renderRange)
	g.POST("/handover", s.handOver)
	e.NoRoute(func(c *gin.Context) {
		s.fail(c, http.StatusNotFound, "There is no page at this address.", "Go to the shots.")
	})
}

func (s *server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.st.Log.Error("a page failed", "address", c.Request.URL.Path, "cause", fmt.Sprint(p))
			s.fail(c, http.StatusInternalServerError, "Zarf failed while making this answer.", "Nothing was changed or lost; reload the page.")
			c.Abort()
		}
	}()
	c.Next()
}

const nonceKey = "nonce"

// harden sets the security headers and refuses requests from other origins.
func (s *server) harden(c *gin.Context) {
	b := make([]byte, 16)
	rand.Read(b)
	nonce := base64.RawStdEncoding.EncodeToString(b)
	c.Set(nonceKey, nonce)
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self' 'nonce-"+nonce+"'; style-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; worker-src 'self'; manifest-src 'self'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if host := hostOnly(c.Request.Host); host != "127.0.0.1" && host != "localhost" && host != "[::1]" {
		// a foreign name that points here (DNS rebinding)
		s.fail(c, http.StatusForbidden, "This server answers to its own address only.", "Open it as 127.0.0.1.")
		c.Abort()
		return
	}
	if err := http.NewCrossOriginProtection().Check(c.Request); err != nil {
		s.fail(c, http.StatusForbidden, "This request came from another site and was refused.", "Use the pages of this server.")
		c.Abort()
	}
}

func hostOnly(h string) string {
	if i := strings.LastIndex(h, ":"); i > strings.LastIndex(h, "]") {
		return h[:i]
	}
	return h
}

func (s *server) limit(c *gin.Context) {
	most := int64(MaxBody)
	if p := c.Request.URL.Path; strings.HasSuffix(p, "/bring") || strings.HasSuffix(p, "/clip") || strings.Contains(p, "/sequence/") || strings.Contains(p, "/picture/") || p == "/shots/import" || strings.Contains(p, "/paint/") {
		most = MaxUpload
	}
	if c.Request.ContentLength > most {
		s.fail(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("What was sent has %d bytes.", c.Request.ContentLength), fmt.Sprintf("Up to %d are taken.", most))
		c.Abort()
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
}

func (s *server) static(c *gin.Context) {
	name := path.Clean("static" + c.Param("file"))
	b, err := staticFiles.ReadFile(name)
	if err != nil {
		c.String(http.StatusNotFound, "no such file")
		return
	}
	kind := map[string]string{".js": "text/javascript; charset=utf-8", ".css": "text/css; charset=utf-8", ".woff2": "font/woff2", ".svg": "image/svg+xml", ".png": "image/png", ".txt": "text/plain; charset=utf-8"}[path.Ext(name)]
	if kind == "" {
		kind = "application/octet-stream"
	}
	c.Header("Cache-Control", "public, max-age=31536000, immutable")
	c.Data(http.StatusOK, kind, b)
}

// fail answers with an error page, or for htmx and scripts with its words.
func (s *server) fail(c *gin.Context, code int, what, mend string) {
	if c.GetHeader("HX-Request") != "" {
		c.Header("Content-Type", "text/html; charset=utf-8")
		c.Status(code)
		s.exec(c, "partials", "toast", map[string]any{"What": what, "Mend": mend})
		return
	}
	if strings.Contains(c.GetHeader("Accept"), "text/html") {
		s.page(c, code, "fault", map[string]any{"Title": "Fault", "What": what, "Mend": mend})
		return
	}
	c.String(code, what+" "+mend)
}

const shotKey = "shot"

// findShot loads the shot that an address names.
func (s *server) findShot(c *gin.Context) {
	row, err := s.st.Store.Shot(c.Param("slug"))
	if err != nil {
		code := http.StatusInternalServerError
		if errors.Is(err, store.ErrNotFound) {
			code = http.StatusNotFound
		}
		s.fail(c, code, fmt.Sprintf("No shot is called %q.", c.Param("slug")), "It may have been renamed; look in the library.")
		c.Abort()
		return
	}
	c.Set(shotKey, row)
}

func rowOf(c *gin.Context) store.ShotRow { return c.MustGet(shotKey).(store.ShotRow) }

// events streams notices about jobs.
func (s *server) events(c *gin.Context) {
	notices, end := s.st.Listen()
	defer end()
	h := c.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	c.Writer.WriteHeader(http.StatusOK)
	fmt.Fprint(c.Writer, ": here\n\n")
	c.Writer.Flush()
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	for {
		select {
		case <-s.quit:
			return
		case <-c.Request.Context().Done():
			return
		case <-beat.C:
			fmt.Fprint(c.Writer, ": still here\n\n")
		case n, ok := <-notices:
			if !ok {
				return
			}
			fmt.Fprintf(c.Writer, "data: %s\n\n", mustJSON(n))
		}
		c.Writer.Flush()
	}
}
