package desk

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
	"net"
	"net/http"
	"os/exec"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"zarf/studio"
	"zarf/studio/assets"
	"zarf/studio/store"
	"zarf/web/static"
)

//go:embed templates
var templateFiles embed.FS

// Options of the server.
type Options struct {
	Threads int              // for pictures while values change
	Draft   func() *exec.Cmd // the process of a live draft; nil: there are none
	Token   string           // that lets in; empty: everybody who can reach it
}

// MaxBody is the largest request body, bytes.
const MaxBody = 9 << 20

// Server is what all rooms share.
type Server struct {
	parts     map[string]Part // by the rooms' keys
	large     map[string]bool // routes that take files
	since     since
	Studio    *studio.Studio
	Opt       Options
	pages     map[string]*template.Template
	written   *written
	shared    *together
	stamp     string // hash of all static files, part of their addresses
	authors   authors
	renderNow chan struct{} // bounds pictures made at once
	Heavy     chan struct{} // bounds files read at once
	Quit      chan struct{}
	once      sync.Once
}

var servers sync.Map // *http.Handler's server, for Quit

// Quit ends event streams, which would hold a shutdown up.
func Quit(srv *http.Server) {
	if s, ok := servers.Load(srv.Handler); ok {
		s := s.(*Server)
		s.once.Do(func() {
			close(s.Quit)
			for _, p := range s.parts {
				if p.Close != nil {
					p.Close()
				}
			}
		})
	}
}

// New makes the handler of all pages.
func New(st *studio.Studio, opt Options) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &Server{Studio: st, Opt: opt, Quit: make(chan struct{}), parts: map[string]Part{}, large: map[string]bool{}, renderNow: make(chan struct{}, 2), Heavy: make(chan struct{}, 2), shared: newTogether()}
	s.stamp = hashStatic()
	for _, r := range rooms {
		p := r.Open(s)
		s.parts[r.Key] = p
		for _, l := range p.Large {
			s.large[l] = true
		}
	}
	s.pages = s.loadPages()
	e := gin.New()
	e.Use(s.recover, s.harden, s.admit, s.limit, s.changing)
	s.routes(e)
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(1024), gzhttp.ExceptContentTypes([]string{"text/event-stream", "image/png", "image/jpeg", "image/gif", "image/webp", "video/mp4", "video/webm", "application/zip", "font/woff2"}))
	if err != nil {
		panic(err)
	}
	h := &handler{wrap(e)}
	servers.Store(http.Handler(h), s)
	go s.heed()
	return h
}

type handler struct{ http.Handler }

// ServeHTTP answers a request whose body has to go on coming.
func (h *handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Body != nil && r.Body != http.NoBody {
		r.Body = &paced{r.Body, http.NewResponseController(w)}
	}
	h.Handler.ServeHTTP(w, r)
}

func hashStatic() string {
	h := sha256.New()
	fs.WalkDir(static.Files, ".", func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			b, _ := static.Files.ReadFile(p)
			h.Write([]byte(p))
			h.Write(b)
		}
		return nil
	})
	return hex.EncodeToString(h.Sum(nil))[:12]
}

func (s *Server) routes(e *gin.Engine) {
	e.GET("/static/:stamp/*file", s.static)
	e.GET("/events", s.events)
	g := e.Group("/shots/:slug", s.findShot)
	g.GET("", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, "/shots/"+c.Param("slug")+"/stage") })
	for _, r := range Stations() {
		g.GET("/"+r.Key, s.workspace(r.Key))
	}
	g.GET("/parts/:station", s.Together(s.panels))
	g.GET("/sheet", s.sheetPart)
	g.POST("/job/:job/stop", s.onJob(s.Studio.Stop))
	g.POST("/job/:job/first", s.onJob(func(id int64) error { return s.Studio.Prefer(id, true) }))
	g.POST("/job/:job/last", s.onJob(func(id int64) error { return s.Studio.Prefer(id, false) }))
	g.POST("/job/:job/again", s.onJob(func(id int64) error {
		j, err := s.Studio.Store.Job(id)
		if err == nil {
			err = s.Studio.Again(j)
		}
		return err
	}))
	for _, r := range rooms {
		if p := s.parts[r.Key]; p.Routes != nil {
			p.Routes(e, g)
		}
	}
	e.NoRoute(func(c *gin.Context) {
		s.Fail(c, http.StatusNotFound, "There is no page at this address.", "Go to the shots.")
	})
}

