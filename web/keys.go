package web

import (
	"encoding/json"
	"net/http"

	"github.com/gin-gonic/gin"

	"zarf/core/edit"
)

// editKeys takes what the score sends: keys to drop and to set by element and
// value, and bars to shift.
func (s *server) editKeys(c *gin.Context) {
	var cmd edit.Keys
	err := json.Unmarshal([]byte(c.PostForm("body")), &cmd)
	if err == nil {
		cmd.Frame, err = frameOf(c)
	}
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The keys can't be read: "+err.Error()+".", "")
		return
	}
	s.command(c, &cmd, "")
}

// setExtra sets what a keyed value does after its last key, and noise on it.
func (s *server) setExtra(c *gin.Context) {
	var cmd edit.Curve
	if err := json.Unmarshal([]byte(c.PostForm("body")), &cmd); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The curve can't be read: "+err.Error()+".", "")
		return
	}
	s.command(c, &cmd, "")
}
