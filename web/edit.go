package web

import (
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/edit"
	"zarf/core/shot"
	"zarf/studio"
)

// at is the station that a request was made from; the panels of that station
// are sent back.
func at(c *gin.Context) string {
	u, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err == nil {
		last := u.Path[strings.LastIndex(u.Path, "/")+1:]
		for _, s := range stations {
			if s.Key == last {
				return last
			}
		}
	}
	return "stage"
}

// carry takes the choices that stand in the page's address (element, take,
// look, frame) over to the answer.
func carry(c *gin.Context, over ...string) {
	u, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err != nil {
		return
	}
	q := u.Query()
	for k, v := range c.Request.URL.Query() {
		q[k] = v
	}
	for i := 0; i+1 < len(over); i += 2 {
		q.Set(over[i], over[i+1])
	}
	c.Request.URL.RawQuery = q.Encode()
}

// form is what was sent of one value.
type form struct{ c *gin.Context }

func (f form) Get(name string) (string, bool) { return f.c.GetPostForm(name) }
func (f form) All(name string) []string       { return f.c.PostFormArray(name) }

// command does one command of the language of edits and answers with the panels.
func (s *server) command(c *gin.Context, cmd edit.Command, merge string, over ...string) {
	s.edit(c, cmd.Label(), merge, cmd.Apply, over...)
}

// edit changes the document and answers with the panels.
func (s *server) edit(c *gin.Context, label, merge string, change func(*shot.Shot) error, over ...string) {
	err := s.change(c, label, merge, change)
	var bad *edit.Error
	if errors.As(err, &bad) && bad.Value != "" && !bad.Gone {
		c.Header("Content-Type", "text/html; charset=utf-8")
		c.Status(http.StatusUnprocessableEntity)
		s.exec(c, "partials", "field-error", map[string]any{"Field": bad.Value, "What": bad.Error()})
		return
	}
	if s.clash(c, err) {
		return
	}
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	carry(c, over...)
	s.refresh(c, at(c))
}

// address is what a form's fields kind and id name.
func address(c *gin.Context) string {
	switch kind, id := shot.Kind(c.PostForm("kind")), c.PostForm("id"); kind {
	case shot.Setting, shot.Handover, shot.Look:
		return (&shot.Element{Kind: kind, ID: id}).Address()
	default:
		return id
	}
}

