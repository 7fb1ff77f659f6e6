package studio

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/handover"
	"zarf/studio/run"
	"zarf/studio/store"
)

// RenderRange queues pictures of a take's frames.
func (s *Studio) RenderRange(row store.ShotRow, t store.Take, lookID string, from, to int) error {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return err
	}
	lk := doc.Look(lookID)
	if lk == nil {
		return fmt.Errorf("the shot has no look %q", lookID)
	}
	dir, err := s.fresh("renders", fmt.Sprintf("%s-take%d", row.Slug, t.Number))
	if err != nil {
		return err
	}
	return s.submit(store.Job{Kind: KindRender, ShotID: row.ID, TakeID: t.ID, Total: to - from + 1},
		spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, Look: lk.ID, From: from, To: to, Dir: dir, Name: row.Slug})
}

// Record queues a rendering of frames for flipbooks: of a size of its own,
// OpenEXR with all layers, nothing behind, no ground; sides adds light from six
// sides. Solids are left "out", "held" out, or as they are.
func (s *Studio) Record(row store.ShotRow, t store.Take, lookID string, from, to, w, h int, sides bool, solids string) error {
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return err
	}
	lk := doc.Look(lookID)
	if lk == nil {
		return fmt.Errorf("the shot has no look %q", lookID)
	}
	for _, v := range []int{w, h} {
		if v < 8 || v > 4096 {
			return fmt.Errorf("tiles of %d × %d pixels can't be recorded; 8 to 4096 can", w, h)
		}
	}
	run.ForTiles(lk)
	for _, e := range doc.Elements {
		if e.Kind != shot.Collider && e.Kind != shot.Mesh {
			continue
		}
		switch solids {
		case "out":
			val.Rendered.Set(e, false)
		case "held":
			val.Holdout.Set(e, true)
		}
	}
	dir, err := s.fresh("renders", fmt.Sprintf("%s-take%d-tiles", row.Slug, t.Number))
	if err != nil {
		return err
	}
	return s.submit(store.Job{Kind: KindRender, ShotID: row.ID, TakeID: t.ID, Total: to - from + 1},
		spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, Look: lk.ID, From: from, To: to, Width: w, Height: h, Tiles: true, Sides: sides, Dir: dir, Name: row.Slug})
}

// Again goes on with a range of pictures or a handover that ended early: the
// files that are there stay, the others are made with the values that it was
// begun with.
func (s *Studio) Again(j store.Job) error {
	if j.Kind != KindRender && j.Kind != KindHandover || j.Active() {
		return errors.New("only a range of pictures or a handover that has ended can go on")
	}
	var sp spec
	if err := json.Unmarshal(j.Spec, &sp); err != nil {
		return fmt.Errorf("the order can't be read: %w", err)
	}
	if sp.Dir != j.Dir || sp.Dir == "" {
		return errors.New("its folder is not known any more; make it anew")
	}
	return s.submit(store.Job{Kind: j.Kind, ShotID: j.ShotID, TakeID: j.TakeID, Total: j.Total}, sp)
}

// handing makes the job of a handover of a take's frames, as the shot's values
// have it now; renders names the job whose pictures it is made of, 0 for none.
func (s *Studio) handing(row store.ShotRow, t store.Take, name string, from, to int, renders int64) (spec, *shot.Shot, error) {
	if err := shot.CheckName(name); err != nil {
		return spec{}, nil, err
	}
	if from > to {
		return spec{}, nil, fmt.Errorf("frames %d to %d are none; give the first one first", from, to)
	}
	doc, err := s.Store.Doc(row.ID)
	if err != nil {
		return spec{}, nil, err
	}
	sp := spec{Take: t.Doc, Now: doc.Encode(), Domain: t.Domain, From: from, To: to, Name: name}
	what := val.What.Of(doc.Handover)
	if renders == 0 {
		if what == "pictures" || what == "flipbook" {
			return sp, nil, errors.New("no pictures are chosen: record tiles here or render a range at Look, then choose it")
		}
		return sp, doc, nil
	}
	j, err := s.Store.Job(renders)
	if err != nil || j.Kind != KindRender || j.ShotID != row.ID {
		return sp, nil, fmt.Errorf("there is no such rendered range in this shot")
	}
	if what != "pictures" && what != "flipbook" {
		return sp, doc, nil
	}
	var of spec
	if err := json.Unmarshal(j.Spec, &of); err != nil {
		return sp, nil, fmt.Errorf("the rendered range's order can't be read: %w", err)
	}
	sp.Renders, sp.Look, sp.Take, sp.Domain, sp.Now = j.Dir, of.Look, of.Take, of.Domain, of.Now
	now, _, err := shot.Decode(of.Now) // camera and look as they were recorded
	if err != nil {
		return sp, nil, err
	}
	now.Handover = doc.Handover
	sp.Now = now.Encode()
	return sp, now, nil
}

// HandOver queues a handover; see handing.
func (s *Studio) HandOver(row store.ShotRow, t store.Take, name string, from, to int, renders int64) error {
	sp, doc, err := s.handing(row, t, name, from, to, renders)
	if err != nil {
		return err
	}
	if sp.Dir, err = s.fresh("handovers", fmt.Sprintf("%s-take%d", row.Slug, t.Number)); err != nil {
		return err
	}
	step := max(1, int(val.Step.Of(doc.Handover)))
	return s.submit(store.Job{Kind: KindHandover, ShotID: row.ID, TakeID: t.ID, Total: (to-from)/step + 1}, sp)
}

// HandoverSize is the disk that a handover will take, and how that is known.
func (s *Studio) HandoverSize(row store.ShotRow, t store.Take, from, to int, renders int64) (int64, string, error) {
	sp, now, err := s.handing(row, t, "x", from, to, renders)
	if err != nil {
		return 0, "", err
	}
	take, _, err := shot.Decode(sp.Take)
	if err != nil {
		return 0, "", err
	}
	take.Attach(s.Store.Files)
	now.Attach(s.Store.Files)
	j := handover.Job{Take: take, Now: now, Domain: sp.Domain, Settings: now.Handover, From: from, To: to, Renders: sp.Renders, Look: sp.Look}
	return j.Estimate(s.Cache)
}

// fresh makes a new folder under the data folder.
func (s *Studio) fresh(kind, name string) (string, error) {
	for n := 1; n < 100000; n++ {
		dir := filepath.Join(s.Dir, kind, fmt.Sprintf("%s-%03d", name, n))
		if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
			return "", err
		}
		err := os.Mkdir(dir, 0o755)
		if err == nil {
			return dir, nil
		}
		if !errors.Is(err, os.ErrExist) {
			return "", err
		}
	}
	return "", fmt.Errorf("no free folder for %s", name)
}
