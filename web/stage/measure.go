package stage

// Measuring a reference: where the front of a clip is at which time, and what it tells beside
// a take's.

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/scale"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/run"
	"zarf/web/desk"
)

// setFront takes over where a clip's front is.
func setFront(c *shot.Clip, text string) error {
	var marks [][2]float64
	if err := json.Unmarshal([]byte(text), &marks); err != nil {
		return fmt.Errorf("the front's marks can't be read: %w", err)
	}
	slices.SortFunc(marks, func(a, b [2]float64) int {
		switch {
		case a[0] < b[0]:
			return -1
		case a[0] > b[0]:
			return 1
		}
		return 0
	})
	if err := shot.CheckFront(marks); err != nil {
		return err
	}
	c.Front = marks
	return nil
}

// setTall takes over how tall the clip's picture is; nothing says that it isn't known.
func setTall(c *shot.Clip, text string) error {
	if strings.TrimSpace(text) == "" {
		c.Tall = 0
		return nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || !(v > 0 && v <= shot.MostTall) {
		return fmt.Errorf("the length is %q; give metres, more than 0", text)
	}
	c.Tall = v
	return nil
}

// laidView is a clip's front over a take's, drawn.
type laidView struct {
	Slug, Name   string
	Why          string // why nothing can be told; then the rest is empty
	Take         int
	Says         string
	Facts        string
	Start        string // s, to be set
	Slower       string // the time scale that would bring both together; empty: none
	Ours, Theirs string // paths in a box of laidW by laidH
	Long, Far    string
}

const laidW, laidH = 240, 92

// measured tells how a clip's front goes beside a take's.
func (s *room) measured(c *gin.Context) {
	clip := s.kept(c)
	if clip == nil {
		return
	}
	v := &laidView{Slug: desk.Row(c).Slug, Name: clip.Name}
	if t, err := s.TakeOf(c, c.Query("take")); err != nil {
		v.Why = "There is no take to lay the clip over: " + err.Error() + "."
	} else if was, err := t.Shot(); err != nil {
		v.Why = "The take's values can't be read."
	} else {
		v.Take = t.Number
		v.lay(was, scale.Heights(was, run.Stats(s.Studio.Cache.Stage(t.Key).Frames())), clip)
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.Exec(c, "partials", "laidclip", v)
}

// lay fills in what a take and a clip tell of each other.
func (v *laidView) lay(s *shot.Shot, take []scale.Point, clip *shot.Clip) {
	var marks []scale.Point
	for _, m := range clip.Front {
		marks = append(marks, scale.Point{T: m[0], L: m[1]})
	}
	l, err := scale.Lay(take, marks, clip.Tall)
	if err != nil {
		v.Why = strings.ToUpper(err.Error()[:1]) + err.Error()[1:] + "."
		return
	}
	v.Says, v.Start = l.Says(v.Name), fmt.Sprintf("%.2f", math.Round(l.Start*100)/100)
	v.Facts = fmt.Sprintf("The fronts differ by %.0f %% of the way. The clip's picture is %s m tall, and shows the shot's first frame at %s s.", 100*l.Misfit, shot.Short(shot.Tidy(l.Tall)), v.Start)
	if now, ok := l.Slower(val.TimeScale.Of(s)); ok {
		v.Slower = shot.Short(now)
	}
	long, far := 0.0, 0.0
	for _, p := range take {
		long, far = max(long, p.T), max(far, p.L)
	}
	for _, p := range l.Clip {
		if p.T <= 1.5*long {
			far = max(far, p.L)
		}
	}
	path := func(list []scale.Point) string {
		var b strings.Builder
		for _, p := range list {
			if p.T < 0 || p.T > long {
				continue
			}
			op := "L"
			if b.Len() == 0 {
				op = "M"
			}
			fmt.Fprintf(&b, "%s%.1f %.1f", op, p.T/long*laidW, laidH-p.L/far*laidH)
		}
		return b.String()
	}
	v.Ours, v.Theirs = path(take), path(l.Clip)
	v.Long, v.Far = fmt.Sprintf("%.3g s", long), shot.Short(shot.Tidy(far))+" m"
}