// frameOf is the frame that a form says the page shows; 0 where it says none.
func frameOf(c *gin.Context) (float64, error) {
	text := c.PostForm("frame")
	if text == "" {
		return 0, nil
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || !(math.Abs(f) <= shot.MaxFrame) {
		return 0, fmt.Errorf("the frame is %q; give a number", text)
	}
	return f, nil
}

func (s *server) setValue(c *gin.Context) {
	frame, err := frameOf(c)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	at, key := address(c), c.PostForm("key")
	merge := ""
	if c.PostForm("drag") == "1" {
		merge = "drag " + at + " " + key
	}
	label := "change " + key
	if x := shot.Find(shot.Kind(c.PostForm("kind")), key); x != nil {
		label = "change " + strings.ToLower(x.Label)
	}
	cmd := &edit.Set{At: at, Value: key, Frame: frame, Typed: func(x *shot.Entry, units string, old shot.Value) (shot.Value, error) {
		return x.Typed(form{c}, units, old)
	}}
	s.edit(c, label, merge, cmd.Apply)
}

func (s *server) resetValue(c *gin.Context) {
	s.command(c, &edit.Reset{At: address(c), Value: c.PostForm("key")}, "")
}

func (s *server) toggleKey(c *gin.Context) {
	frame, err := frameOf(c)
	if err != nil || c.PostForm("frame") == "" {
		s.fail(c, http.StatusUnprocessableEntity, "The frame is not a number.", "")
		return
	}
	s.command(c, &edit.ToggleKey{At: c.PostForm("id"), Value: c.PostForm("key"), Frame: frame}, "")
}

func (s *server) addElement(c *gin.Context) {
	cmd := &edit.Add{Kind: shot.Kind(c.PostForm("kind"))}
	carry(c)
	// the id is known before the panels are made
	if err := s.change(c, cmd.Label(), "", cmd.Apply); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	carry(c, "el", cmd.ID)
	c.Header("HX-Replace-Url", "/shots/"+rowOf(c).Slug+"/"+at(c)+"?el="+url.QueryEscape(cmd.ID))
	s.refresh(c, at(c))
}

// changeElement does one of the verbs of the cast's menu.
func (s *server) changeElement(c *gin.Context) {
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
		s.fail(c, http.StatusUnprocessableEntity, fmt.Sprintf("Nothing was changed: nothing is called %q.", verb), "")
		return
	}
	if err := s.change(c, verb, "", cmd.Apply); err != nil {
		if s.clash(c, err) {
			return
		}
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	carry(c, "el", next())
	s.refresh(c, at(c))
}

// placeElement takes what a gizmo did: position, turn or size in SI units.
func (s *server) placeElement(c *gin.Context) {
	frame, err := frameOf(c)
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
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
	s.edit(c, "move", "", cmd.Apply, "el", id)
}

// scaleVoxels sets the voxel size by a factor on their number, or by a number.
func (s *server) scaleVoxels(c *gin.Context) {
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
	s.command(c, cmd, "")
}

func (s *server) mend(c *gin.Context) {
	n, err := strconv.Atoi(c.PostForm("n"))
	want := c.PostForm("check")
	s.edit(c, "mend", "", func(d *shot.Shot) error {
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

func (s *server) undo(by int) gin.HandlerFunc {
	return func(c *gin.Context) {
		if _, err := s.st.Store.Undo(rowOf(c).ID, by); err != nil {
			s.fail(c, http.StatusInternalServerError, "Undo failed: "+err.Error(), "")
			return
		}
		s.st.Changed(rowOf(c).ID, c.GetHeader("X-Zarf-Page"))
		carry(c)
		s.refresh(c, at(c))
	}
}

func (s *server) changeLook(c *gin.Context) {
	id, verb := c.Param("id"), c.Param("verb")
	next := id
	if verb == "keep" || verb == "forget" {
		s.lookLibrary(c, id, verb)
		return
	}
	err := s.change(c, verb+" look", "", func(d *shot.Shot) error {
		l := d.Look(id)
		if l == nil {
			return fmt.Errorf("there is no look %q", id)
		}
		switch verb {
		case "duplicate":
			if len(d.Looks) >= 100 {
				return fmt.Errorf("the shot has 100 looks; no more are allowed")
			}
			copy := l.Copy(l.Name + " copy")
			copy.ID = d.FreeLook()
			d.Looks = append(d.Looks, copy)
			next = copy.ID
		case "delete":
			if len(d.Looks) == 1 {
				return fmt.Errorf("a shot keeps at least one look")
			}
			d.Looks = slices.DeleteFunc(d.Looks, func(o *shot.Element) bool { return o == l })
			next = ""
		case "rename":
			if err := shot.CheckName(c.PostForm("name")); err != nil {
				return err
			}
			l.Name = c.PostForm("name")
		case "bring": // one of the library, as a new look
			if len(d.Looks) >= 100 {
				return fmt.Errorf("the shot has 100 looks; no more are allowed")
			}
			copy, err := s.st.LibraryLook(c.PostForm("name"))
			if err != nil {
				return err
			}
			copy.ID = d.FreeLook()
			d.Looks = append(d.Looks, copy)
			next = copy.ID
		default:
			return fmt.Errorf("nothing is called %q", verb)
		}
		return nil
	})
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	carry(c, "look", next)
	c.Header("HX-Replace-Url", "/shots/"+rowOf(c).Slug+"/look?"+c.Request.URL.RawQuery)
	s.refresh(c, at(c))
}
