package web

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/scale"
	"zarf/core/shot"
	"zarf/studio"
	"zarf/studio/handover"
	"zarf/studio/run"
	"zarf/studio/store"
)

// answer reports an error of a job's start, or shows the panels.
func (s *server) answer(c *gin.Context, err error, over ...string) {
	var busy *studio.Busy
	var refused *studio.Refused
	switch {
	case err == nil:
		carry(c, over...)
		s.refresh(c, at(c))
	case errors.As(err, &busy):
		s.fail(c, http.StatusConflict, "Not started: "+err.Error()+".", "")
	case errors.As(err, &refused):
		s.fail(c, http.StatusUnprocessableEntity, "Not started: "+err.Error(), "The checks offer mends.")
	case errors.Is(err, store.ErrNotFound):
		s.fail(c, http.StatusNotFound, err.Error()+".", "")
	default:
		s.fail(c, http.StatusUnprocessableEntity, "Not done: "+err.Error()+".", "")
	}
}

// span reads a range of frames from a form; the default where it is empty.
func span(c *gin.Context, a, b int) (int, int, error) { return spanOf(c.PostForm, a, b) }

func spanOf(form func(string) string, a, b int) (int, int, error) {
	read := func(key string, otherwise int) (int, error) {
		t := form(key)
		if t == "" {
			return otherwise, nil
		}
		n, err := strconv.Atoi(t)
		if err != nil {
			return 0, fmt.Errorf("%q is not a frame number", t)
		}
		return n, nil
	}
	from, err := read("from", a)
	if err != nil {
		return 0, 0, err
	}
	to, err := read("to", b)
	if err != nil {
		return 0, 0, err
	}
	if to < from {
		return 0, 0, fmt.Errorf("frames %d–%d end before they begin", from, to)
	}
	if to-from > 100000 {
		return 0, 0, fmt.Errorf("%d frames are too many; 100000 are allowed", to-from+1)
	}
	return from, to, nil
}

func (s *server) run(c *gin.Context) {
	var t store.Take
	var err error
	if d := c.PostForm("domain"); d != "" {
		t, err = s.st.Run(rowOf(c), d, 0, 0)
	} else {
		t, err = s.st.Rebuild(rowOf(c))
	}
	s.answer(c, err, "take", strconv.Itoa(t.Number))
}

func (s *server) changeTake(c *gin.Context) {
	t, err := s.takeOf(c, c.Param("take"))
	if err != nil {
		s.answer(c, err)
		return
	}
	switch c.Param("verb") {
	case "resume":
		err = s.st.Resume(t, t.First, t.Last)
	case "note":
		stars, _ := strconv.Atoi(c.PostForm("stars"))
		note := c.PostForm("note")
		if len(note) > 4000 {
			err = fmt.Errorf("the note has %d bytes; 4000 are allowed", len(note))
			break
		}
		err = s.st.Store.AnnotateTake(t.ID, note, min(max(stars, 0), 5))
	case "restore":
		var old *shot.Shot
		if old, err = t.Shot(); err == nil {
			_, err = s.st.Store.Edit(rowOf(c).ID, fmt.Sprintf("restore take %d", t.Number), "", func(d *shot.Shot) error {
				again(d, old)
				return nil
			})
			if err == nil {
				err = s.st.Store.SetBase(rowOf(c).ID, t.ID) // the next take is made from it
			}
			s.st.Changed(rowOf(c).ID, c.GetHeader("X-Zarf-Page"))
		}
	case "adopt":
		err = s.st.Adopt(rowOf(c).ID, t)
		s.st.Changed(rowOf(c).ID, c.GetHeader("X-Zarf-Page"))
	case "verify":
		var damaged []int
		if damaged, err = s.st.Verify(t); err == nil && len(damaged) > 0 {
			err = fmt.Errorf("take %d: frames %s were damaged and are gone; Resume makes them anew", t.Number, run.Ranges(damaged))
		}
	case "advise":
		err = s.advise(c, t)
	case "mend":
		v := &takeView{Take: t}
		v.accounts(s.st.Cache.Stage(t.Key).Frames())
		err = s.mendTake(c, v)
	case "discard":
		err = s.st.Discard(t)
	default:
		err = fmt.Errorf("nothing is called %q", c.Param("verb"))
	}
	s.answer(c, err)
}

// again gives a shot the values of an older one; its looks and its name stay.
func again(d, old *shot.Shot) {
	looks, name, title := d.Looks, d.Name, d.Title
	*d = *old
	d.Looks, d.Name, d.Title = looks, name, title
}

