package studio

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/store"
)

// Kept is a ramp or curve of the library.
type Kept struct {
	Name string    `json:"name"`
	Type shot.Type `json:"type"`
	Text string    `json:"text"`
}

// Limits of the library.
const (
	maxKept  = 500
	maxLooks = 500
)

func (s *Studio) keptFile() string { return filepath.Join(s.Dir, "looks", "stops.json") }

// KeptStops are the ramps or curves of the library by name.
func (s *Studio) KeptStops(t shot.Type) ([]Kept, error) {
	all, err := s.allKept()
	return slices.DeleteFunc(all, func(k Kept) bool { return k.Type != t }), err
}

func (s *Studio) allKept() ([]Kept, error) {
	b, err := os.ReadFile(s.keptFile())
	if errors.Is(err, fs.ErrNotExist) {
		return []Kept{}, nil
	}
	if err != nil {
		return nil, err
	}
	out := []Kept{}
	if err := json.Unmarshal(b, &out); err != nil {
		return nil, fmt.Errorf("the library of ramps, %s, can't be read: %w", s.keptFile(), err)
	}
	return out, nil
}

// KeepStops keeps a ramp or curve under a name; empty text forgets it.
func (s *Studio) KeepStops(k Kept) error {
	if err := shot.CheckName(k.Name); err != nil {
		return err
	}
	if k.Type != shot.Ramp && k.Type != shot.Curve {
		return fmt.Errorf("a %s can't be kept here", k.Type)
	}
	s.library.Lock()
	defer s.library.Unlock()
	all, err := s.allKept()
	if err != nil {
		return err
	}
	n := len(all)
	all = slices.DeleteFunc(all, func(o Kept) bool { return o.Type == k.Type && o.Name == k.Name })
	if k.Text == "" {
		if len(all) == n {
			return fmt.Errorf("no %s is kept as %q", k.Type, k.Name)
		}
	} else {
		e := shot.Entry{Label: k.Name, Type: k.Type, Max: 100}
		if err := e.Check(shot.Text(k.Text)); err != nil {
			return err
		}
		if len(all) >= maxKept {
			return fmt.Errorf("%d are kept; forget one first", maxKept)
		}
		all = append(all, k)
		slices.SortFunc(all, func(a, b Kept) int { return strings.Compare(a.Name, b.Name) })
	}
	b, err := json.MarshalIndent(all, "", " ")
	if err != nil {
		return err
	}
	return put(s.keptFile(), b)
}

func put(path string, b []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	_, _, err := cache.WriteFile(path, func(w io.Writer) error { _, err := w.Write(b); return err })
	return err
}

// SaveLook keeps a look in the library: as a shot file that holds it alone. One
// of the same name is replaced where replace says so, else refused.
func (s *Studio) SaveLook(l *shot.Element, replace bool) error {
	if err := shot.CheckName(l.Name); err != nil {
		return err
	}
	path := s.lookFile(l.Name)
	if _, err := os.Stat(path); err == nil && !replace {
		return fmt.Errorf("the library has a look %q already; rename this one, or delete that", l.Name)
	}
	if list, err := s.LookNames(); err != nil || len(list) >= maxLooks {
		return errors.Join(err, fmt.Errorf("the library has %d looks; delete one first", maxLooks))
	}
	d := shot.New("look")
	copy := l.Copy(l.Name)
	copy.ID = "look"
	d.Looks = []*shot.Element{copy}
	d.Elements = nil
	return put(path, d.Encode())
}

func (s *Studio) lookFile(name string) string {
	slug := store.Slug(name)
	return filepath.Join(s.Dir, "looks", "look-"+slug[:min(len(slug), 80)]+".json")
}

// LookNames are the looks of the library.
func (s *Studio) LookNames() ([]string, error) {
	files, err := filepath.Glob(filepath.Join(s.Dir, "looks", "look-*.json"))
	if err != nil {
		return nil, err
	}
	var out []string
	for _, f := range files {
		if l, err := readLook(f); err == nil {
			out = append(out, l.Name)
		} else {
			s.Log.Warn("a look can't be read", "file", f, "cause", err)
		}
	}
	slices.Sort(out)
	return out, nil
}

func readLook(path string) (*shot.Element, error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	d, _, err := shot.Decode(b)
	if err != nil {
		return nil, err
	}
	return d.Looks[0], nil
}

// LibraryLook is a look of the library.
func (s *Studio) LibraryLook(name string) (*shot.Element, error) {
	l, err := readLook(s.lookFile(name))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("the library has no look %q", name)
	}
	return l, err
}

// DropLook deletes a look of the library; what was made from it stays.
func (s *Studio) DropLook(name string) error {
	if err := os.Remove(s.lookFile(name)); errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("the library has no look %q", name)
	} else if err != nil {
		return err
	}
	return nil
}
