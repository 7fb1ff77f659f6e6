package desk

import (
	"errors"
	"maps"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
)

// clashError says that a page changed what another window changed since the
// page was made.
type clashError struct {
	Mine, Theirs []shot.Change
	head         int
}

func (e *clashError) Error() string { return "another window changed the same meanwhile" }

// Change edits the document of a request. A page tells which revision it
// shows; where another window has changed the same values since, nothing is
// stored and the error is a *clashError, unless the request says force. Changes
// of other values are merged.
func (s *Server) Change(c *gin.Context, label, merge string, fn func(*shot.Shot) error) error {
	id := Row(c).ID
	seen, _ := strconv.Atoi(c.GetHeader("X-Zarf-Head"))
	page := c.GetHeader("X-Zarf-Page")
	_, err := s.Studio.Store.Edit(id, label, merge, func(d *shot.Shot) error {
		if seen == 0 || seen >= Row(c).Head || c.PostForm("force") != "" || s.authors.alone(id, seen, Row(c).Head, page) {
			return fn(d)
		}
		old, err := s.Studio.Store.At(id, seen)
		if err != nil { // too long ago to compare with
			return fn(d)
		}
		before := d.Clone()
		if err := fn(d); err != nil {
			return err
		}
		e := &clashError{head: Row(c).Head}
		e.Mine, e.Theirs = both(shot.DiffAll(before, d), shot.DiffAll(old, before))
		if len(e.Theirs) > 0 {
			return e
		}
		return nil
	})
	if err == nil {
		if now, e := s.Studio.Store.ShotByID(id); e == nil {
			s.authors.note(id, now.Head, page)
		}
		s.Studio.Changed(id, page)
	}
	return err
}

// authors remembers which page made the latest revisions, so that a page whose
// changes follow each other quickly doesn't clash with itself.
type authors struct {
	mu   sync.Mutex
	list []authored
}

type authored struct {
	shot int64
	head int
	page string
}

func (a *authors) note(shot int64, head int, page string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.list = append(a.list, authored{shot, head, page}); len(a.list) > 500 {
		a.list = a.list[100:]
	}
}

// alone reports that all revisions after one up to another are of one page.
func (a *authors) alone(shot int64, after, to int, page string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	mine := map[int]bool{}
	for _, x := range a.list {
		if x.shot == shot {
			mine[x.head] = x.page == page && page != ""
		}
	}
	for h := after + 1; h <= to; h++ {
		if !mine[h] {
			return false
		}
	}
	return true
}

// both are the changes that two lists make to the same thing.
func both(mine, theirs []shot.Change) (a, b []shot.Change) {
	for _, m := range mine {
		for _, t := range theirs {
			if m.Clashes(t) {
				a, b = append(a, m), append(b, t)
			}
		}
	}
	return a, b
}

// Clash answers a clash with both versions and buttons for either.
func (s *Server) Clash(c *gin.Context, err error) bool {
	var e *clashError
	if !errors.As(err, &e) {
		return false
	}
	form := map[string][]string{}
	maps.Copy(form, c.Request.PostForm)
	c.Header("Content-Type", "text/html; charset=utf-8")
	c.Status(http.StatusConflict)
	s.Exec(c, "partials", "clash", map[string]any{"Mine": e.Mine, "Theirs": e.Theirs, "Path": c.Request.URL.Path, "Form": form, "Head": e.head, "Stamp": time.Now().UnixNano()})
	return true
}
