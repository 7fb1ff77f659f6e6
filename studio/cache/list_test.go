package cache

import (
	"os"
	"testing"
	"time"
)

// A kept list of frames is never older than the folder.
func TestKeptListsFollowTheFolder(t *testing.T) {
	c, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s := c.Stage(key)
	if len(s.Frames()) != 0 {
		t.Error("a stage that isn't there has frames")
	}
	old := func() { // as if nothing had changed for a while
		if err := os.Chtimes(s.Dir, time.Now(), time.Now().Add(-time.Minute)); err != nil {
			t.Fatal(err)
		}
	}
	put(t, s, 1, "one")
	if len(s.Frames()) != 1 || c.lists.Len() != 0 {
		t.Error("a folder that has just changed can change again within one tick: its list isn't to be kept")
	}
	old()
	a := s.Frames()
	if c.lists.Len() != 1 || len(a) != 1 {
		t.Fatalf("%d lists are kept, %d frames", c.lists.Len(), len(a))
	}
	a[7] = Frame{} // the caller's own
	if b := c.Stage(key).Frames(); len(b) != 1 || b[1].Size != 3 {
		t.Errorf("%+v", b)
	}
	put(t, s, 2, "two")
	if len(s.Frames()) != 2 {
		t.Error("a new frame isn't listed")
	}
	old()
	s.Frames()
	s.Drop(1)
	if f := s.Frames(); len(f) != 1 || f[2].Size != 3 {
		t.Errorf("after a frame was dropped: %+v", f)
	}
	old()
	s.Frames()
	if err := s.Remove(); err != nil {
		t.Fatal(err)
	}
	if len(s.Frames()) != 0 {
		t.Error("a removed stage has frames")
	}
}

func BenchmarkFrames(b *testing.B) {
	c, err := Open(b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	s := c.Stage(key)
	for n := range 200 {
		f, err := os.Create(s.path(n, "vdb"))
		if err != nil {
			if err := os.MkdirAll(s.Dir, 0o755); err != nil {
				b.Fatal(err)
			}
			continue
		}
		f.Close()
		if err := os.WriteFile(s.path(n, "json"), []byte(`{"frame":1,"size":0}`), 0o644); err != nil {
			b.Fatal(err)
		}
	}
	for _, kept := range []bool{false, true} {
		b.Run(map[bool]string{false: "read", true: "kept"}[kept], func(b *testing.B) {
			if kept {
				os.Chtimes(s.Dir, time.Now(), time.Now().Add(-time.Minute))
			}
			for b.Loop() {
				s.Frames()
			}
		})
	}
}
