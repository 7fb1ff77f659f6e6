package store

import (
	"errors"
	"fmt"
	"path/filepath"
	"sync"
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

func open(t *testing.T) *Store {
	t.Helper()
	s, err := Open(filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func create(t *testing.T, s *Store, name string) ShotRow {
	t.Helper()
	r, err := s.CreateShot(shot.New(name), "new")
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func last(t *testing.T, s *Store, id int64) float64 {
	t.Helper()
	d, err := s.Doc(id)
	if err != nil {
		t.Fatal(err)
	}
	return val.Last.Of(d)
}

func edit(t *testing.T, s *Store, id int64, v float64, merge string) {
	t.Helper()
	_, err := s.Edit(id, fmt.Sprintf("to %g", v), merge, func(d *shot.Shot) error { val.Last.Set(d.Self, v); return nil })
	if err != nil {
		t.Fatal(err)
	}
}

func TestUndoAndRedo(t *testing.T) {
	s := open(t)
	r := create(t, s, "A")
	edit(t, s, r.ID, 80, "")
	edit(t, s, r.ID, 90, "")
	if u, d := s.Labels(r.ID); u != "to 90" || d != "" {
		t.Errorf("undo %q, redo %q", u, d)
	}
	if l, _ := s.Undo(r.ID, -1); l != "to 90" || last(t, s, r.ID) != 80 {
		t.Errorf("undid %q, last is %g", l, last(t, s, r.ID))
	}
	s.Undo(r.ID, -1)
	if l, _ := s.Undo(r.ID, -1); l != "" || last(t, s, r.ID) != 72 {
		t.Errorf("undo past the beginning: %q %g", l, last(t, s, r.ID))
	}
	s.Undo(r.ID, 1)
	if last(t, s, r.ID) != 80 {
		t.Error("redo failed")
	}
	edit(t, s, r.ID, 99, "")
	if l, _ := s.Undo(r.ID, 1); l != "" {
		t.Error("a new edit left something to redo")
	}
	if u, _ := s.Labels(r.ID); u != "to 99" {
		t.Errorf("undo would be %q", u)
	}
	edit(t, s, r.ID, 100, "drag")
	edit(t, s, r.ID, 101, "drag")
	s.Undo(r.ID, -1)
	if last(t, s, r.ID) != 99 {
		t.Errorf("a drag is not one step: %g", last(t, s, r.ID))
	}
}

func TestRevisionsAreBounded(t *testing.T) {
	s := open(t)
	r := create(t, s, "A")
	for i := range Keep + 20 {
		edit(t, s, r.ID, float64(100+i), "")
	}
	n := 0
	for {
		l, err := s.Undo(r.ID, -1)
		if err != nil {
			t.Fatal(err)
		}
		if l == "" {
			break
		}
		n++
	}
	if n < Keep-2 || n > Keep {
		t.Errorf("%d steps of undo", n)
	}
}

// Edits from two windows at once: none is lost.
func TestConcurrentEdits(t *testing.T) {
	s := open(t)
	r := create(t, s, "A")
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			if _, err := s.Edit(r.ID, "add", "", func(d *shot.Shot) error { d.Add(shot.Emitter); return nil }); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	d, err := s.Doc(r.ID)
	if err != nil || len(d.Of(shot.Emitter)) != 20 {
		t.Errorf("%d emitters of 20, %v", len(d.Of(shot.Emitter)), err)
	}
}

func TestAFailedEditChangesNothing(t *testing.T) {
	s := open(t)
	r := create(t, s, "A")
	_, err := s.Edit(r.ID, "x", "", func(d *shot.Shot) error { val.Last.Set(d.Self, 5); return errors.New("no") })
	if err == nil || last(t, s, r.ID) != 72 {
		t.Errorf("%v, last %g", err, last(t, s, r.ID))
	}
}

func TestShotsByNameAndSlug(t *testing.T) {
	s := open(t)
	a, b := create(t, s, "BL 010"), create(t, s, "BL 010")
	if a.Slug != "bl-010" || b.Slug != "bl-010-2" {
		t.Errorf("%q %q", a.Slug, b.Slug)
	}
	if r, err := s.Shot("BL 010"); err != nil || r.ID != a.ID {
		t.Error(r, err)
	}
	if _, err := s.Shot("nothing"); !errors.Is(err, ErrNotFound) {
		t.Error(err)
	}
	for in, want := range map[string]string{"Ä/ö": "shot", "../x": "x", "A  b": "a-b"} {
		if got := Slug(in); got != want {
			t.Errorf("slug of %q is %q, want %q", in, got, want)
		}
	}
}

func TestTakesAndJobs(t *testing.T) {
	s := open(t)
	r := create(t, s, "A")
	d, _ := s.Doc(r.ID)
	for range 2 {
		if _, err := s.CreateTake(Take{ShotID: r.ID, Doc: d.Encode(), Domain: "d", Key: "k", First: 1, Last: 9}); err != nil {
			t.Fatal(err)
		}
	}
	takes, err := s.Takes(r.ID)
	if err != nil || len(takes) != 2 || takes[0].Number != 2 {
		t.Fatalf("%+v %v", takes, err)
	}
	if n, _ := s.KeyUsers("k"); n != 2 {
		t.Errorf("%d takes share the frames", n)
	}
	j, err := s.CreateJob(Job{Kind: "sim", ShotID: r.ID, TakeID: takes[0].ID, Spec: []byte("{}"), Total: 9})
	if err != nil {
		t.Fatal(err)
	}
	s.JobStep(j.ID, 4, 9, 2.5, 100)
	s.JobLog(j.ID, "hello")
	j, _ = s.Job(j.ID)
	if j.State != Running || j.Percent() != 44 || j.Log == "" {
		t.Errorf("%+v", j)
	}
	if due, _ := s.ActiveJobs(); len(due) != 1 {
		t.Errorf("%d jobs are due", len(due))
	}
	s.JobEnd(j.ID, Done, "")
	s.JobStep(j.ID, 9, 9, 0, 0)
	if j, _ = s.Job(j.ID); j.State != Done {
		t.Errorf("a late report brought the job back: %s", j.State)
	}
	s.DeleteTake(takes[0].ID)
	if _, err := s.Job(j.ID); !errors.Is(err, ErrNotFound) {
		t.Error("the take's job outlived it")
	}
}
