package web

import (
	"errors"
	"maps"
	"net/http"
	"strconv"
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

// change edits the document of a request. A page tells which revision it
// shows; where another window has changed the same values since, nothing is
// stored and the error is a *clashError, unless the request says force. Changes
// of other values are merged.
func (s *server) change(c *gin.Context, label, merge string, fn func(*shot.Shot) error) error {
	id := rowOf(c).ID
	seen, _ := strconv.Atoi(c.GetHeader("X-Zarf-Head"))
	_, err := s.st.Store.Edit(id, label, merge, func(d *shot.Shot) error {
		if seen == 0 || seen >= rowOf(c).Head || c.PostForm("force") != "" {
			return fn(d)
		}
		old, err := s.st.Store.At(id, seen)
		if err != nil { // too long ago to compare with
			return fn(d)
		}
		before := d.Clone()
		if err := fn(d); err != nil {
			return err
		}
		e := &clashError{head: rowOf(c).Head}
		e.Mine, e.Theirs = both(shot.DiffAll(before, d), shot.DiffAll(old, before))
		if len(e.Theirs) > 0 {
			return e
		}
		return nil
	})
	if err == nil {
		s.st.Changed(id, c.GetHeader("X-Zarf-Page"))
	}
	return err
}

// both are the changes that two lists make to the same thing.
func both(mine, theirs []shot.Change) (a, b []shot.Change) {
	for _, m := range mine {
		for _, t := range theirs {
			if m.Where == t.Where && m.Label == t.Label && m.Is != t.Is {
				a, b = append(a, m), append(b, t)
			}
		}
	}
	return a, b
}

// clash answers a clash with both versions and buttons for either.
func (s *server) clash(c *gin.Context, err error) bool {
	var e *clashError
	if !errors.As(err, &e) {
		return false
	}
	form := map[string][]string{}
	maps.Copy(form, c.Request.PostForm)
	c.Header("Content-Type", "text/html; charset=utf-8")
	c.Status(http.StatusConflict)
	s.exec(c, "partials", "clash", map[string]any{"Mine": e.Mine, "Theirs": e.Theirs, "Path": c.Request.URL.Path, "Form": form, "Head": e.head, "Stamp": time.Now().UnixNano()})
	return true
}
