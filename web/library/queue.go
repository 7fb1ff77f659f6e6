package library

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/studio/store"
)

// queued is a job on the queue's page.
type queued struct {
	store.Job
	Shot store.ShotRow
	Take int
	What string
}

var jobWords = map[string]string{studio.KindSim: "simulates", studio.KindRender: "renders", studio.KindHandover: "hands over"}

func (s *room) queueView(list []store.Job) (out []queued) {
	shots := map[int64]store.ShotRow{}
	for _, j := range list {
		q := queued{Job: j, Take: s.TakeNumber(j.TakeID), What: jobWords[j.Kind]}
		row, ok := shots[j.ShotID]
		if !ok {
			row, _ = s.Studio.Store.ShotByID(j.ShotID)
			shots[j.ShotID] = row
		}
		q.Shot = row
		out = append(out, q)
	}
	return out
}

// queuePage lists what runs and waits, over all shots, and what ended last.
func (s *room) queuePage(c *gin.Context) {
	due, err := s.Studio.Store.ActiveJobs()
	var ended []store.Job
	if err == nil {
		ended, err = s.Studio.Store.EndedJobs(30)
	}
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The queue can't be read: "+err.Error(), "Look at the data folder.")
		return
	}
	data := map[string]any{"Title": "Queue", "Due": s.queueView(due), "Ended": s.queueView(ended)}
	if c.GetHeader("HX-Request") != "" {
		c.Header("Content-Type", "text/html; charset=utf-8")
		s.Exec(c, "partials", "queuelist", data)
		return
	}
	s.Page(c, http.StatusOK, "queue", data)
}

// changeJob stops a job or changes its turn.
func (s *room) changeJob(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("job"), 10, 64)
	if err != nil {
		err = fmt.Errorf("job %q: %w", c.Param("job"), store.ErrNotFound)
	}
	if err == nil {
		_, err = s.Studio.Store.Job(id)
	}
	if err == nil {
		switch c.Param("verb") {
		case "first":
			err = s.Studio.Prefer(id, true)
		case "last":
			err = s.Studio.Prefer(id, false)
		case "stop":
			err = s.Studio.Stop(id)
		default:
			err = fmt.Errorf("nothing is called %q", c.Param("verb"))
		}
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Not done: "+err.Error()+".", "")
		return
	}
	s.queuePage(c)
}
