package library

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/web/desk"
)

// deletePage names all that goes with a shot, before it goes.
func (s *room) deletePage(c *gin.Context) {
	row := desk.Row(c)
	h, err := s.Studio.HangsOn(row)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "What belongs to the shot can't be read: "+err.Error()+".", "")
		return
	}
	s.Page(c, http.StatusOK, "delete", map[string]any{"Title": "Delete " + row.Name, "Row": row, "Hangs": h})
}

// deleteShot deletes a shot for good. Only an archived one goes: two steps, so that
// no slip of the hand is for good.
func (s *room) deleteShot(c *gin.Context) {
	row := desk.Row(c)
	if !row.Archived {
		s.Fail(c, http.StatusConflict, row.Name+" is not archived.", "Archive it first; an archived shot can be deleted.")
		return
	}
	err := s.Studio.DeleteShot(row)
	var busy *studio.Busy
	switch {
	case errors.As(err, &busy):
		s.Fail(c, http.StatusConflict, desk.Sentence(err.Error())+".", "Nothing was deleted.")
	case err != nil:
		s.Fail(c, http.StatusInternalServerError, desk.Sentence(err.Error())+".", "")
	default:
		desk.LeadTo(c, "/")
	}
}

// cleanPage lists what nothing names any more.
func (s *room) cleanPage(c *gin.Context) {
	list, err := s.Studio.Unnamed()
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The data folder can't be looked through: "+err.Error()+".", "")
		return
	}
	var all int64
	for _, w := range list {
		all += w.Bytes
	}
	s.Page(c, http.StatusOK, "clean", map[string]any{"Title": "Clean up", "List": list, "Bytes": all, "Dir": s.Studio.Dir})
}

// clean deletes one of them, or all.
func (s *room) clean(c *gin.Context) {
	var ids []string
	if id := c.PostForm("id"); id != "" {
		ids = []string{id}
	}
	if _, err := s.Studio.Clean(ids...); err != nil {
		s.Fail(c, http.StatusInternalServerError, fmt.Sprintf("Not all could be deleted: %v.", err), "Check the permissions of the data folder.")
		return
	}
	desk.LeadTo(c, "/clean")
}
