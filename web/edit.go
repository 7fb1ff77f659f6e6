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
	"zarf/core/geom"
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

// invalid marks what a person typed wrong.
type invalid struct {
	error
	field string
}

// edit changes the document and answers with the panels.
func (s *server) edit(c *gin.Context, label, merge string, change func(*shot.Shot) error, over ...string) {
	err := s.change(c, label, merge, change)
	var bad invalid
	if errors.As(err, &bad) {
		c.Header("Content-Type", "text/html; charset=utf-8")
		c.Status(http.StatusUnprocessableEntity)
		s.exec(c, "partials", "field-error", map[string]any{"Field": bad.field, "What": bad.Error()})
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

// values finds the values that a form is about.
func values(d *shot.Shot, kind shot.Kind, id string) (shot.Values, *shot.Element, error) {
	switch kind {
	case shot.Setting:
		return d.Self.Values, d.Self, nil
	case shot.Handover:
		return d.Handover, nil, nil
	case shot.Look:
		if l := d.Look(id); l != nil {
			return l.Values, l, nil
		}
		return nil, nil, fmt.Errorf("there is no look %q", id)
	}
	if e := d.Element(id); e != nil && e.Kind == kind {
		return e.Values, e, nil
	}
	return nil, nil, fmt.Errorf("there is no %s %q; it may have been deleted in another window", kind, id)
}

// parse reads a value as typed, in the shot's units.
func parse(c *gin.Context, e *shot.Entry, length string, old shot.Value) (shot.Value, error) {
	v := old
	shown := e.Unit.Shown(length)
	var err error
	switch e.Type {
	case shot.Choice, shot.Ref:
		v.Text = c.PostForm("v")
	case shot.Flag:
		v.Flag = c.PostForm("v") == "on"
	case shot.Names:
		v = shot.NameList(c.PostFormArray("v")...)
	case shot.Points, shot.Profile, shot.File, shot.Weights, shot.Frozen, shot.Picture, shot.Ramp, shot.Curve, shot.Word:
		v.Text = strings.TrimSpace(c.PostForm("v"))
		if err = e.Check(v); err == nil && e.Type == shot.Points {
			v = shot.PointList(v.Places()) // one way to write them
		}
		if err == nil && (e.Type == shot.Ramp || e.Type == shot.Curve) {
			v = shot.StopList(e.Type, v.Stops(e.Type))
		}
		return v, err
	case shot.Vector:
		for i := range 3 {
			text, sent := c.GetPostForm("v" + strconv.Itoa(i))
			if !sent || text == e.Unit.Format(old.Vec[i], shown) {
				continue // what was only shown keeps all its digits
			}
			if v.Vec[i], err = e.Unit.Parse(text, shown); err != nil {
				return v, fmt.Errorf("%s %s: %w", e.Label, "xyz"[i:i+1], err)
			}
		}
	case shot.Colour:
		h := strings.TrimPrefix(c.PostForm("v"), "#")
		n, err := strconv.ParseUint(h, 16, 32)
		if err != nil || len(h) != 6 {
			return v, fmt.Errorf("%s is %q; give a colour like #c0a080", e.Label, c.PostForm("v"))
		}
		for i := range 3 {
			v.Vec[i] = fromSRGB(float64(n>>(16-8*i)&255) / 255)
		}
	default:
		text := c.PostForm("v")
		if text == e.Unit.Format(old.Num, shown) {
			return v, nil
		}
		if e.Unit == shot.FrameRate && strings.Contains(text, "/") {
			text = strings.ReplaceAll(text, " ", "")
		}
		if v.Num, err = e.Unit.Parse(text, shown); err != nil {
			return v, fmt.Errorf("%s: %w", e.Label, err)
		}
	}
	return v, e.Check(v)
}

func (s *server) setValue(c *gin.Context) {
	kind, id, key := shot.Kind(c.PostForm("kind")), c.PostForm("id"), c.PostForm("key")
	entry := shot.Find(kind, key)
	if entry == nil {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Sprintf("There is no value %s.%s.", kind, key), "")
		return
	}
	frame, _ := strconv.ParseFloat(c.PostForm("frame"), 64)
	merge := ""
	if c.PostForm("drag") == "1" {
		merge = "drag " + id + " " + key
	}
	s.edit(c, "change "+strings.ToLower(entry.Label), merge, func(d *shot.Shot) error {
		vals, el, err := values(d, kind, id)
		if err != nil {
			return err
		}
		old, ok := vals[key]
		if !ok {
			old = entry.Default
		}
		if el != nil {
			old = el.At(key, frame)
		}
		v, err := parse(c, entry, d.Get("units").Text, old)
		if err != nil {
			return invalid{err, key}
		}
		if el != nil && len(el.Keys[key]) > 0 {
			el.SetKey(key, shot.Key{Frame: frame, Value: v})
			return nil
		}
		vals[key] = v
		return sensible(d, key)
	})
}

// sensible refuses values that contradict each other.
func sensible(d *shot.Shot, key string) error {
	if a, b := d.Range(); b < a {
		return invalid{fmt.Errorf("the shot would end at frame %d, before it begins at %d", b, a), key}
	}
	if a, b := d.Range(); b-a > 100000 {
		return invalid{fmt.Errorf("the shot would have %d frames; 100000 are allowed", b-a+1), key}
	}
	return nil
}

func (s *server) resetValue(c *gin.Context) {
	kind, id, key := shot.Kind(c.PostForm("kind")), c.PostForm("id"), c.PostForm("key")
	entry := shot.Find(kind, key)
	if entry == nil {
		s.fail(c, http.StatusUnprocessableEntity, fmt.Sprintf("There is no value %s.%s.", kind, key), "")
		return
	}
	s.edit(c, "put back "+strings.ToLower(entry.Label), "", func(d *shot.Shot) error {
		vals, el, err := values(d, kind, id)
		if err != nil {
			return err
		}
		delete(vals, key)
		if el != nil {
			delete(el.Keys, key)
			delete(el.Extras, key)
			vals[key] = el.Start(key)
		}
		return sensible(d, key)
	})
}

func (s *server) toggleKey(c *gin.Context) {
	id, key := c.PostForm("id"), c.PostForm("key")
	frame, err := strconv.ParseFloat(c.PostForm("frame"), 64)
	if err != nil || math.IsNaN(frame) || math.IsInf(frame, 0) {
		s.fail(c, http.StatusUnprocessableEntity, "The frame is not a number.", "")
		return
	}
	s.edit(c, "key", "", func(d *shot.Shot) error {
		e := d.Owner(id)
		if e == nil {
			return fmt.Errorf("there is no element %q", id)
		}
		entry := shot.Find(e.Kind, key)
		if entry == nil || !entry.Keyable {
			return fmt.Errorf("%s can't have keys", key)
		}
		for _, k := range e.Keys[key] {
			if k.Frame == frame {
				e.Values[key] = k.Value // the last key to go leaves its value
				e.DropKey(key, frame)
				return nil
			}
		}
		if len(e.Keys[key]) >= shot.MaxKeys {
			return fmt.Errorf("%s has %d keys; no more are allowed", entry.Label, shot.MaxKeys)
		}
		e.SetKey(key, shot.Key{Frame: frame, Value: e.At(key, frame)})
		return nil
	})
}

func (s *server) addElement(c *gin.Context) {
	k := shot.Kind(c.PostForm("kind"))
	id := ""
	carry(c)
	// the id is known before the panels are made
	err := s.change(c, "add "+string(k), "", func(d *shot.Shot) error {
		if !shot.IsElement(k) {
			return fmt.Errorf("no element is called %q", k)
		}
		if len(d.Elements) >= shot.MaxElements {
			return fmt.Errorf("the shot has %d elements; no more are allowed", shot.MaxElements)
		}
		e := d.Add(k)
		id = e.ID
		s.placeNew(d, e)
		return nil
	})
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	carry(c, "el", id)
	c.Header("HX-Replace-Url", "/shots/"+rowOf(c).Slug+"/"+at(c)+"?el="+url.QueryEscape(id))
	s.refresh(c, at(c))
}

// placeNew gives a new element a place and a size that suit the domain.
func (s *server) placeNew(d *shot.Shot, e *shot.Element) {
	doms := d.Of(shot.Domain)
	if len(doms) == 0 {
		return
	}
	b := doms[0].DomainBox()
	mid, size := b.Centre(), b.Size()
	small := max(size.MinComponent()*0.2, doms[0].Get("voxel").Num*4)
	if shot.Find(e.Kind, "region_size") != nil {
		e.Values["region_size"], e.Values["region_fade"] = shot.Vec(size.X/2, size.Y/2, size.Z/2), shot.Num(size.MinComponent()*0.1)
	}
	switch e.Kind {
	case shot.Emitter:
		if doms[0].Burns() { // an emitter in a burning domain feeds the fire
			e.Values["fuel"], e.Values["temperature"] = shot.Num(0.06), shot.Num(900)
		}
		e.Values["size"] = shot.Vec(small, small, small)
		e.Values["position"] = shot.Vec(mid.X, b.Min.Y+small, mid.Z)
		e.Values["breakup_size"] = shot.Num(small * 0.4)
	case shot.Collider, shot.Mesh:
		e.Values["size"] = shot.Vec(small, small, small)
		e.Values["position"] = shot.Vec(mid.X, mid.Y, mid.Z)
	case shot.Pull:
		e.Values["size"] = shot.Vec(2*small, 2*small, 2*small)
		e.Values["position"] = shot.Vec(mid.X, mid.Y, mid.Z)
		e.Values["reach"] = shot.Num(shot.Tidy(size.MinComponent() * 0.5))
	case shot.Guide: // up through the domain in a bow
		at := func(x, y float64) [3]float64 {
			return [3]float64{shot.Tidy(mid.X + x*size.X), shot.Tidy(b.Min.Y + y*size.Y), shot.Tidy(mid.Z)}
		}
		e.Values["points"] = shot.PointList([][3]float64{at(0, 0.1), at(0.15, 0.35), at(-0.15, 0.65), at(0, 0.9)})
		e.Values["reach"] = shot.Num(shot.Tidy(size.MinComponent() * 0.2))
	case shot.Wind:
		e.Values["position"] = shot.Vec(b.Min.X, mid.Y, mid.Z)
	case shot.Turbulence:
		e.Values["size"] = shot.Num(size.MinComponent() * 0.3)
		e.Values["position"] = shot.Vec(b.Max.X, mid.Y, mid.Z)
	case shot.Vortex, shot.Radial:
		e.Values["position"] = shot.Vec(mid.X, mid.Y, mid.Z)
		e.Values["radius"] = shot.Num(size.MinComponent() * 0.2)
	case shot.Drag:
		e.Values["position"] = shot.Vec(mid.X, b.Max.Y-size.Y*0.2, mid.Z)
	case shot.Lamp: // as a key light: beside, above and before
		long := size.MaxComponent()
		e.Values["target"] = shot.Vec(mid.X, mid.Y, mid.Z)
		e.Values["position"] = shot.Vec(shot.Tidy(mid.X+long*0.7), shot.Tidy(b.Max.Y+long*0.2), shot.Tidy(mid.Z+long*0.7))
		e.Values["wide"], e.Values["tall"] = shot.Num(shot.Tidy(long*0.3)), shot.Num(shot.Tidy(long*0.3))
	case shot.Camera:
		e.Values["target"] = shot.Vec(mid.X, mid.Y, mid.Z)
		e.Values["position"] = shot.Vec(mid.X+size.X*1.2, mid.Y+size.Y*0.3, mid.Z+size.MaxComponent()*1.8)
	}
}

func (s *server) changeElement(c *gin.Context) {
	id, verb := c.Param("id"), c.Param("verb")
	next := id
	s.edit2(c, verb, func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil {
			return fmt.Errorf("there is no element %q; it may have been deleted in another window", id)
		}
		switch verb {
		case "mute":
			e.Muted = !e.Muted
		case "duplicate":
			if len(d.Elements) >= shot.MaxElements {
				return fmt.Errorf("the shot has %d elements; no more are allowed", shot.MaxElements)
			}
			next = d.Duplicate(e).ID
		case "delete":
			d.Remove(id)
			next = ""
		case "rename":
			name := c.PostForm("name")
			if err := shot.CheckName(name); err != nil {
				return err
			}
			e.Name = name
		case "round":
			return s.fitRound(d, e, c.PostForm("target"))
		case "up", "down":
			move(d, e, verb == "up")
		case "scope":
			scope(d, e, c.PostFormArray("domain"))
		default:
			return fmt.Errorf("nothing is called %q", verb)
		}
		return nil
	}, func() string { return next })
}

