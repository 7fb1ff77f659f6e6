package stage

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/web/desk"
)

// addRecipe puts a recipe on the chosen element, or on the ground.
func (s *room) addRecipe(c *gin.Context) {
	r, err := s.Studio.Recipe(c.PostForm("recipe"))
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	start, _ := strconv.ParseFloat(c.PostForm("frame"), 64)
	id := ""
	desk.Carry(c)
	err = s.Change(c, "recipe "+r.Name, "", func(d *shot.Shot) error {
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
			if size, err = desk.RecipeSize(r, text); err != nil {
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
		s.Fail(c, http.StatusUnprocessableEntity, "Nothing was added: "+err.Error()+".", "")
		return
	}
	desk.Carry(c, "el", id)
	c.Header("HX-Replace-Url", "/shots/"+desk.Row(c).Slug+"/"+desk.At(c)+"?el="+url.QueryEscape(id))
	s.Refresh(c, desk.At(c))
}

// recipeList is the inside of the dialog that recipes are picked from.
func (s *room) recipeList(c *gin.Context) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
		return
	}
	data := map[string]any{"Row": desk.Row(c), "Recipes": s.Studio.Recipes(), "On": "", "OnName": "", "OnSize": ""}
	if e := doc.Element(c.Query("el")); e != nil {
		_, size := recipe.All[0].On(doc, e)
		length := val.Units.Of(doc)
		data["On"], data["OnName"] = e.ID, e.Name
		if e.Placed() || e.Kind == shot.Domain {
			data["OnSize"] = shot.Metre.Format(shot.Tidy(size), length) + " " + length
		}
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	s.Exec(c, "partials", "recipelist", data)
}

// saveRecipe keeps the shot's cast as a recipe of one's own.
func (s *room) saveRecipe(c *gin.Context) {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot can't be read.", "")
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
		err = s.Studio.SaveRecipe(r, s.castPicture(c, doc))
	}
	if err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, "The recipe was not kept: "+err.Error()+".", "")
		return
	}
	c.Request.URL.RawQuery = "el=" + url.QueryEscape(c.PostForm("on"))
	s.recipeList(c)
}

// castPicture is one of the newest take, two thirds into it; nil where there is
// none: a recipe is as good without.
func (s *room) castPicture(c *gin.Context, doc *shot.Shot) []byte {
	t, err := s.TakeOf(c, "")
	if err != nil {
		return nil
	}
	_, frames := s.Studio.State(doc, t)
	made, err := t.Shot()
	if len(frames) == 0 || err != nil {
		return nil
	}
	mid := t.First + (t.Last-t.First)*2/3
	for mid > t.First {
		if _, ok := frames[mid]; ok {
			break
		}
		mid--
	}
	pic, err := s.Still(t, made, made.Looks[0], mid, 256)
	if err != nil {
		return nil
	}
	return pic
}

// dropRecipe deletes one of one's own.
func (s *room) dropRecipe(c *gin.Context) {
	if err := s.Studio.DropRecipe(c.PostForm("recipe")); err != nil {
		s.Fail(c, http.StatusUnprocessableEntity, err.Error()+".", "")
		return
	}
	s.recipeList(c)
}

// recipePicture is that of a recipe of one's own.
func (s *room) recipePicture(c *gin.Context) {
	b, err := s.Studio.RecipePicture(strings.TrimSuffix(c.Param("file"), ".png"))
	if err != nil {
		c.String(http.StatusNotFound, "this recipe has no picture")
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "image/png", b)
}
