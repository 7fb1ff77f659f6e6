package web

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/geom"
	"zarf/core/recipe"
	"zarf/core/shot"
)

// recipeSize reads the size of the thing that a recipe is put on.
func recipeSize(r *recipe.Recipe, text string) (float64, error) {
	if strings.TrimSpace(text) == "" {
		return r.Size, nil
	}
	v, err := shot.Metre.Parse(text, "m")
	if err != nil {
		return 0, err
	}
	if !(v >= 1e-3 && v <= 1e4) {
		return 0, fmt.Errorf("a size of %s m is out of range; give 0.001 to 10000 m", shot.Short(v))
	}
	return v, nil
}

// addRecipe puts a recipe on the chosen element, or on the ground.
func (s *server) addRecipe(c *gin.Context) {
	r, err := recipe.Find(c.PostForm("recipe"))
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	start, _ := strconv.ParseFloat(c.PostForm("frame"), 64)
	id := ""
	carry(c)
	err = s.change(c, "recipe "+r.Name, "", func(d *shot.Shot) error {
		if len(d.Elements)+len(r.Parts) > shot.MaxElements {
			return fmt.Errorf("the shot has %d elements; %d are allowed", len(d.Elements), shot.MaxElements)
		}
		on := d.Element(c.PostForm("on"))
		if c.PostForm("on") != "" && on == nil {
			return fmt.Errorf("there is no element %q; it may have been deleted in another window", c.PostForm("on"))
		}
		first, last := d.Range()
		at, size := r.On(d, on)
		fresh := len(d.Of(shot.Emitter)) == 0
		if fresh { // a domain that nothing flows in gives way to the recipe's own
			for _, e := range d.Of(shot.Domain) {
				d.Remove(e.ID)
			}
		}
		out := r.Put(d, at, size, min(max(start, float64(first)), float64(last)))
		if fresh {
			frameCamera(d)
		}
		for _, e := range out {
			if e.Kind == shot.Emitter && id == "" {
				id = e.ID
			}
		}
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

// frameCamera sets the shot's camera so that the first domain fills the
// picture.
func frameCamera(d *shot.Shot) {
	doms, cams := d.Of(shot.Domain), d.Of(shot.Camera)
	if len(doms) == 0 || len(cams) == 0 {
		return
	}
	b := doms[0].DomainBox()
	mid, size := b.Centre(), b.Size()
	away := size.Len() * 1.15
	round := func(v float64) float64 { return math.Round(v*1000) / 1000 }
	eye := mid.Add(geom.V(0.35, 0.12, 0.93).Mul(away))
	eye.Y = max(eye.Y, b.Min.Y+size.Y*0.1)
	cams[0].Values["position"] = shot.Vec(round(eye.X), round(eye.Y), round(eye.Z))
	cams[0].Values["target"] = shot.Vec(round(mid.X), round(mid.Y-size.Y*0.06), round(mid.Z))
}

// mendTake applies the mend of a finding about a take's run to the shot.
func (s *server) mendTake(c *gin.Context, v *takeView) error {
	var m *check.Mend
	for _, f := range v.After {
		if f.Mend != nil && f.ID == c.PostForm("check") && f.Mend.Label == c.PostForm("label") {
			m = f.Mend
		}
	}
	if m == nil {
		return fmt.Errorf("that finding is gone; the page was out of date")
	}
	err := s.change(c, "mend: "+m.Label, "", func(d *shot.Shot) error {
		e := d.Element(m.Element)
		if e == nil {
			return fmt.Errorf("the domain that the take ran in is gone from the shot")
		}
		entry := shot.Find(e.Kind, m.Key)
		if err := entry.Check(m.Value); err != nil {
			return err
		}
		e.Values[m.Key] = m.Value
		return nil
	})
	return err
}
