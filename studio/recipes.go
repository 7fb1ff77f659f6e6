package studio

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"zarf/core/recipe"
	"zarf/studio/cache"
	"zarf/studio/store"
)

// Own is what the keys of recipes of one's own begin with.
const Own = "own-"

// maxOwn is the number of recipes of one's own.
const maxOwn = 200

var ownKey = regexp.MustCompile(`^own-[a-z0-9-]{1,90}$`)

func (s *Studio) recipeFile(key, ext string) (string, error) {
	if !ownKey.MatchString(key) {
		return "", fmt.Errorf("there is no recipe %q of your own", key)
	}
	return filepath.Join(s.Dir, "recipes", key+ext), nil
}

// Recipes are all that can be picked: those of the program, then one's own by
// name. A file that can't be read is left out and told to the log.
func (s *Studio) Recipes() []recipe.Recipe {
	list := slices.Clone(recipe.All)
	files, _ := filepath.Glob(filepath.Join(s.Dir, "recipes", Own+"*.json"))
	slices.Sort(files)
	for _, f := range files[:min(len(files), maxOwn)] {
		b, err := os.ReadFile(f)
		if err == nil {
			var r *recipe.Recipe
			if r, err = recipe.DecodeOwn(b); err == nil {
				r.Key = strings.TrimSuffix(filepath.Base(f), ".json")
				list = append(list, *r)
				continue
			}
		}
		s.Log.Warn("a recipe can't be read", "file", f, "cause", err)
	}
	return list
}

// Recipe finds one by key.
func (s *Studio) Recipe(key string) (*recipe.Recipe, error) {
	list := s.Recipes()
	for i := range list {
		if list[i].Key == key {
			return &list[i], nil
		}
	}
	return nil, fmt.Errorf("there is no recipe %q", key)
}

// SaveRecipe keeps a recipe of one's own, with a picture where there is one; a
// name that is taken is refused.
func (s *Studio) SaveRecipe(r *recipe.Recipe, picture []byte) error {
	list := s.Recipes()
	if len(list)-len(recipe.All) >= maxOwn {
		return fmt.Errorf("there are %d recipes of your own; delete one first", maxOwn)
	}
	if slices.ContainsFunc(list, func(o recipe.Recipe) bool { return strings.EqualFold(o.Name, r.Name) }) {
		return fmt.Errorf("a recipe is called %q already; give another name", r.Name)
	}
	b, err := r.Encode()
	if err != nil {
		return err
	}
	slug := store.Slug(r.Name)
	path, err := s.recipeFile(Own+slug[:min(len(slug), 80)], ".json")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	put := func(path string, b []byte) error {
		_, _, err := cache.WriteFile(path, func(w io.Writer) error { _, err := w.Write(b); return err })
		return err
	}
	if picture != nil {
		if err := put(strings.TrimSuffix(path, ".json")+".png", picture); err != nil {
			return err
		}
	}
	return put(path, b)
}

// DropRecipe deletes one of one's own; what was made from it stays.
func (s *Studio) DropRecipe(key string) error {
	path, err := s.recipeFile(key, ".json")
	if err != nil {
		return err
	}
	os.Remove(strings.TrimSuffix(path, ".json") + ".png")
	return os.Remove(path)
}

// RecipePicture is that of a recipe of one's own.
func (s *Studio) RecipePicture(key string) ([]byte, error) {
	path, err := s.recipeFile(key, ".png")
	if err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}
