package library

import (
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
	"zarf/studio/assets"
	"zarf/studio/store"
	"zarf/web/desk"
)

// shotCard is a shot on the library's page.
type shotCard struct {
	store.ShotRow
	Takes  int
	Frames string
	Thumb  string
	State  string
}

// perPage is how many shots a page of the library shows.
const perPage = 24

// turn is a page of several.
type turn struct {
	Number int
	Link   string
	Here   bool
}

func (s *room) shotsPage(c *gin.Context) {
	text := strings.TrimSpace(c.Query("find"))
	if len(text) > shot.MaxName {
		text = text[:shot.MaxName]
	}
	page := 1
	if n, err := strconv.Atoi(c.Query("page")); err == nil {
		page = min(max(n, 1), 1e6)
	}
	rows, all, err := s.Studio.Store.ShotsPage(text, (page-1)*perPage, perPage)
	if err == nil && len(rows) == 0 && all > 0 {
		// behind the last: what it held is deleted, or was never there
		page = (all + perPage - 1) / perPage
		rows, all, err = s.Studio.Store.ShotsPage(text, (page-1)*perPage, perPage)
	}
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The library can't be read: "+err.Error(), "Look at the data folder.")
		return
	}
	var turns []turn
	for n := 1; all > perPage && n <= (all+perPage-1)/perPage; n++ {
		turns = append(turns, turn{n, "/?" + url.Values{"find": {text}, "page": {strconv.Itoa(n)}}.Encode(), n == page})
	}
	var cards []shotCard
	for _, r := range rows {
		card := shotCard{ShotRow: r}
		if doc, err := s.Studio.Store.Doc(r.ID); err == nil {
			a, b := doc.Range()
			card.Frames = fmt.Sprintf("frames %d–%d at %s fps", a, b, shot.Short(math.Round(doc.Rate()*1000)/1000))
			newest, count, err := s.Studio.Store.NewestTake(r.ID)
			if card.Takes = count; err == nil && count > 0 {
				st, frames := s.Studio.Brief(doc, newest)
				card.State = string(st)
				if f, ok := middle(frames, newest); ok {
					card.Thumb = fmt.Sprintf("/shots/%s/thumb?take=%d&frame=%d&key=%s", r.Slug, newest.Number, f, newest.Key[:8])
				}
			}
		}
		cards = append(cards, card)
	}
	s.Page(c, http.StatusOK, "shots", map[string]any{"Title": "Shots", "Cards": cards, "Dir": s.Studio.Dir, "Find": text, "All": all, "Turns": turns})
}

// middle picks a frame to stand for a take: two thirds in, or the last there is.
func middle(frames []int, t store.Take) (int, bool) {
	want := t.First + (t.Last-t.First)*2/3
	best, found := 0, false
	for _, f := range frames {
		if !found || abs(f-want) < abs(best-want) || (abs(f-want) == abs(best-want) && f < best) {
			best, found = f, true
		}
	}
	return best, found
}

func abs(a int) int {
	if a < 0 {
		return -a
	}
	return a
}

func (s *room) exportShot(c *gin.Context) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	if files, weights, clips := assets.Needs(doc); len(files)+len(weights)+len(clips) > 0 {
		b, err := s.Studio.Files.Bundle(doc)
		if err != nil {
			s.Fail(c, http.StatusConflict, "The shot can't be exported whole: "+err.Error()+".", "The checks at Stage name the element; bring its file in again.")
			return
		}
		c.Header("Content-Disposition", `attachment; filename="`+desk.Row(c).Slug+`.zip"`)
		c.Header("Content-Type", "application/zip")
		c.Status(http.StatusOK)
		if err := b.Write(c.Writer); err != nil {
			// the answer has begun: only breaking it off tells that it isn't whole
			s.Studio.Log.Error("an export broke off", "shot", desk.Row(c).Name, "error", err)
			panic(http.ErrAbortHandler)
		}
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+desk.Row(c).Slug+`.json"`)
	c.Data(http.StatusOK, "application/json", doc.Encode())
}

