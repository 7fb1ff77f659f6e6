package desk

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/studio/cache"
	"zarf/studio/store"
)

// TakeOf finds the take that an address names; the newest where it names none.
func (s *Server) TakeOf(c *gin.Context, number string) (store.Take, error) {
	row := Row(c)
	if number == "" || number == "0" {
		takes, err := s.Studio.Store.Takes(row.ID)
		if err != nil {
			return store.Take{}, err
		}
		if len(takes) == 0 {
			return store.Take{}, fmt.Errorf("this shot has no take yet; run it first")
		}
		return s.Studio.Store.TakeByID(takes[0].ID)
	}
	n, err := strconv.Atoi(number)
	if err != nil {
		return store.Take{}, fmt.Errorf("take %q is not a number", number)
	}
	return s.Studio.Store.Take(row.ID, n)
}

// TakeFrame reads a take and a frame number; where they are wrong it has
// answered already.
func (s *Server) TakeFrame(c *gin.Context, which, text string) (t store.Take, number int, ok bool) {
	t, err := s.TakeOf(c, which)
	if err != nil {
		Explain(c, err)
		return t, 0, false
	}
	if number, err = strconv.Atoi(text); err != nil {
		c.String(http.StatusUnprocessableEntity, "the frame is not a number")
		return t, 0, false
	}
	return t, number, true
}

// Explain answers a script's request that can't be met.
func Explain(c *gin.Context, err error) {
	var miss *cache.Missing
	var bad *cache.Damaged
	code := http.StatusUnprocessableEntity
	switch {
	case errors.As(err, &miss), errors.Is(err, store.ErrNotFound):
		code = http.StatusNotFound
	case errors.As(err, &bad):
		code = http.StatusConflict
	}
	c.String(code, err.Error())
}

// Refuse answers a script in words.
func Refuse(c *gin.Context, code int, err error) { c.String(code, Sentence(err.Error())+".") }

// Sentence begins with a capital, unless its first word is the name of a file.
func Sentence(s string) string {
	word, _, _ := strings.Cut(s, " ")
	if s == "" || strings.ContainsAny(strings.TrimRight(word, ".:,;"), "._0123456789") {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

func JSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(b)
}

// LeadTo leads the browser on, from a form or from htmx.
func LeadTo(c *gin.Context, to string) {
	if c.GetHeader("HX-Request") != "" {
		c.Header("HX-Redirect", to)
		c.Status(http.StatusOK)
		return
	}
	c.Redirect(http.StatusSeeOther, to)
}

// Fail answers with an error page, or for htmx and scripts with its words.
func (s *Server) Fail(c *gin.Context, code int, what, mend string) {
	if c.GetHeader("HX-Request") != "" {
		c.Header("Content-Type", "text/html; charset=utf-8")
		c.Status(code)
		s.Exec(c, "partials", "toast", map[string]any{"What": what, "Mend": mend})
		return
	}
	if strings.Contains(c.GetHeader("Accept"), "text/html") {
		s.Page(c, code, "fault", map[string]any{"Title": "Fault", "Status": code, "What": what, "Mend": mend})
		return
	}
	c.String(code, what+" "+mend)
}

// Answer reports an error of a job's start, or shows the panels.
func (s *Server) Answer(c *gin.Context, err error, over ...string) {
	var busy *studio.Busy
	var refused *studio.Refused
	switch {
	case err == nil:
		Carry(c, over...)
		s.Refresh(c, At(c))
	case errors.As(err, &busy):
		s.Fail(c, http.StatusConflict, "Not started: "+err.Error()+".", "")
	case errors.As(err, &refused):
		s.Fail(c, http.StatusUnprocessableEntity, "Not started: "+err.Error(), "The checks offer mends.")
	case errors.Is(err, store.ErrNotFound):
		s.Fail(c, http.StatusNotFound, err.Error()+".", "")
	default:
		s.Fail(c, http.StatusUnprocessableEntity, "Not done: "+err.Error()+".", "")
	}
}

// Span reads a range of frames from a form; the default where it is empty.
func Span(c *gin.Context, a, b int) (int, int, error) { return SpanOf(c.PostForm, a, b) }

func SpanOf(form func(string) string, a, b int) (int, int, error) {
	read := func(key string, otherwise int) (int, error) {
		t := form(key)
		if t == "" {
			return otherwise, nil
		}
		n, err := strconv.Atoi(t)
		if err != nil {
			return 0, fmt.Errorf("%q is not a frame number", t)
		}
		return n, nil
	}
	from, err := read("from", a)
	if err != nil {
		return 0, 0, err
	}
	to, err := read("to", b)
	if err != nil {
		return 0, 0, err
	}
	if to < from {
		return 0, 0, fmt.Errorf("frames %d–%d end before they begin", from, to)
	}
	if to-from > 100000 {
		return 0, 0, fmt.Errorf("%d frames are too many; 100000 are allowed", to-from+1)
	}
	return from, to, nil
}

// onJob does something with a job of the shot.
func (s *Server) onJob(do func(id int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		j, err := s.JobOf(c)
		if err == nil {
			err = do(j.ID)
		}
		s.Answer(c, err)
	}
}

// JobOf finds the job that an address names, within the shot.
func (s *Server) JobOf(c *gin.Context) (store.Job, error) {
	id, err := strconv.ParseInt(c.Param("job"), 10, 64)
	if err != nil {
		return store.Job{}, fmt.Errorf("job %q: %w", c.Param("job"), store.ErrNotFound)
	}
	j, err := s.Studio.Store.Job(id)
	if err == nil && j.ShotID != Row(c).ID {
		err = fmt.Errorf("job %d belongs to another shot: %w", id, store.ErrNotFound)
	}
	return j, err
}