// advise makes a branch of a take with one of the changes that its reading
// offers.
func (s *server) advise(c *gin.Context, t store.Take) error {
	doc, err := t.Shot()
	if err != nil {
		return err
	}
	d := doc.Element(t.Domain)
	if d == nil {
		return fmt.Errorf("take %d lacks its domain", t.Number)
	}
	r := scale.Of(doc, d, run.Stats(s.st.Cache.Stage(t.Key).Frames()))
	n, err := strconv.Atoi(c.PostForm("n"))
	if err != nil || n < 0 || n >= len(r.Mends) || r.Mends[n].Label != c.PostForm("label") {
		return errors.New("that change is not offered any more; look at the take again")
	}
	_, err = s.st.Store.Edit(rowOf(c).ID, fmt.Sprintf("branch from take %d: %s", t.Number, r.Mends[n].Label), "", func(now *shot.Shot) error {
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
		err = s.st.Store.SetBase(rowOf(c).ID, t.ID)
	}
	s.st.Changed(rowOf(c).ID, c.GetHeader("X-Zarf-Page"))
	return err
}

// onJob does something with a job of the shot.
func (s *server) onJob(do func(id int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		j, err := s.jobOf(c)
		if err == nil {
			err = do(j.ID)
		}
		s.answer(c, err)
	}
}

// jobOf finds the job that an address names, within the shot.
func (s *server) jobOf(c *gin.Context) (store.Job, error) {
	id, err := strconv.ParseInt(c.Param("job"), 10, 64)
	if err != nil {
		return store.Job{}, fmt.Errorf("job %q: %w", c.Param("job"), store.ErrNotFound)
	}
	j, err := s.st.Store.Job(id)
	if err == nil && j.ShotID != rowOf(c).ID {
		err = fmt.Errorf("job %d belongs to another shot: %w", id, store.ErrNotFound)
	}
	return j, err
}

func (s *server) renderRange(c *gin.Context) {
	t, err := s.takeOf(c, c.PostForm("take"))
	if err != nil {
		s.answer(c, err)
		return
	}
	from, to, err := span(c, t.First, t.Last)
	if err == nil {
		err = s.st.RenderRange(rowOf(c), t, c.PostForm("look"), from, to)
	}
	s.answer(c, err)
}

// renderedPath is the file of a rendered frame, or its small picture.
func (s *server) renderedPath(j store.Job, frame int, small bool) (string, error) {
	r := run.Render{Name: studio.JobName(j)}
	if small {
		p := filepath.Join(j.Dir, run.TinyDir, r.File(frame, "png"))
		_, err := os.Stat(p)
		return p, err
	}
	for _, ext := range []string{"png", "exr", "hdr"} {
		p := filepath.Join(j.Dir, r.File(frame, ext))
		if _, err := os.Stat(p); err == nil {
			return p, nil
		}
	}
	return "", os.ErrNotExist
}

// renderedFrames are the frames of a render job that are there.
func renderedFrames(j store.Job, from, to int) (out []int) {
	list, err := os.ReadDir(j.Dir)
	if err != nil {
		return nil
	}
	name := studio.JobName(j)
	for _, e := range list {
		rest, ok := strings.CutPrefix(e.Name(), name+".")
		if !ok {
			continue
		}
		number, _, _ := strings.Cut(rest, ".")
		if f, err := strconv.Atoi(number); err == nil && f >= from && f <= to && (len(out) == 0 || out[len(out)-1] != f) {
			out = append(out, f)
		}
	}
	slices.Sort(out)
	return out
}

func (s *server) rendered(c *gin.Context) {
	j, err := s.jobOf(c)
	frame, err2 := strconv.Atoi(c.Param("frame"))
	if err != nil || err2 != nil || j.Kind != studio.KindRender {
		c.String(http.StatusNotFound, "there is no such picture")
		return
	}
	p, err := s.renderedPath(j, frame, c.Query("small") != "")
	if err != nil {
		c.String(http.StatusNotFound, "this frame is not rendered yet")
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	if filepath.Ext(p) != ".png" {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", filepath.Base(p)))
		c.Header("Content-Type", "application/octet-stream")
	}
	c.File(p)
}

// renderAgain goes on with a range that ended early.
func (s *server) renderAgain(c *gin.Context) {
	j, err := s.jobOf(c)
	if err == nil {
		err = s.st.Again(j)
	}
	s.answer(c, err)
}

// handoverZip streams a finished handover as one file.
func (s *server) handoverZip(c *gin.Context) {
	j, err := s.jobOf(c)
	if err != nil || j.Kind != studio.KindHandover {
		s.fail(c, http.StatusNotFound, "There is no such handover.", "")
		return
	}
	m, err := handover.Read(j.Dir)
	if err != nil {
		s.fail(c, http.StatusConflict, "This handover is not finished.", "Wait for it, or make it again.")
		return
	}
	c.Header("Content-Type", "application/zip")
	c.Header("Content-Disposition", `attachment; filename="`+store.Slug(m.Name)+`.zip"`)
	z := zip.NewWriter(c.Writer)
	add := func(name string) error {
		// the manifest was written by Zarf, yet no path leaves the folder
		if !filepath.IsLocal(filepath.FromSlash(name)) {
			return fmt.Errorf("path %q", name)
		}
		r, err := os.Open(filepath.Join(j.Dir, filepath.FromSlash(name)))
		if err != nil {
			return err
		}
		defer r.Close()
		w, err := z.CreateHeader(&zip.FileHeader{Name: m.Name + "/" + name, Method: zip.Store})
		if err != nil {
			return err
		}
		_, err = io.Copy(w, r)
		return err
	}
	for _, f := range m.Files {
		if err := add(f.Path); err != nil {
			s.st.Log.Error("zip", "file", f.Path, "error", err)
			panic(http.ErrAbortHandler) // the browser sees a broken download, not a short one
		}
	}
	for _, name := range []string{handover.ChecklistName, handover.ManifestName} {
		if err := add(name); err != nil {
			panic(http.ErrAbortHandler)
		}
	}
	if err := z.Close(); err != nil {
		s.st.Log.Error("zip", "error", err)
	}
}
