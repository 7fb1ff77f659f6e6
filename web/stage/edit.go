package stage

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/edit"
	"zarf/core/shot"
	"zarf/studio"
	"zarf/web/desk"
)

func (s *room) setValue(c *gin.Context) {
	frame, err := desk.FrameOf(c)
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	at, key := desk.Address(c), c.PostForm("key")
	merge := ""
	if c.PostForm("drag") == "1" {
		merge = "drag " + at + " " + key
	}
	label := "change " + key
	if x := shot.Find(shot.Kind(c.PostForm("kind")), key); x != nil {
		label = "change " + strings.ToLower(x.Label)
	}
	cmd := &edit.Set{At: at, Value: key, Frame: frame, Typed: func(x *shot.Entry, units string, old shot.Value) (shot.Value, error) {
		return x.Typed(desk.Form{C: c}, units, old)
	}}
	s.Edit(c, label, merge, cmd.Apply)
}

func (s *room) resetValue(c *gin.Context) {
	s.Command(c, &edit.Reset{At: desk.Address(c), Value: c.PostForm("key")}, "")
}

func (s *room) toggleKey(c *gin.Context) {
	frame, err := desk.FrameOf(c)
	if err != nil || c.PostForm("frame") == "" {
		s.Fail(c, http.StatusUnprocessableEntity, "The frame is not a number.", "")
		return
	}
	s.Command(c, &edit.ToggleKey{At: c.PostForm("id"), Value: c.PostForm("key"), Frame: frame}, "")
}

// follow lets a value follow a sensor.
func (s *room) follow(c *gin.Context) {
	s.Command(c, &edit.Follow{At: c.PostForm("id"), Value: c.PostForm("key"), Sensor: c.PostForm("sensor")}, "")
}

func (s *room) addElement(c *gin.Context) {
	cmd := &edit.Add{Kind: shot.Kind(c.PostForm("kind"))}
	desk.Carry(c)
	// the id is known before the panels are made
	if err := s.Change(c, cmd.Label(), "", cmd.Apply); err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	desk.Carry(c, "el", cmd.ID)
	c.Header("HX-Replace-Url", "/shots/"+desk.Row(c).Slug+"/"+desk.At(c)+"?el="+url.QueryEscape(cmd.ID))
	s.Refresh(c, desk.At(c))
}

// changeElement does one of the verbs of the cast's menu.
func (s *room) changeElement(c *gin.Context) {
	id, verb := c.Param("id"), c.Param("verb")
	next := func() string { return id }
	var cmd edit.Command
	switch verb {
	case "mute":
		cmd = &edit.Mute{At: id}
	case "duplicate":
		d := &edit.Duplicate{At: id}
		cmd, next = d, func() string { return d.ID }
	case "delete":
		cmd, next = &edit.Remove{At: id}, func() string { return "" }
	case "rename":
		cmd = &edit.Rename{At: id, Name: c.PostForm("name")}
	case "round":
		cmd = &edit.Round{At: id, Target: c.PostForm("target")}
	case "up", "down":
		cmd = &edit.Move{At: id, Up: verb == "up"}
	case "scope":
		cmd = &edit.Scope{At: id, Domains: c.PostFormArray("domain")}
	default:
		s.Fail(c, http.StatusUnprocessableEntity, fmt.Sprintf("Nothing was changed: nothing is called %q.", verb), "")
		return
	}
	if err := s.Change(c, verb, "", cmd.Apply); err != nil {
		if s.Clash(c, err) {
			return
		}
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	desk.Carry(c, "el", next())
	s.Refresh(c, desk.At(c))
}

// placeElement takes what a gizmo did: position, turn or size in SI units.
func (s *room) placeElement(c *gin.Context) {
	frame, err := desk.FrameOf(c)
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	id, key := c.PostForm("id"), c.PostForm("key")
	cmd := &edit.Set{At: id, Value: key, Frame: frame, Typed: func(x *shot.Entry, units string, old shot.Value) (v shot.Value, err error) {
		if x.Type != shot.Vector {
			return v, fmt.Errorf("%s can't be placed", x.Label)
		}
		for i := range 3 {
			n, err := strconv.ParseFloat(c.PostForm("v"+strconv.Itoa(i)), 64)
			if err != nil {
				return v, fmt.Errorf("%s is not a number", x.Label)
			}
			v.Vec[i] = math.Round(n*1e4) / 1e4
		}
		return v, nil
	}}
	s.Edit(c, "move", "", cmd.Apply, "el", id)
}

// scaleVoxels sets the voxel size by a factor on their number, or by a number.
func (s *room) scaleVoxels(c *gin.Context) {
	cmd := &edit.Voxels{At: c.PostForm("id")}
	switch c.PostForm("by") {
	case "finer":
		cmd.By = 2
	case "coarser":
		cmd.By = 0.5
	default:
		text := strings.ReplaceAll(strings.ReplaceAll(c.PostForm("count"), " ", ""), "\u202f", "")
		n, err := strconv.ParseFloat(text, 64)
		if err != nil {
			n = math.NaN()
		}
		cmd.Count = n
	}
	s.Command(c, cmd, "")
}

func (s *room) mend(c *gin.Context) {
	n, err := strconv.Atoi(c.PostForm("n"))
	want := c.PostForm("check")
	s.Edit(c, "mend", "", func(d *shot.Shot) error {
		found := check.Shot(d, check.Machine{Memory: studio.Memory()})
		if err != nil || n < 0 || n >= len(found) || found[n].ID != want || found[n].Mend == nil {
			return fmt.Errorf("this finding is not there any more")
		}
		m := found[n].Mend
		switch {
		case m.Add != "":
			d.Place(d.Add(m.Add))
		case m.Mute:
			d.Element(m.Element).Muted = true
		case m.Unmute:
			d.Element(m.Element).Muted = false
		default:
			e := d.Element(m.Element)
			if e == nil {
				e = d.Self
			}
			e.DropKeys(shot.Find(e.Kind, m.Key))
			return e.Put(m.Key, m.Value)
		}
		return nil
	})
}

func (s *room) undo(by int) gin.HandlerFunc {
	return func(c *gin.Context) {
		if _, err := s.Studio.Store.Undo(desk.Row(c).ID, by); err != nil {
			s.Fail(c, http.StatusInternalServerError, "Undo failed: "+err.Error(), "")
			return
		}
		s.Studio.Changed(desk.Row(c).ID, c.GetHeader("X-Zarf-Page"))
		desk.Carry(c)
		s.Refresh(c, desk.At(c))
	}
}
