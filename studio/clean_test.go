package studio

import (
	"bytes"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/store"
)

// A shot is deleted with all that hangs on it and nothing else: what other shots
// share stays, and a job under way keeps it from going.
func TestAShotIsDeletedForGood(t *testing.T) {
	s := working(t)
	row, twin, other := s.add(t, small("GONE")), s.add(t, small("TWIN")), s.add(t, small("STAYS"))
	_, err := s.Store.Edit(other.ID, "x", "", func(d *shot.Shot) error { return d.Of(shot.Emitter)[0].Put(val.Smoke.Name(), shot.Num(0.7)) })
	if err != nil {
		t.Fatal(err)
	}
	var takes []store.Take
	for _, r := range []store.ShotRow{row, twin, other} {
		take, err := s.Run(r, "", 0, 0)
		if err != nil {
			t.Fatal(err)
		}
		if r.ID == row.ID {
			if err := s.DeleteShot(row); err == nil || !strings.Contains(err.Error(), "stop them first") {
				t.Errorf("a shot that runs: %v", err)
			}
		}
		s.ends(t, r.ID, 5*time.Minute)
		takes = append(takes, take)
	}
	if takes[0].Key != takes[1].Key || takes[0].Key == takes[2].Key {
		t.Fatal("the twins should share their frames, and nobody else")
	}
	// one more take of its own, with pictures and a handover
	if _, err := s.Store.Edit(row.ID, "x", "", func(d *shot.Shot) error { return d.Of(shot.Emitter)[0].Put(val.Smoke.Name(), shot.Num(0.3)) }); err != nil {
		t.Fatal(err)
	}
	own, err := s.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	s.ends(t, row.ID, 5*time.Minute)
	if err := s.RenderRange(row, own, "", 1, 2); err != nil {
		t.Fatal(err)
	}
	dir := s.ends(t, row.ID, 5*time.Minute).Dir
	h, err := s.HangsOn(row)
	if err != nil || h.Takes != 2 || h.Frames != 5 || h.Shared != 5 || h.Ranges != 1 || h.Bytes < 1000 || len(h.Running) != 0 {
		t.Errorf("%+v %v", h, err)
	}
	if err := s.DeleteShot(row); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Store.ShotByID(row.ID); err == nil {
		t.Error("it is still there")
	}
	if _, err := os.Stat(dir); err == nil {
		t.Error("its pictures are still there")
	}
	if n := len(s.Cache.Stage(own.Key).Frames()); n != 0 {
		t.Errorf("%d of its frames are still there", n)
	}
	for i, take := range takes {
		if n := len(s.Cache.Stage(take.Key).Frames()); n != 5 {
			t.Errorf("take %d of the others has %d frames", i, n)
		}
	}
	if l, err := s.Unnamed(); err != nil || len(l) != 0 {
		t.Errorf("it left %v, %v", l, err)
	}
}

// Waste is what nothing names, nothing that is named in any way, and nothing young.
func TestWasteIsWhatNothingNames(t *testing.T) {
	s := open(t)
	if err := s.Start(nil); err != nil {
		t.Fatal(err)
	}
	put := func(text string) string {
		t.Helper()
		ref, err := s.Files.Put(&asset.File{Name: text + ".obj", Data: []byte(text)}, nil)
		if err != nil {
			t.Fatal(err)
		}
		return ref
	}
	undone, now, clip, waste := put("undone"), put("now"), put("clip"), put("waste")
	row := s.add(t, small("N"))
	for _, ref := range []string{undone, now} {
		if _, err := s.Store.Edit(row.ID, "x", "", func(d *shot.Shot) error {
			e := d.Of(shot.Emitter)[0]
			val.Form.Set(e, "mesh")
			return e.Put(val.Mesh.Name(), shot.Text(ref))
		}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Store.Edit(row.ID, "x", "", func(d *shot.Shot) error {
		d.Clips = append(d.Clips, shot.Clip{ID: asset.ID(clip), Name: "clip", Type: "image/png"})
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	frames := s.Cache.Stage(strings.Repeat("c", 32))
	if err := os.MkdirAll(frames.Dir, 0o755); err != nil {
		t.Fatal(err)
	}
	os.WriteFile(filepath.Join(frames.Dir, "frame.0001.vdb"), bytes.Repeat([]byte{1}, 5000), 0o644)
	left := filepath.Join(s.Dir, "renders", "gone-take1-001")
	if err := os.MkdirAll(left, 0o755); err != nil {
		t.Fatal(err)
	}
	if l, err := s.Unnamed(); err != nil || len(l) != 0 {
		t.Errorf("things of this minute are waste: %v %v", l, err)
	}
	long := time.Now().Add(-2 * young)
	all, _ := filepath.Glob(filepath.Join(s.Dir, "*", "*"))
	for _, p := range all {
		os.Chtimes(p, long, long)
	}
	list, err := s.Unnamed()
	if err != nil {
		t.Fatal(err)
	}
	var ids []string
	for _, w := range list {
		ids = append(ids, w.ID)
	}
	want := []string{"frames/" + strings.Repeat("c", 32), "file/" + asset.ID(waste), "pictures/gone-take1-001"}
	if !slices.Equal(ids, want) {
		t.Fatalf("waste is %v, want %v", ids, want)
	}
	if list[1].Name != "waste.obj" || list[0].Bytes != 5000 {
		t.Errorf("%+v", list)
	}
	half := filepath.Join(s.Cache.Root, gone+"half")
	if err := os.Mkdir(half, 0o755); err != nil {
		t.Fatal(err)
	}
	// frames that somebody makes stay; a file that is brought in again does too
	release, err := frames.Lock()
	if err != nil {
		t.Fatal(err)
	}
	put("waste")
	if freed, err := s.Clean(); err != nil || freed != 0 {
		t.Errorf("%d bytes, %v", freed, err)
	}
	if _, err := os.Stat(half); err == nil {
		t.Error("what was half deleted stays")
	}
	if _, err := os.Stat(left); err == nil {
		t.Error("pictures that nothing names stay")
	}
	release()
	os.Chtimes(frames.Dir, long, long)
	if freed, err := s.Clean("frames/nothing"); err != nil || freed != 0 {
		t.Errorf("%d bytes, %v", freed, err)
	}
	if freed, err := s.Clean(want[0]); err != nil || freed < 5000 {
		t.Errorf("%d bytes, %v", freed, err)
	}
	for _, ref := range []string{undone, now, clip, waste} {
		if _, err := s.Files.File(asset.ID(ref)); err != nil {
			t.Errorf("%s: %v", ref, err)
		}
	}
}