// fitRound sets a domain round another element, with room above for what
// rises; its voxel size stays.
func (s *server) fitRound(d *shot.Shot, e *shot.Element, target string) error {
	o := d.Element(target)
	if e.Kind != shot.Domain || o == nil || !o.Placed() {
		return errors.New("choose a domain, and an element with a shape to set it round")
	}
	first, last := d.Range()
	sh := o.Shape(float64(first))
	b := sh.Bounds()
	for f := first; f <= last && o.Moving(); f += max(1, (last-first)/12) {
		sh := o.Shape(float64(f))
		m := sh.Bounds()
		b = geom.Box{Min: b.Min.Min(m.Min), Max: b.Max.Max(m.Max)}
	}
	room := b.Size().MaxComponent() * 0.6
	b = b.Grow(room)
	b.Max.Y += 2 * room
	if b.Min.Y < 0 && b.Max.Y > 0 { // it stands on the ground
		b.Min.Y = 0
	}
	at, size := b.Centre(), b.Size()
	vals := map[string]shot.Value{"position": shot.Vec(shot.Tidy(at.X), shot.Tidy(at.Y), shot.Tidy(at.Z)), "size": shot.Vec(shot.Tidy(size.X), shot.Tidy(size.Y), shot.Tidy(size.Z))}
	for k, v := range vals {
		if err := shot.Find(shot.Domain, k).Check(v); err != nil {
			return err
		}
		e.Values[k] = v
	}
	return nil
}

