package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/studio/store"
)

// readSweep reads a sweep as the page's form sends it.
func readSweep(c *gin.Context) (sw studio.Sweep, err error) {
	body := c.PostForm("body")
	if strings.Contains(body, "null") { // what is no number leaves the page as null
		return sw, errors.New("a number is missing; give from, to and steps of each value, and the voxel size")
	}
	err = json.Unmarshal([]byte(body), &sw)
	if err != nil {
		err = fmt.Errorf("the sweep can't be read: %w", err)
	}
	return sw, err
}

// sweepCost says in words what a sweep would take.
func (s *server) sweepCost(c *gin.Context) {
	sw, err := readSweep(c)
	var cost studio.SweepCost
	if err == nil {
		cost, err = s.st.SweepCost(rowOf(c), sw)
	}
	if err != nil {
		c.String(http.StatusUnprocessableEntity, "%s", err.Error())
		return
	}
	c.String(http.StatusOK, "%d takes of %d frames at %s voxels each: about %s and %s of disk", cost.Takes, cost.Frames, countWords(cost.Voxels), secondsWords(cost.Seconds), bytesWords(cost.Bytes))
}

func (s *server) sweep(c *gin.Context) {
	sw, err := readSweep(c)
	var takes []store.Take
	if err == nil {
		takes, err = s.st.RunSweep(rowOf(c), sw)
	}
	if err != nil {
		s.answer(c, err)
		return
	}
	s.answer(c, nil, "sweep", takes[0].SweepID(), "take", fmt.Sprint(takes[0].Number))
}

// clearTakes discards the takes that nobody marked.
func (s *server) clearTakes(c *gin.Context) {
	_, err := s.st.Clear(rowOf(c).ID)
	s.answer(c, err)
}
