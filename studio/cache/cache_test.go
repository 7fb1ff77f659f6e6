package cache

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
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
