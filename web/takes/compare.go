package takes

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
	"zarf/studio/store"
	"zarf/web/desk"
)

// maxCompared is how many takes stand beside each other; a sheet of a sweep
// holds more.
const (
	maxCompared = 4
	maxSheet    = 64
)

// compared is the table of values that differ between takes.
type compared struct {
	Takes []store.Take
	Rows  []comparedRow
	Slug  string
	Note  string // what differs besides: rates
	facts []takeFacts
}

// takeFacts is what the page needs to know of a take that it shows.
type takeFacts struct {
	Number int     `json:"number"`
	Rate   float64 `json:"rate"`
	First  int     `json:"first"`
	Frames []int   `json:"frames"`
	Note   string  `json:"note,omitempty"`
	Swept  bool    `json:"swept"`
}

type comparedRow struct {
	Where, Label string
	Is           []string
}

// numbers reads "3,5" as take numbers.
func numbers(text string, most int) (out []int, err error) {
	for _, w := range strings.Split(text, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(w))
		if err != nil {
			return nil, fmt.Errorf("%q is no take number", w)
		}
		out = append(out, n)
	}
	if len(out) > most {
		return nil, fmt.Errorf("%d takes were asked for; %d can be shown together", len(out), most)
	}
	return out, nil
}

func (s *room) compareTable(c *gin.Context) {
	list, err := numbers(c.Query("takes"), maxSheet)
	var t *compared
	if err == nil {
		t, err = s.differences(desk.Row(c), list)
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "They can't be compared: "+err.Error()+".", "")
		return
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.Exec(c, "partials", "compared", t)
}

// differences lists the values in which takes differ, a column each.
func (s *room) differences(row store.ShotRow, list []int) (*compared, error) {
	out := &compared{Slug: row.Slug}
	var docs []*shot.Shot
	rates := map[float64]bool{}
	for _, n := range list {
		t, err := s.Studio.Store.Take(row.ID, n)
		if err != nil {
			return nil, err
		}
		d, err := t.Shot()
		if err != nil {
			return nil, err
		}
		out.Takes, docs = append(out.Takes, t), append(docs, d)
		rates[d.Rate()] = true
		first, _ := d.Range()
		f := takeFacts{Number: t.Number, Rate: d.Rate(), First: first, Frames: []int{}, Note: t.Note, Swept: t.Sweep != ""}
		for n := range s.Studio.Cache.Stage(t.Key).Frames() {
			f.Frames = append(f.Frames, n)
		}
		out.facts = append(out.facts, f)
	}
	if len(rates) > 1 {
		out.Note = "Their frame rates differ: frames are matched by seconds."
	}
	at := map[[2]string]int{}
	for i := 1; i < len(docs); i++ {
		for _, ch := range shot.Diff(docs[0], docs[i]) {
			k := [2]string{ch.Where, ch.Label}
			n, seen := at[k]
			if !seen {
				n = len(out.Rows)
				at[k] = n
				r := comparedRow{Where: ch.Where, Label: ch.Label, Is: make([]string, len(docs))}
				for j := range r.Is {
					r.Is[j] = ch.Was
				}
				out.Rows = append(out.Rows, r)
			}
			out.Rows[n].Is[i] = ch.Is
		}
	}
	return out, nil
}
