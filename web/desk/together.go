package desk

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/klauspost/compress/gzip"
	"golang.org/x/sync/singleflight"
)

// While a run goes on a hundred pages may look at it, and all ask for the same panels
// within the same second. They are made once: for whoever asks first, and for all who
// ask the same until something changes or a second has gone by.

// together is what was made lately for several.
type together struct {
	version atomic.Int64 // goes up with every change that somebody makes, and every job that begins or ends
	group   singleflight.Group
	kept    *lru.Cache[string, *madeAnswer]
}

// madeAnswer is an answer as it was made.
type madeAnswer struct {
	at      time.Time
	version int64
	code    int
	kind    string
	plain   []byte
	packed  []byte // gzip
}

// Limits of what is kept.
const (
	togetherFor  = time.Second
	togetherKept = 256
	togetherMost = 4 << 20 // bytes; what is larger is made for each
)

func newTogether() *together {
	l, err := lru.New[string, *madeAnswer](togetherKept)
	if err != nil {
		panic(err) // only for a size under 1
	}
	return &together{kept: l}
}

// heed follows what changes: requests that change something call it, and the notices
// of jobs that begin or end. Frames of a run that goes on don't count; they show
// within togetherFor.
func (s *Server) heed() {
	notices, end := s.Studio.Listen()
	defer end()
	for {
		select {
		case <-s.Quit:
			return
		case n, ok := <-notices:
			if !ok {
				return
			}
			if n.Step == nil {
				s.shared.version.Add(1)
			}
		}
	}
}

// changing counts a request that may change something, once it has.
func (s *Server) changing(c *gin.Context) {
	if c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead {
		return
	}
	c.Next()
	s.shared.version.Add(1)
}

// Together makes an answer once for all who ask for the same at about the same time.
// The handler may look at the address alone, and not at who asks.
func (s *Server) Together(h gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		t := s.shared
		// the shot's row is read anyway, and tells what came past this server
		row := Row(c)
		key := fmt.Sprintf("%s?%s %d %d", c.Request.URL.Path, c.Request.URL.RawQuery, row.Head, row.Updated.UnixNano())
		version := t.version.Load()
		a, ok := t.kept.Get(key)
		if !ok || a.version != version || time.Since(a.at) > togetherFor {
			v, _, _ := t.group.Do(key, func() (any, error) {
				a := makeAnswer(c, h)
				a.version = version
				if len(a.plain) <= togetherMost && a.code == http.StatusOK {
					t.kept.Add(key, a)
				}
				return a, nil
			})
			a = v.(*madeAnswer)
		}
		a.send(c)
	}
}

// makeAnswer runs a handler into memory.
func makeAnswer(c *gin.Context, h gin.HandlerFunc) *madeAnswer {
	was := c.Writer
	w := &capture{ResponseWriter: was, head: http.Header{}, code: http.StatusOK}
	c.Writer = w
	defer func() { c.Writer = was }()
	h(c)
	a := &madeAnswer{at: time.Now(), code: w.code, kind: w.head.Get("Content-Type"), plain: w.body.Bytes()}
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	if err == nil {
		z.Write(a.plain)
		if z.Close() == nil && b.Len() < len(a.plain) {
			a.packed = b.Bytes()
		}
	}
	return a
}

func (a *madeAnswer) send(c *gin.Context) {
	c.Header("Cache-Control", "no-store")
	c.Header("Vary", "Accept-Encoding")
	body := a.plain
	if a.packed != nil && strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		c.Header("Content-Encoding", "gzip")
		body = a.packed
	}
	c.Data(a.code, a.kind, body)
}

// capture keeps what a handler writes.
type capture struct {
	gin.ResponseWriter
	head http.Header
	code int
	body bytes.Buffer
}

func (w *capture) Header() http.Header               { return w.head }
func (w *capture) WriteHeader(code int)              { w.code = code }
func (w *capture) WriteHeaderNow()                   {}
func (w *capture) Write(b []byte) (int, error)       { return w.body.Write(b) }
func (w *capture) WriteString(s string) (int, error) { return w.body.WriteString(s) }
func (w *capture) Status() int                       { return w.code }
func (w *capture) Size() int                         { return w.body.Len() }
func (w *capture) Written() bool                     { return w.body.Len() > 0 }
func (w *capture) Flush()                            {}
