package look

import (
	"context"
	"errors"
	"fmt"
	"math"
	"mime/multipart"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/maruel/natural"

	"zarf/core/asset"
	"zarf/core/frame"
	"zarf/core/pixel"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/web/desk"
)

func (s *room) changeLook(c *gin.Context) {
	id, verb := c.Param("id"), c.Param("verb")
	next := id
	if verb == "keep" || verb == "forget" {
		s.lookLibrary(c, id, verb)
		return
	}
	err := s.Change(c, verb+" look", "", func(d *shot.Shot) error {
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
			copy, err := s.Studio.LibraryLook(c.PostForm("name"))
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
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was changed: "+err.Error()+".", "")
		return
	}
	desk.Carry(c, "look", next)
	c.Header("HX-Replace-Url", "/shots/"+desk.Row(c).Slug+"/look?"+c.Request.URL.RawQuery)
	s.Refresh(c, desk.At(c))
}

// histogramBins is how many bars stand behind a ramp.
const histogramBins = 96

// histogram counts a channel's voxels over a range, those that are empty left
// out; temperature is absolute.
func (s *room) histogram(c *gin.Context) {
	t, number, ok := s.TakeFrame(c, c.Param("take"), c.Param("frame"))
	if !ok {
		return
	}
	low, err := strconv.ParseFloat(c.Query("low"), 64)
	high, err2 := strconv.ParseFloat(c.Query("high"), 64)
	if err != nil || err2 != nil || math.IsNaN(high-low) || math.IsInf(high-low, 0) || high == low {
		c.String(http.StatusUnprocessableEntity, "the range has no width")
		return
	}
	src, err := s.Studio.Source(t)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	name := c.Query("channel")
	over := 0.0
	switch name {
	case "temperature":
		over = val.AirTemperature.Of(src.Shot)
	case "speed":
		name = frame.Velocity
	case "density", "burn", "fuel":
	default:
		c.String(http.StatusUnprocessableEntity, "no channel is called "+strconv.Quote(name[:min(len(name), 40)]))
		return
	}
	f, err := src.ReadOnly(number, name)
	if err != nil {
		desk.Explain(c, err)
		return
	}
	g := f.Grid(name)
	if g == nil {
		c.String(http.StatusNotFound, "take %d holds no %s", t.Number, c.Query("channel"))
		return
	}
	bins := make([]int, histogramBins)
	comps := g.Type.Components()
	for i := range g.Leaves {
		l := g.Leaves[i]
		for n := range 512 {
			v := l.At(n, 0, comps)
			if comps == 3 {
				y, z := l.At(n, 1, comps), l.At(n, 2, comps)
				v = math.Sqrt(v*v + y*y + z*z)
			}
			if v == 0 || math.IsNaN(v) {
				continue
			}
			if u := (v + over - low) / (high - low); u >= 0 && u <= 1 {
				bins[min(int(u*histogramBins), histogramBins-1)]++
			}
		}
	}
	c.Header("Cache-Control", "private, max-age=600")
	c.JSON(http.StatusOK, gin.H{"bins": bins})
}

// MaxPictures is the most pictures of a numbered sequence.
const MaxPictures = 2000

// bringPicture keeps an uploaded picture, or a numbered sequence of them, and
// makes it a look's value. Nothing is kept of what can't be read.
func (s *room) bringPicture(c *gin.Context) {
	form, done, err := s.Received(c)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	defer done()
	kind, id, key := shot.Kind(c.Param("kind")), c.Param("id"), c.Param("key")
	e := shot.Find(kind, key)
	if e == nil || e.Type != shot.Picture {
		desk.Refuse(c, http.StatusNotFound, fmt.Errorf("no picture belongs to %q", key))
		return
	}
	f, err := pictures(c.Request.Context(), form.File["file"])
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	ref, err := s.Studio.Files.Put(f, nil)
	if err != nil {
		desk.Refuse(c, http.StatusInternalServerError, err)
		return
	}
	err = s.Change(c, strings.ToLower(e.Label), "", func(d *shot.Shot) error {
		o := d.Owner((&shot.Element{Kind: kind, ID: id}).Address())
		if o == nil {
			return fmt.Errorf("there is no %s %q any more", kind, id)
		}
		return o.Put(key, shot.Text(ref))
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.String(http.StatusOK, fmt.Sprintf("%d picture(s) brought in", 1+len(f.Side)))
}

// pictures reads uploaded files; several must have one size. Their heads are looked
// at first, then each is read through, one at a time, as long as somebody waits for it.
func pictures(ctx context.Context, files []*multipart.FileHeader) (*asset.File, error) {
	if len(files) == 0 {
		return nil, errors.New("no picture came along; choose one")
	}
	if len(files) > MaxPictures {
		return nil, fmt.Errorf("%d pictures at once; up to %d are taken", len(files), MaxPictures)
	}
	out := &asset.File{Side: map[string][]byte{}}
	type named struct {
		name string
		data []byte
	}
	var list []named
	w, h := 0, 0
	for _, f := range files {
		b, err := desk.Content(f)
		name := asset.Clean(path.Base(f.Filename))
		if err != nil {
			return nil, fmt.Errorf("%s broke off: %v", name, err)
		}
		pw, ph, err := pixel.Size(b)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if w == 0 {
			w, h = pw, ph
		}
		if pw != w || ph != h {
			return nil, fmt.Errorf("%s has %d x %d pixels, the others %d x %d; a sequence has one size", name, pw, ph, w, h)
		}
		list = append(list, named{name, b})
	}
	for _, n := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := pixel.Check(n.data); err != nil {
			return nil, fmt.Errorf("%s: %w", n.name, err)
		}
	}
	slices.SortFunc(list, func(a, b named) int { return natural.Compare(a.name, b.name) })
	for i := 1; i < len(list); i++ {
		if err := follows(list[i-1].name, list[i].name); err != nil {
			return nil, err
		}
	}
	out.Name, out.Data = list[0].name, list[0].data
	for _, n := range list[1:] {
		out.Side[n.name] = n.data
	}
	return out, nil
}

// lastNumber is the last run of digits in a file's name, and what stands before it.
var lastNumber = regexp.MustCompile(`^(.*?)(\d+)\D*$`)

// follows refuses a hole in numbered pictures: all behind it would stand a frame
// too early, and nobody would be told.
func follows(a, b string) error {
	p, q := lastNumber.FindStringSubmatch(a), lastNumber.FindStringSubmatch(b)
	if p == nil || q == nil || p[1] != q[1] {
		return fmt.Errorf("%s and %s don't belong to one numbered sequence; bring in pictures that differ by their number alone", a, b)
	}
	m, err1 := strconv.Atoi(p[2])
	n, err2 := strconv.Atoi(q[2])
	switch {
	case err1 != nil || err2 != nil:
		return fmt.Errorf("%s has a number that can't be counted; number them by frame", b)
	case n == m:
		return fmt.Errorf("%s and %s have the same number", a, b)
	case n > m+1:
		return fmt.Errorf("between %s and %s there are pictures missing (%d); bring in all of them together", a, b, n-m-1)
	}
	return nil
}

// keptList answers with the library's ramps or curves.
func (s *room) keptList(c *gin.Context) {
	list, err := s.Studio.KeptStops(shot.Type(c.Param("type")))
	if err != nil {
		desk.Refuse(c, http.StatusInternalServerError, err)
		return
	}
	c.JSON(http.StatusOK, list)
}

// keep keeps or forgets one.
func (s *room) keep(c *gin.Context) {
	if err := s.Studio.KeepStops(studio.Kept{Name: c.PostForm("name"), Type: shot.Type(c.Param("type")), Text: c.PostForm("text")}); err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// lookLibrary keeps a look in the library or deletes one there.
func (s *room) lookLibrary(c *gin.Context, id, verb string) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err == nil {
		if verb == "forget" {
			err = s.Studio.DropLook(c.PostForm("name"))
		} else if l := doc.Look(id); l == nil {
			err = fmt.Errorf("there is no look %q", id)
		} else {
			err = s.Studio.SaveLook(l, c.PostForm("replace") != "")
		}
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The library was left as it is: "+err.Error()+".", "")
		return
	}
	desk.Carry(c)
	s.Refresh(c, desk.At(c))
}

// lookChanges are the values in which a look differs from the shot's first.
func lookChanges(doc *shot.Shot, l *shot.Element) (out []shot.Change) {
	if len(doc.Looks) == 0 || doc.Looks[0] == l {
		return nil
	}
	length := val.Units.Of(doc)
	for _, e := range shot.Entries(shot.Look) {
		if a, b := doc.Looks[0].Get(e.Key), l.Get(e.Key); !e.Same(a, b) {
			out = append(out, shot.Change{Where: l.Name, Label: e.Label, Was: e.Show(a, length), Is: e.Show(b, length)})
		}
	}
	return out
}
