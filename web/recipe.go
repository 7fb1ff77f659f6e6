package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/check"
	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
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
	r, err := s.st.Recipe(c.PostForm("recipe"))
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
		if text := c.PostForm("size"); strings.TrimSpace(text) != "" {
			if size, err = recipeSize(r, text); err != nil {
				return err
			}
		}
		fresh := len(d.Of(shot.Emitter)) == 0
		if fresh { // a domain that nothing flows in gives way to the recipe's own
			for _, e := range d.Of(shot.Domain) {
				d.Remove(e.ID)
			}
		}
		out := r.Put(d, at, size, min(max(start, float64(first)), float64(last)))
		if fresh {
			recipe.Frame(d)
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
		e.DropKeys(shot.Find(e.Kind, m.Key))
		return e.Put(m.Key, m.Value)
	})
	return err
}

// recipeList is the inside of the dialog that recipes are picked from.
func (s *server) recipeList(c *gin.Context) {
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	data := map[string]any{"Row": rowOf(c), "Recipes": s.st.Recipes(), "On": "", "OnName": "", "OnSize": ""}
	if e := doc.Element(c.Query("el")); e != nil {
		_, size := recipe.All[0].On(doc, e)
		length := val.Units.Of(doc)
		data["On"], data["OnName"] = e.ID, e.Name
		if e.Placed() || e.Kind == shot.Domain {
			data["OnSize"] = shot.Metre.Format(shot.Tidy(size), length) + " " + length
		}
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.exec(c, "partials", "recipelist", data)
}

// saveRecipe keeps the shot's cast as a recipe of one's own.
func (s *server) saveRecipe(c *gin.Context) {
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		s.fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	on := doc.Element(c.PostForm("on"))
	if on == nil {
		if list := doc.Of(shot.Emitter); len(list) > 0 {
			on = list[0]
		}
	}
	r, err := recipe.FromShot(doc, on, c.PostForm("name"), c.PostForm("about"))
	if err == nil {
		var pic []byte
		if t, terr := s.takeOf(c, ""); terr == nil {
			if _, frames := s.st.State(doc, t); len(frames) > 0 {
				mid := t.First + (t.Last-t.First)*2/3
				for mid > t.First {
					if _, ok := frames[mid]; ok {
						break
					}
					mid--
				}
				if td, err := t.Shot(); err == nil {
					pic, _ = s.makeStill(t, td, td.Looks[0], mid, 256)
				} // without a picture the recipe is as good
			}
		}
		err = s.st.SaveRecipe(r, pic)
	}
	if err != nil {
		s.fail(c, http.StatusUnprocessableEntity, "The recipe was not kept: "+err.Error()+".", "")
		return
	}
	c.Request.URL.RawQuery = "el=" + url.QueryEscape(c.PostForm("on"))
	s.recipeList(c)
}

// dropRecipe deletes one of one's own.
func (s *server) dropRecipe(c *gin.Context) {
	if err := s.st.DropRecipe(c.PostForm("recipe")); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err.Error()+".", "")
		return
	}
	s.recipeList(c)
}

// recipePicture is that of a recipe of one's own.
func (s *server) recipePicture(c *gin.Context) {
	b, err := s.st.RecipePicture(strings.TrimSuffix(c.Param("file"), ".png"))
	if err != nil {
		c.String(http.StatusNotFound, "this recipe has no picture")
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "image/png", b)
}