func (s *Server) recover(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			if p == http.ErrAbortHandler {
				panic(p)
			}
			s.Studio.Log.Error("a page failed", "address", c.Request.URL.Path, "cause", fmt.Sprint(p))
			s.Fail(c, http.StatusInternalServerError, "Zarf failed while making this answer.", "Nothing was changed or lost; reload the page.")
			c.Abort()
		}
	}()
	c.Next()
}

const nonceKey = "nonce"

// harden sets the security headers and refuses requests from other origins.
func (s *Server) harden(c *gin.Context) {
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
	if !Own(hostOnly(c.Request.Host)) {
		// a foreign name that points here (DNS rebinding)
		s.Fail(c, http.StatusForbidden, "This server answers to its own address only.", "Open it as 127.0.0.1.")
		c.Abort()
		return
	}
	err := http.NewCrossOriginProtection().Check(c.Request)
	// a picture or a script that another site takes from here would be made for it
	if from, how := c.GetHeader("Sec-Fetch-Site"), c.GetHeader("Sec-Fetch-Mode"); (from == "cross-site" || from == "same-site") && how != "navigate" {
		err = errors.New("taken by another site")
	}
	if err != nil {
		s.Fail(c, http.StatusForbidden, "This request came from another site and was refused.", "Use the pages of this server.")
		c.Abort()
	}
}

// Own reports a host name that is this machine, by its name or by an address of the
// loopback: an address can't be made to point elsewhere.
func Own(host string) bool {
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

func hostOnly(h string) string {
	if i := strings.LastIndex(h, ":"); i > strings.LastIndex(h, "]") {
		return h[:i]
	}
	return h
}

func (s *Server) limit(c *gin.Context) {
	most := int64(MaxBody)
	if s.large[c.FullPath()] {
		most = MaxUpload
	}
	if c.FullPath() == "/shots/import" { // what was exported can be imported
		most = assets.MaxBundle + MaxBody
	}
	if c.Request.ContentLength > most {
		s.Fail(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("What was sent has %d bytes.", c.Request.ContentLength), fmt.Sprintf("Up to %d are taken.", most))
		c.Abort()
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
}

func (s *Server) static(c *gin.Context) {
	name := path.Clean(strings.TrimPrefix(c.Param("file"), "/"))
	b, err := static.Files.ReadFile(name)
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

const shotKey = "shot"

// findShot loads the shot that an address names.
func (s *Server) findShot(c *gin.Context) {
	row, err := s.Studio.Store.Shot(c.Param("slug"))
	if err != nil {
		code := http.StatusInternalServerError
		if errors.Is(err, store.ErrNotFound) {
			code = http.StatusNotFound
		}
		s.Fail(c, code, fmt.Sprintf("No shot is called %q.", c.Param("slug")), "It may have been renamed; look in the library.")
		c.Abort()
		return
	}
	c.Set(shotKey, row)
}

func Row(c *gin.Context) store.ShotRow { return c.MustGet(shotKey).(store.ShotRow) }

// events streams notices about jobs.
func (s *Server) events(c *gin.Context) {
	notices, end := s.Studio.Listen()
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
		case <-s.Quit:
			return
		case <-c.Request.Context().Done():
			return
		case <-beat.C:
			fmt.Fprint(c.Writer, ": still here\n\n")
		case n, ok := <-notices:
			if !ok {
				return
			}
			fmt.Fprintf(c.Writer, "data: %s\n\n", n.Text)
		}
		c.Writer.Flush()
	}
}
