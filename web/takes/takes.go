package takes

import (
	"errors"
	"fmt"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/scale"
	"zarf/core/shot"
	"zarf/studio/run"
	"zarf/studio/store"
	"zarf/web/desk"
)

// mendTake applies the mend of a finding about a take's run to the shot.
func (s *room) mendTake(c *gin.Context, v *account) error {
	var m *check.Mend
	for _, f := range v.After {
		if f.Mend != nil && f.ID == c.PostForm("check") && f.Mend.Label == c.PostForm("label") {
			m = f.Mend
		}
	}
	if m == nil {
		return fmt.Errorf("that finding is gone; the page was out of date")
	}
	err := s.Change(c, "mend: "+m.Label, "", func(d *shot.Shot) error {
		e := d.Element(m.Element)
		if e == nil {
			return fmt.Errorf("the domain that the take ran in is gone from the shot")
		}
		e.DropKeys(shot.Find(e.Kind, m.Key))
		return e.Put(m.Key, m.Value)
	})
	return err
}

func (s *room) run(c *gin.Context) {
	var t store.Take
	var err error
	if d := c.PostForm("domain"); d != "" {
		t, err = s.Studio.Run(desk.Row(c), d, 0, 0)
	} else {
		t, err = s.Studio.Rebuild(desk.Row(c))
	}
	s.Answer(c, err, "take", strconv.Itoa(t.Number))
}

func (s *room) changeTake(c *gin.Context) {
	t, err := s.TakeOf(c, c.Param("take"))
	if err != nil {
		s.Answer(c, err)
		return
	}
	switch c.Param("verb") {
	case "resume":
		err = s.Studio.Resume(t, t.First, t.Last)
	case "note":
		stars, _ := strconv.Atoi(c.PostForm("stars"))
		note := c.PostForm("note")
		if len(note) > 4000 {
			err = fmt.Errorf("the note has %d bytes; 4000 are allowed", len(note))
			break
		}
		err = s.Studio.Store.AnnotateTake(t.ID, note, min(max(stars, 0), 5))
	case "restore":
		var old *shot.Shot
		if old, err = t.Shot(); err == nil {
			_, err = s.Studio.Store.Edit(desk.Row(c).ID, fmt.Sprintf("restore take %d", t.Number), "", func(d *shot.Shot) error {
				again(d, old)
				return nil
			})
			if err == nil {
				err = s.Studio.Store.SetBase(desk.Row(c).ID, t.ID) // the next take is made from it
			}
			s.Studio.Changed(desk.Row(c).ID, c.GetHeader("X-Zarf-Page"))
		}
	case "adopt":
		err = s.Studio.Adopt(desk.Row(c).ID, t)
		s.Studio.Changed(desk.Row(c).ID, c.GetHeader("X-Zarf-Page"))
	case "verify":
		var damaged []int
		if damaged, err = s.Studio.Verify(t); err == nil && len(damaged) > 0 {
			err = fmt.Errorf("take %d: frames %s were damaged and are gone; Resume makes them anew", t.Number, run.Ranges(damaged))
		}
	case "advise":
		err = s.advise(c, t)
	case "mend":
		v := &account{TakeView: &desk.TakeView{Take: t}}
		v.read(s.Studio.Cache.Stage(t.Key).Frames())
		err = s.mendTake(c, v)
	case "discard":
		err = s.Studio.Discard(t)
	default:
		err = fmt.Errorf("nothing is called %q", c.Param("verb"))
	}
	s.Answer(c, err)
}

// again gives a shot the values of an older one; its looks and its name stay.
func again(d, old *shot.Shot) {
	looks, name, title := d.Looks, d.Name, d.Title
	*d = *old
	d.Looks, d.Name, d.Title = looks, name, title
}

// advise makes a branch of a take with one of the changes that its reading
// offers.
func (s *room) advise(c *gin.Context, t store.Take) error {
	doc, err := t.Shot()
	if err != nil {
		return err
	}
	d := doc.Element(t.Domain)
	if d == nil {
		return fmt.Errorf("take %d lacks its domain", t.Number)
	}
	r := scale.Of(doc, d, run.Stats(s.Studio.Cache.Stage(t.Key).Frames()))
	n, err := strconv.Atoi(c.PostForm("n"))
	if err != nil || n < 0 || n >= len(r.Mends) || r.Mends[n].Label != c.PostForm("label") {
		return errors.New("that change is not offered any more; look at the take again")
	}
	_, err = s.Studio.Store.Edit(desk.Row(c).ID, fmt.Sprintf("branch from take %d: %s", t.Number, r.Mends[n].Label), "", func(now *shot.Shot) error {
		again(now, doc)
		for _, ch := range r.Mends[n].Changes {
			e := now.Owner(ch.Element)
			if e == nil {
				return fmt.Errorf("there is no element %q", ch.Element)
			}
			if err := e.Put(ch.Key, ch.Value); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		err = s.Studio.Store.SetBase(desk.Row(c).ID, t.ID)
	}
	s.Studio.Changed(desk.Row(c).ID, c.GetHeader("X-Zarf-Page"))
	return err
}
