package takes

import (
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/web/desk"
)

// still is a small picture of a take's frame with the camera, the solids and a
// look of the shot as it is now, so that takes can be compared. Pictures are
// kept on disk beside the cache, by all that they depend on.
func (s *room) still(c *gin.Context) {
	t, frame, ok := s.TakeFrame(c, c.Param("take"), c.Param("frame"))
	if !ok {
		return
	}
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	lk := doc.Look(c.Query("look"))
	if lk == nil {
		lk = doc.Looks[0]
	}
	width := 320
	if n, err := strconv.Atoi(c.Query("w")); err == nil {
		width = min(max(n/16*16, 64), 960)
	}
	data, err := s.Still(t, doc, lk, frame, width)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	c.Header("Cache-Control", "private, no-cache")
	c.Data(http.StatusOK, "image/png", data)
}

// thumb is a picture of a take's frame as its own values have it.
func (s *room) thumb(c *gin.Context) {
	t, frame, ok := s.TakeFrame(c, c.Query("take"), c.Query("frame"))
	if !ok {
		return
	}
	doc, err := t.Shot()
	if err != nil {
		desk.Explain(c, err)
		return
	}
	data, err := s.Still(t, doc, doc.Looks[0], frame, 256)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/png", data)
}
