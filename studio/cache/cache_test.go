package cache

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"zarf/core/frame"
)

const key = "0123456789abcdef0123456789abcdef"

func stage(t *testing.T) *Stage {
	t.Helper()
	c, err := Open(filepath.Join(t.TempDir(), "c"))
	if err != nil {
		t.Fatal(err)
	}
	return c.Stage(key)
}

func put(t *testing.T, s *Stage, frame int, text string) Frame {
	t.Helper()
	f, err := s.Put(Frame{Frame: frame, Seconds: 2}, func(w io.Writer) error { _, err := io.WriteString(w, text); return err })
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestPutAndRead(t *testing.T) {
	s := stage(t)
	for _, n := range []int{1, 42, -7, 100000} {
		put(t, s, n, fmt.Sprint("frame ", n))
	}
	got := s.Frames()
	if len(got) != 4 || got[-7].Size != int64(len("frame -7")) || got[42].Seconds != 2 {
		t.Errorf("%+v", got)
	}
	b, err := s.Read(-7)
	if err != nil || string(b) != "frame -7" {
		t.Errorf("%q %v", b, err)
	}
	put(t, s, 42, "again")
	if b, _ := s.Read(42); string(b) != "again" {
		t.Errorf("a replaced frame reads %q", b)
	}
	if s.Bytes() < 20 {
		t.Errorf("%d bytes", s.Bytes())
	}
}

func TestDamageAndAbsence(t *testing.T) {
	s := stage(t)
	put(t, s, 1, "whole")
	put(t, s, 2, "whole")
	put(t, s, 3, "whole")
	os.WriteFile(s.Path(1), []byte("wh0le"), 0o644) // same size
	os.WriteFile(s.Path(2), []byte("whole and more"), 0o644)
	os.WriteFile(strings.TrimSuffix(s.Path(3), "vdb")+"json", []byte("{"), 0o644)
	for _, n := range []int{1, 2, 3} {
		var d *Damaged
		if _, err := s.Read(n); !errors.As(err, &d) || d.Frame != n || !strings.Contains(err.Error(), "made anew") {
			t.Errorf("frame %d: %v", n, err)
		}
	}
	var m *Missing
	if _, err := s.Read(9); !errors.As(err, &m) {
		t.Errorf("frame 9: %v", err)
	}
	if !s.Has(1) || s.Has(2) || s.Has(3) {
		t.Error("what counts as complete is wrong")
	}
	s.Drop(1)
	if s.Has(1) {
		t.Error("a dropped frame is there")
	}
}

// A record without its frame, or a frame without its record, is no frame.
func TestHalfAFrameIsNone(t *testing.T) {
	s := stage(t)
	put(t, s, 1, "x")
	os.Remove(s.Path(1))
	put(t, s, 2, "x")
	os.Remove(strings.TrimSuffix(s.Path(2), "vdb") + "json")
	if n := len(s.Frames()); n != 0 {
		t.Errorf("%d frames", n)
	}
}

func TestAFailedWriteLeavesWhatWasThere(t *testing.T) {
	s := stage(t)
	put(t, s, 1, "good")
	boom := errors.New("boom")
	if _, err := s.Put(Frame{Frame: 1}, func(w io.Writer) error { io.WriteString(w, "half"); return boom }); !errors.Is(err, boom) {
		t.Error(err)
	}
	if b, err := s.Read(1); err != nil || string(b) != "good" {
		t.Errorf("%q %v", b, err)
	}
	list, _ := os.ReadDir(s.Dir)
	if len(list) != 2 {
		t.Errorf("%d files are left", len(list))
	}
}

func TestSweepRemovesWhatAKilledWriterLeft(t *testing.T) {
	s := stage(t)
	put(t, s, 1, "x")
	os.WriteFile(filepath.Join(s.Dir, ".part-123"), []byte("junk"), 0o644)
	s.Sweep()
	if _, err := os.Stat(filepath.Join(s.Dir, ".part-123")); err == nil || !s.Has(1) {
		t.Error("the sweep was wrong")
	}
}

func TestLock(t *testing.T) {
	s := stage(t)
	release, err := s.Lock()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Lock(); !errors.Is(err, Locked) {
		t.Errorf("a second lock: %v", err)
	}
	release()
	if release, err = s.Lock(); err != nil {
		t.Error(err)
	} else {
		release()
	}
}

func TestState(t *testing.T) {
	s := stage(t)
	if _, err := s.State(); !errors.Is(err, os.ErrNotExist) {
		t.Error(err)
	}
	put(t, s, 1, "x")
	if _, err := s.PutState(func(w io.Writer) error { _, err := io.WriteString(w, "state"); return err }); err != nil {
		t.Fatal(err)
	}
	r, err := s.State()
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(r)
	r.Close()
	if string(b) != "state" || len(s.Frames()) != 1 {
		t.Errorf("%q", b)
	}
	if err := s.Remove(); err != nil || s.Has(1) {
		t.Error("not removed")
	}
}

func TestKeysAreNeverPaths(t *testing.T) {
	defer func() {
		if recover() == nil {
			t.Error("a path was taken as a key")
		}
	}()
	(&Cache{Root: t.TempDir()}).Stage("../../etc")
}

// What belongs to a frame is checked as a whole: particles with a flipped bit, cut
// short or gone are told by Check and never handed out, and a frame whose particles
// are gone isn't listed.
func TestParticlesBelongToTheirFrame(t *testing.T) {
	c, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s := c.Stage(strings.Repeat("a", 32))
	f := &frame.Frame{Number: 3, Points: &frame.Points{P: make([][3]float32, 500), V: make([][3]float32, 500)}}
	put := func() {
		t.Helper()
		if _, err := s.Keep(Frame{Frame: 3}, f, nil); err != nil {
			t.Fatal(err)
		}
		if err := s.Check(3); err != nil {
			t.Fatal(err)
		}
	}
	put()
	path := s.path(3, "ply")
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for what, b := range map[string][]byte{"flipped": slices.Concat(whole[:900], []byte{whole[900] ^ 4}, whole[901:]), "cut": whole[:900], "empty": {}} {
		if err := os.WriteFile(path, b, 0o644); err != nil {
			t.Fatal(err)
		}
		var d *Damaged
		if err := s.Check(3); !errors.As(err, &d) || d.Frame != 3 {
			t.Errorf("%s: %v", what, err)
		}
		if b, err := s.ReadPoints(3); err == nil || b != nil {
			t.Errorf("%s: %d bytes are handed out", what, len(b))
		}
	}
	os.Remove(path)
	if s.Has(3) || s.Check(3) == nil {
		t.Error("a frame without its particles counts")
	}
	put()
	// frames of older versions have no checksum of them: the size alone is held
	rec, _ := s.Get(3)
	rec.PointCRC = 0
	b, _ := json.Marshal(rec)
	if err := os.WriteFile(s.path(3, "json"), b, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := s.Check(3); err != nil {
		t.Error(err)
	}
}

// Earlier states are kept under the frame that they go on with, whatever becomes
// of the newest, and are few.
func TestMarksKeepEarlierStates(t *testing.T) {
	c, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s := c.Stage(strings.Repeat("b", 32))
	release, err := s.Lock() // which makes the folder
	if err != nil {
		t.Fatal(err)
	}
	defer release()
	if err := s.Mark(4); err == nil {
		t.Error("a state that isn't there was kept")
	}
	for n := 1; n <= 20; n++ {
		if _, err := s.PutState(func(w io.Writer) error { _, err := fmt.Fprintf(w, "state %d", n); return err }); err != nil {
			t.Fatal(err)
		}
		if err := s.Mark(n); err != nil {
			t.Fatal(err)
		}
		if l := s.Marks(); len(l) > MaxMarks || l[0] != 1 || n > 12 && l[len(l)-1] < n-2 {
			t.Errorf("after %d: %v", n, l)
		}
	}
	for _, n := range s.Marks() {
		r, err := s.Marked(n)
		if err != nil {
			t.Fatal(err)
		}
		b, _ := io.ReadAll(r)
		r.Close()
		if string(b) != fmt.Sprintf("state %d", n) {
			t.Errorf("state %d holds %q", n, b)
		}
	}
	s.DropMark(1)
	if slices.Contains(s.Marks(), 1) {
		t.Error("a dropped state is listed")
	}
}
