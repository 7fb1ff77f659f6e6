package web

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

var jobNouns = map[string]string{studio.KindSim: "the simulation", studio.KindRender: "the render", studio.KindHandover: "the handover"}

func (s *server) queueView(list []store.Job) (out []queued) {
	shots := map[int64]store.ShotRow{}
	for _, j := range list {
		q := queued{Job: j, Take: s.takeNumber(j.TakeID), What: jobWords[j.Kind]}
		row, ok := shots[j.ShotID]
		if !ok {
			row, _ = s.st.Store.ShotByID(j.ShotID)
			shots[j.ShotID] = row
		}
		q.Shot = row
		out = append(out, q)
	}
	return out
}

// turn is where a waiting job stands.
type turn struct {
	Ahead int    // jobs that come before it, the running one included
	Last  bool   // nothing waits behind it
	After string // what runs now
}

// Words says where in the queue a job stands.
func (t *turn) Words() string {
	switch {
	case t.Ahead == 0:
		return "starts next"
	case t.After == "":
		return fmt.Sprintf("%d ahead", t.Ahead)
	case t.Ahead == 1:
		return "next, after " + t.After
	}
	return fmt.Sprintf("%d ahead, first %s", t.Ahead, t.After)
}

// turns finds where the waiting jobs of a shot stand.
func (s *server) turns(shotID int64) (map[int64]*turn, error) {
	due, err := s.st.Store.ActiveJobs()
	out := map[int64]*turn{}
	after := ""
	for i, j := range due {
		if j.State == store.Running {
			if row, err := s.st.Store.ShotByID(j.ShotID); err == nil && after == "" {
				after = jobNouns[j.Kind] + " of " + row.Name
				if j.Left > 0 {
					after += " (" + secondsWords(j.Left) + " left)"
				}
			}
		} else if j.ShotID == shotID {
			out[j.ID] = &turn{Ahead: i, Last: i == len(due)-1, After: after}
		}
	}
	return out, err
}

// Turn is where a waiting job stands; nil: it doesn't wait.
func (w *space) Turn(job int64) *turn { return w.turns[job] }

// queuePage lists what runs and waits, over all shots, and what ended last.
func (s *server) queuePage(c *gin.Context) {
	due, err := s.st.Store.ActiveJobs()
	var ended []store.Job
	if err == nil {
		ended, err = s.st.Store.EndedJobs(30)
	}
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The queue can't be read: "+err.Error(), "Look at the data folder.")
		return
	}
	data := map[string]any{"Title": "Queue", "Due": s.queueView(due), "Ended": s.queueView(ended)}
	if c.GetHeader("HX-Request") != "" {
		c.Header("Content-Type", "text/html; charset=utf-8")
		s.exec(c, "partials", "queuelist", data)
		return
	}
	s.page(c, http.StatusOK, "queue", data)
}

// changeJob stops a job or changes its turn.
func (s *server) changeJob(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("job"), 10, 64)
	if err != nil {
		err = fmt.Errorf("job %q: %w", c.Param("job"), store.ErrNotFound)
	}
	if err == nil {
		_, err = s.st.Store.Job(id)
	}
	if err == nil {
		switch c.Param("verb") {
		case "first":
			err = s.st.Prefer(id, true)
		case "last":
			err = s.st.Prefer(id, false)
		case "stop":
			err = s.st.Stop(id)
		default:
			err = fmt.Errorf("nothing is called %q", c.Param("verb"))
		}
	}
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Not done: "+err.Error()+".", "")
		return
	}
	s.queuePage(c)
}
