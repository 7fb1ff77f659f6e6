package studio

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/store"
)

// Deleting for good. A shot goes with all that hangs on it; what nothing names any
// more is found by looking at everything that could name it. The database comes
// first and the files after: a program that is killed between the two leaves files
// that nothing names, and those are found the next time.

// Hanging is what belongs to a shot and goes with it.
type Hanging struct {
	Takes, Frames, Ranges, Handovers int
	Bytes                            int64    // of the disk that it gives back
	Shared                           int      // frames that other shots' takes share, and that stay
	Running                          []string // jobs that must end first
}

// HangsOn tells what would go with a shot.
func (s *Studio) HangsOn(row store.ShotRow) (h Hanging, err error) {
	takes, err := s.Store.Takes(row.ID)
	if err != nil {
		return h, err
	}
	h.Takes = len(takes)
	own, shared, err := s.ownKeys(row.ID)
	if err != nil {
		return h, err
	}
	for _, k := range own {
		st := s.Cache.Stage(k)
		h.Frames += len(st.Frames())
		h.Bytes += st.Bytes() + size(s.StillDir(k))
	}
	for _, k := range shared {
		h.Shared += len(s.Cache.Stage(k).Frames())
	}
	jobs, err := s.Store.AllJobs(row.ID)
	if err != nil {
		return h, err
	}
	dirs := map[string]bool{}
	for _, j := range jobs {
		if j.Active() {
			h.Running = append(h.Running, j.Kind)
		}
		if j.Dir == "" || dirs[j.Dir] {
			continue
		}
		dirs[j.Dir] = true
		h.Bytes += size(j.Dir)
		switch j.Kind {
		case KindRender:
			h.Ranges++
		case KindHandover:
			h.Handovers++
		}
	}
	return h, nil
}

// ownKeys are the keys of cached frames that a shot's takes alone have, and those
// that takes of other shots share. Frames under upres count with them.
func (s *Studio) ownKeys(shotID int64) (own, shared []string, err error) {
	uses, err := s.uses()
	if err != nil {
		return nil, nil, err
	}
	for key, shots := range uses {
		switch {
		case !shots[shotID]:
		case len(shots) == 1:
			own = append(own, key)
		default:
			shared = append(shared, key)
		}
	}
	slices.Sort(own)
	return own, shared, nil
}

// uses tells for every key of cached frames which shots' takes have it.
func (s *Studio) uses() (map[string]map[int64]bool, error) {
	rows, err := s.Store.Shots()
	if err != nil {
		return nil, err
	}
	uses := map[string]map[int64]bool{}
	add := func(key string, shotID int64) {
		if uses[key] == nil {
			uses[key] = map[int64]bool{}
		}
		uses[key][shotID] = true
	}
	// what a document's domains would be kept under, runs from the command line too
	keys := func(doc *shot.Shot, shotID int64) {
		for _, d := range doc.Of(shot.Domain) {
			add(stage.Key(doc, d), shotID)
			add(stage.CoarseKey(doc, d), shotID)
		}
	}
	for _, r := range rows {
		if doc, err := s.Store.Doc(r.ID); err == nil {
			keys(doc, r.ID)
		}
		takes, err := s.Store.Takes(r.ID)
		if err != nil {
			return nil, err
		}
		for _, t := range takes {
			add(t.Key, r.ID)
			// only upres has other frames under its own
			if doc, err := t.Shot(); err == nil {
				if d := doc.Element(t.Domain); d != nil && stage.RefinementOf(d) != nil {
					add(stage.CoarseKey(doc, d), r.ID)
				}
			}
		}
	}
	return uses, nil
}

// DeleteShot deletes a shot for good, with its takes, their frames, its pictures
// and its handovers. One with a job under way is refused.
func (s *Studio) DeleteShot(row store.ShotRow) error {
	h, err := s.HangsOn(row)
	if err != nil {
		return err
	}
	if len(h.Running) > 0 {
		return &Busy{fmt.Sprintf("%s has %d jobs under way or waiting; stop them first", row.Name, len(h.Running))}
	}
	own, _, err := s.ownKeys(row.ID)
	if err != nil {
		return err
	}
	jobs, err := s.Store.AllJobs(row.ID)
	if err != nil {
		return err
	}
	if err := s.Store.DeleteShot(row.ID); err != nil {
		return err
	}
	s.Log.Info("a shot is deleted", "shot", row.Name, "takes", h.Takes, "bytes", h.Bytes)
	var bad error
	for _, k := range own {
		bad = errors.Join(bad, s.Cache.Stage(k).Remove(), os.RemoveAll(s.StillDir(k)))
	}
	for _, j := range jobs {
		if s.within(j.Dir) {
			bad = errors.Join(bad, os.RemoveAll(j.Dir))
		}
	}
	if bad != nil {
		return fmt.Errorf("%s is deleted, but not all of its files could be: %w; Clean up finds them", row.Name, bad)
	}
	return nil
}