// scope limits an element to domains; all of them means no limit.
func scope(d *shot.Shot, e *shot.Element, ids []string) {
	e.ActsOn = nil
	doms := d.Of(shot.Domain)
	if len(ids) == 0 || len(ids) >= len(doms) {
		return
	}
	for _, x := range doms {
		if slices.Contains(ids, x.ID) {
			e.ActsOn = append(e.ActsOn, x.ID)
		}
	}
}

// move takes an element one place up or down among those of its group.
func move(d *shot.Shot, e *shot.Element, up bool) {
	i := slices.Index(d.Elements, e)
	step := 1
	if up {
		step = -1
	}
	for j := i + step; j >= 0 && j < len(d.Elements); j += step {
		if d.Elements[j].Kind.Group() == e.Kind.Group() {
			d.Elements[i], d.Elements[j] = d.Elements[j], d.Elements[i]
			return
		}
	}
}

// edit2 is edit for changes that choose another element.
func (s *server) edit2(c *gin.Context, label string, change func(*shot.Shot) error, chosen func() string) {
	if err := s.change(c, label, "", change); err != nil {
		if s.clash(c, err) {
			return
		}
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	carry(c, "el", chosen())
	s.refresh(c, at(c))
}

// placeElement takes what a gizmo did: position, turn or size in SI units.
func (s *server) placeElement(c *gin.Context) {
	id, key := c.PostForm("id"), c.PostForm("key")
	frame, _ := strconv.ParseFloat(c.PostForm("frame"), 64)
	s.edit(c, "move", "", func(d *shot.Shot) error {
		e := d.Owner(id)
		if e == nil {
			return fmt.Errorf("there is no element %q", id)
		}
		entry := shot.Find(e.Kind, key)
		if entry == nil || entry.Type != shot.Vector {
			return fmt.Errorf("%s can't be placed", key)
		}
		var v shot.Value
		for i := range 3 {
			n, err := strconv.ParseFloat(c.PostForm("v"+strconv.Itoa(i)), 64)
			if err != nil {
				return fmt.Errorf("%s is not a number", entry.Label)
			}
			v.Vec[i] = math.Round(n*1e4) / 1e4
		}
		if err := entry.Check(v); err != nil {
			return err
		}
		if len(e.Keys[key]) > 0 {
			e.SetKey(key, shot.Key{Frame: frame, Value: v})
		} else {
			e.Values[key] = v
		}
		return nil
	}, "el", id)
}

// scaleVoxels sets the voxel size by a factor on their number, or by a number.
func (s *server) scaleVoxels(c *gin.Context) {
	id := c.PostForm("id")
	s.edit(c, "voxel size", "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || e.Kind != shot.Domain {
			return fmt.Errorf("there is no domain %q", id)
		}
		size := e.Get("size").Vec
		volume := size[0] * size[1] * size[2]
		n := e.Voxels()
		switch c.PostForm("by") {
		case "finer":
			n *= 2
		case "coarser":
			n /= 2
		default:
			text := strings.ReplaceAll(strings.ReplaceAll(c.PostForm("count"), " ", ""), "\u202f", "")
			v, err := strconv.ParseFloat(text, 64)
			if err != nil || v < 1 || v > 1e10 || math.IsNaN(v) {
				return invalid{fmt.Errorf("the number of voxels is %q; give 1 to 10 billion", c.PostForm("count")), "voxel"}
			}
			n = v
		}
		h := math.Cbrt(volume / n)
		v := shot.Num(shot.Tidy(h))
		if err := shot.Find(shot.Domain, "voxel").Check(v); err != nil {
			return invalid{err, "voxel"}
		}
		e.Values["voxel"] = v
		return nil
	})
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
			s.placeNew(d, d.Add(m.Add))
		case m.Key == "muted":
			d.Element(m.Element).Muted = true
		case m.Unmute:
			d.Element(m.Element).Muted = false
		default:
			e := d.Element(m.Element)
			if err := shot.Find(e.Kind, m.Key).Check(m.Value); err != nil {
				return err
			}
			delete(e.Keys, m.Key)
			e.Values[m.Key] = m.Value
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

// freeLook is an id that no look of a shot has.
func freeLook(d *shot.Shot) string {
	for n := 2; ; n++ {
		id := fmt.Sprintf("look%d", n)
		if !slices.ContainsFunc(d.Looks, func(o *shot.Element) bool { return o.ID == id }) {
			return id
		}
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
			for k, v := range l.Values {
				copy.Values[k] = v
			}
			copy.ID = freeLook(d)
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
			copy.ID = freeLook(d)
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
