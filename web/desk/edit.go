package desk

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/edit"
	"zarf/core/recipe"
	"zarf/core/shot"
)

// At is the station that a request was made from; the panels of that station
// are sent back.
func At(c *gin.Context) string {
	u, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err == nil {
		last := u.Path[strings.LastIndex(u.Path, "/")+1:]
		for _, s := range Stations() {
			if s.Key == last {
				return last
			}
		}
	}
	return "stage"
}

// Carry takes the choices that stand in the page's address (element, take,
// look, frame) over to the answer.
func Carry(c *gin.Context, over ...string) {
	u, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err != nil {
		return
	}
	q := u.Query()
	for k, v := range c.Request.URL.Query() {
		q[k] = v
	}
	for i := 0; i+1 < len(over); i += 2 {
		q.Set(over[i], over[i+1])
	}
	c.Request.URL.RawQuery = q.Encode()
}

// Form is what was sent of one value.
type Form struct{ C *gin.Context }

func (f Form) Get(name string) (string, bool) { return f.C.GetPostForm(name) }

func (f Form) All(name string) []string { return f.C.PostFormArray(name) }

// Command does one command of the language of edits and answers with the panels.
func (s *Server) Command(c *gin.Context, cmd edit.Command, merge string, over ...string) {
	s.Edit(c, cmd.Label(), merge, cmd.Apply, over...)
}

// Edit changes the document and answers with the panels.
func (s *Server) Edit(c *gin.Context, label, merge string, change func(*shot.Shot) error, over ...string) {
	err := s.Change(c, label, merge, change)
	var bad *edit.Error
	if errors.As(err, &bad) && bad.Value != "" && !bad.Gone {
		c.Header("Content-Type", "text/html; charset=utf-8")
		c.Status(http.StatusUnprocessableEntity)
		s.Exec(c, "partials", "field-error", map[string]any{"Field": bad.Value, "What": bad.Error()})
		return
	}
	if s.Clash(c, err) {
		return
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	Carry(c, over...)
	s.Refresh(c, At(c))
}

// Address is what a form's fields kind and id name.
func Address(c *gin.Context) string {
	switch kind, id := shot.Kind(c.PostForm("kind")), c.PostForm("id"); kind {
	case shot.Setting, shot.Handover, shot.Look:
		return (&shot.Element{Kind: kind, ID: id}).Address()
	default:
		return id
	}
}

// FrameOf is the frame that a form says the page shows; 0 where it says none.
func FrameOf(c *gin.Context) (float64, error) {
	text := c.PostForm("frame")
	if text == "" {
		return 0, nil
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || !(math.Abs(f) <= shot.MaxFrame) {
		return 0, fmt.Errorf("the frame is %q; give a number", text)
	}
	return f, nil
}

// RecipeSize reads the size of the thing that a recipe is put on.
func RecipeSize(r *recipe.Recipe, text string) (float64, error) {
	if strings.TrimSpace(text) == "" {
		return r.Size, nil
	}
	v, err := shot.Metre.Parse(text, "m")
	if err != nil {
		return 0, err
	}
	if !(v >= 1e-3 && v <= 1e4) {
		return 0, fmt.Errorf("a size of %s m is out of range; give 0.001 to 10000 m", shot.Short(v))
	}
	return v, nil
}
