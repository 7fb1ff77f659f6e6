package score

import (
	"encoding/json"
	"net/http"

	"github.com/gin-gonic/gin"

	"zarf/core/edit"
	"zarf/web/desk"
)

// editKeys takes what the score sends: keys to drop and to set by element and
// value, and bars to shift.
func (s *room) editKeys(c *gin.Context) {
	var cmd edit.Keys
	err := json.Unmarshal([]byte(c.PostForm("body")), &cmd)
	if err == nil {
		cmd.Frame, err = desk.FrameOf(c)
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The keys can't be read: "+err.Error()+".", "")
		return
	}
	s.Command(c, &cmd, "")
}

// setExtra sets what a keyed value does after its last key, and noise on it.
func (s *room) setExtra(c *gin.Context) {
	var cmd edit.Curve
	if err := json.Unmarshal([]byte(c.PostForm("body")), &cmd); err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The curve can't be read: "+err.Error()+".", "")
		return
	}
	s.Command(c, &cmd, "")
}