func (s *room) newShot(c *gin.Context) {
	name := c.PostForm("name")
	if err := shot.CheckName(name); err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The shot was not made: "+err.Error()+".", "Change the name and try again.")
		return
	}
	doc := shot.New(name)
	doc.Title = c.PostForm("title")
	if key := c.PostForm("recipe"); key != "" {
		r, err := s.Studio.Recipe(key)
		size := 0.0
		if err == nil {
			size, err = desk.RecipeSize(r, c.PostForm("size"))
		}
		if err != nil {
			s.Fail(c, http.StatusUnprocessableEntity, "The shot was not made: "+err.Error()+".", "Choose another and try again.")
			return
		}
		title := doc.Title
		doc = r.Shot(name, size)
		doc.Title = title
	} else {
		d := doc.Add(shot.Domain)
		d.Name = "Air"
	}
	s.created(c, doc, "new shot")
}

// noteUnknown writes into a shot's note what of its file this version doesn't know.
func noteUnknown(doc *shot.Shot, unknown []string) {
	const told = 20
	if len(unknown) == 0 {
		return
	}
	more := ""
	if n := len(unknown) - told; n > 0 {
		more = fmt.Sprintf(" and %d more", n)
	}
	doc.Note += "\nKept from the file, but not known to this version: " + strings.Join(unknown[:min(len(unknown), told)], ", ") + more
}

func (s *room) created(c *gin.Context, doc *shot.Shot, label string) {
	if err := shot.TooLarge(doc.Encode()); err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The shot was not made: "+err.Error()+".", "")
		return
	}
	row, err := s.Studio.Store.CreateShot(doc, label)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot could not be stored: "+err.Error(), "")
		return
	}
	desk.LeadTo(c, "/shots/"+row.Slug+"/stage")
}

func (s *room) importShot(c *gin.Context) {
	form, done, err := s.Received(c)
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, desk.Sentence(err.Error())+".", "No shot was made.")
		return
	}
	defer done()
	if len(form.File["file"]) == 0 {
		s.Fail(c, http.StatusUnprocessableEntity, "No file came with the form.", "Choose a shot file (.json) first.")
		return
	}
	f := form.File["file"][0]
	r, err := f.Open()
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The file can't be read.", "")
		return
	}
	defer r.Close()
	if strings.EqualFold(filepath.Ext(f.Filename), ".zip") {
		doc, unknown, err := s.Studio.Files.ReadBundle(r, f.Size)
		if err != nil {
			s.Fail(c, http.StatusUnprocessableEntity, desk.Sentence(err.Error())+".", "No shot was made; export it again where it came from.")
			return
		}
		noteUnknown(doc, unknown)
		s.created(c, doc, "import")
		return
	}
	b, err := io.ReadAll(io.LimitReader(r, shot.MaxFile+1))
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The file can't be read.", "")
		return
	}
	doc, unknown, err := shot.Decode(b)
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, err.Error()+".", "Nothing was changed; mend the file and import it again.")
		return
	}
	noteUnknown(doc, unknown)
	s.created(c, doc, "import")
}

func (s *room) renameShot(c *gin.Context) {
	name, title := c.PostForm("name"), c.PostForm("title")
	_, err := s.Studio.Store.Edit(desk.Row(c).ID, "rename", "", func(d *shot.Shot) error {
		if err := shot.CheckName(name); err != nil {
			return err
		}
		if len(title) > 200 {
			return fmt.Errorf("the title has %d bytes; 200 are allowed", len(title))
		}
		d.Name, d.Title = name, title
		return nil
	})
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Not renamed: "+err.Error()+".", "")
		return
	}
	desk.LeadTo(c, "/")
}

func (s *room) duplicateShot(c *gin.Context) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	if doc.Name += " copy"; len(doc.Name) > shot.MaxName {
		doc.Name = doc.Name[:shot.MaxName]
	}
	if _, err := s.Studio.Store.CreateShot(doc, "duplicate"); err != nil {
		s.Fail(c, http.StatusInternalServerError, "The copy could not be stored.", "")
		return
	}
	desk.LeadTo(c, "/")
}

func (s *room) archiveShot(c *gin.Context) {
	if err := s.Studio.Store.Archive(desk.Row(c).ID, c.PostForm("on") == "1"); err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot could not be archived.", "")
		return
	}
	desk.LeadTo(c, "/")
}