// within reports a folder that is one of our own folders of pictures or handovers.
func (s *Studio) within(dir string) bool {
	up := filepath.Dir(dir)
	return dir != "" && (up == filepath.Join(s.Dir, "renders") || up == filepath.Join(s.Dir, "handovers"))
}

// size is the disk that a folder takes, bytes.
func size(dir string) (n int64) {
	filepath.WalkDir(dir, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if info, err := d.Info(); err == nil {
				n += info.Size()
			}
		}
		return nil
	})
	return n
}

// Waste is something in the data folder that nothing names.
type Waste struct {
	Kind  string // frames, file, pictures, handover, stills
	Name  string // for people
	ID    string // of a request to delete it
	Bytes int64
	Since time.Time

	dir string
}

// young is how long something must have lain unnamed to be waste: what is brought
// in or made just now is named a moment later.
const young = time.Hour

// gone begins the name of a folder that is being deleted.
const gone = ".gone-"

var hexID = regexp.MustCompile(`[0-9a-f]{32}`)

// Unnamed lists what nothing names: no shot as it stands, as it can be undone to or
// as it was run, no job, none of the recipes, looks and presets. The largest first.
func (s *Studio) Unnamed() (out []Waste, err error) {
	named, err := s.named()
	if err != nil {
		return nil, err
	}
	jobs, err := s.Store.AllJobs(0)
	if err != nil {
		return nil, err
	}
	dirs := map[string]bool{}
	for _, j := range jobs {
		dirs[j.Dir] = true
	}
	add := func(kind, name, dir string) {
		info, err := os.Stat(dir)
		if err != nil || time.Since(info.ModTime()) < young {
			return
		}
		out = append(out, Waste{Kind: kind, Name: name, ID: kind + "/" + filepath.Base(dir), Bytes: size(dir), Since: info.ModTime(), dir: dir})
	}
	for _, k := range []struct{ kind, in string }{{"frames", s.Cache.Root}, {"stills", filepath.Join(s.Dir, "stills")}, {"file", s.Files.Root()}} {
		for _, id := range folders(k.in) {
			if hexID.FindString(id) != id || named[id] {
				continue
			}
			name := id[:8]
			if k.kind == "file" {
				name = cmp.Or(s.Files.Name(id), name)
			}
			add(k.kind, name, filepath.Join(k.in, id))
		}
	}
	for _, k := range []struct{ kind, in string }{{"pictures", "renders"}, {"handover", "handovers"}} {
		for _, name := range folders(filepath.Join(s.Dir, k.in)) {
			if strings.HasPrefix(name, gone) {
				continue
			}
			if dir := filepath.Join(s.Dir, k.in, name); !dirs[dir] {
				add(k.kind, name, dir)
			}
		}
	}
	slices.SortFunc(out, func(a, b Waste) int { return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), strings.Compare(a.ID, b.ID)) })
	return out, nil
}

func folders(in string) (out []string) {
	list, _ := os.ReadDir(in)
	for _, e := range list {
		if e.IsDir() {
			out = append(out, e.Name())
		}
	}
	return out
}

// named are all ids and keys that anything names.
func (s *Studio) named() (map[string]bool, error) {
	out := map[string]bool{}
	see := func(text []byte) {
		for _, id := range hexID.FindAll(text, -1) {
			out[string(id)] = true
		}
	}
	uses, err := s.uses()
	if err != nil {
		return nil, err
	}
	for k := range uses {
		out[k] = true
	}
	if err := s.Store.Texts(see); err != nil {
		return nil, err
	}
	// recipes, looks and presets of one's own
	for _, dir := range folders(s.Dir) {
		if slices.Contains([]string{"cache", "assets", "renders", "handovers", "stills", "queue", "copies"}, dir) {
			continue
		}
		err := filepath.WalkDir(filepath.Join(s.Dir, dir), func(p string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			b, err := os.ReadFile(p)
			see(b)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Clean deletes waste: all of it, or what the ids name. What was named meanwhile,
// or is being written to, stays.
func (s *Studio) Clean(ids ...string) (freed int64, err error) {
	// what a clean-up that was killed had begun to delete
	half, _ := filepath.Glob(filepath.Join(s.Dir, "*", gone+"*"))
	for _, dir := range half {
		err = errors.Join(err, os.RemoveAll(dir))
	}
	list, e := s.Unnamed()
	if e != nil {
		return 0, errors.Join(err, e)
	}
	for _, w := range list {
		if len(ids) > 0 && !slices.Contains(ids, w.ID) {
			continue
		}
		if w.Kind == "frames" {
			release, err := s.Cache.Stage(filepath.Base(w.dir)).Lock()
			if err != nil {
				continue // somebody makes them
			}
			defer release()
		}
		// under another name first, so that nothing half deleted is ever read
		away := filepath.Join(filepath.Dir(w.dir), gone+filepath.Base(w.dir))
		if e = os.Rename(w.dir, away); e != nil {
			err = errors.Join(err, e)
			continue
		}
		if e = os.RemoveAll(away); e != nil {
			err = errors.Join(err, e)
			continue
		}
		freed += w.Bytes
	}
	return freed, err
}
