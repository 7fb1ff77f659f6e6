package look

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/studio/run"
	"zarf/studio/store"
	"zarf/web/desk"
)

func (s *room) renderRange(c *gin.Context) {
	t, err := s.TakeOf(c, c.PostForm("take"))
	if err != nil {
		s.Answer(c, err)
		return
	}
	from, to, err := desk.Span(c, t.First, t.Last)
	if err == nil {
		err = s.Studio.RenderRange(desk.Row(c), t, c.PostForm("look"), from, to)
	}
	s.Answer(c, err)
}

// renderedPath is the file of a rendered frame, or its small picture.
func (s *room) renderedPath(j store.Job, frame int, small bool) (string, error) {
	r := run.Render{Name: studio.JobName(j)}
	if small {
		p := filepath.Join(j.Dir, run.TinyDir, r.File(frame, "png"))
		_, err := os.Stat(p)
		return p, err
	}
	for _, ext := range []string{"png", "exr", "hdr"} {
		p := filepath.Join(j.Dir, r.File(frame, ext))
		if _, err := os.Stat(p); err == nil {
			return p, nil
		}
	}
	return "", os.ErrNotExist
}

func (s *room) rendered(c *gin.Context) {
	j, err := s.JobOf(c)
	frame, err2 := strconv.Atoi(c.Param("frame"))
	if err != nil || err2 != nil || j.Kind != studio.KindRender {
		c.String(http.StatusNotFound, "there is no such picture")
		return
	}
	p, err := s.renderedPath(j, frame, c.Query("small") != "")
	if err != nil {
		c.String(http.StatusNotFound, "this frame is not rendered yet")
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	if filepath.Ext(p) != ".png" {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", filepath.Base(p)))
		c.Header("Content-Type", "application/octet-stream")
	}
	c.File(p)
}
