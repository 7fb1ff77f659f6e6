package run

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"zarf/core/shot/val"
)

// Frames that are damaged are made anew from the nearest earlier state, and not
// from the beginning; the others aren't made again, and the run can still be
// extended from its end.
func TestDamagedFramesAreMadeFromTheNearestState(t *testing.T) {
	s := puffShot()
	val.Last.Set(s.Self, 60)
	whole := open(t)
	mustRun(t, whole, s, 1, 60, 2)
	// states are kept as far as time allows, which on a busy machine it now and then doesn't
	c := open(t)
	var src *Source
	var marks []int
	for range 5 {
		mustRun(t, c, s, 1, 58, 2)
		var err error
		if src, err = Open(s, "", c); err != nil {
			t.Fatal(err)
		}
		if marks = src.Stage.Marks(); len(marks) >= 3 {
			break
		}
		c = open(t)
	}
	want := sums(t, c, s)
	if len(marks) < 3 || marks[0] < 2 {
		t.Fatalf("earlier states at %v", marks)
	}
	for _, n := range []int{31, 57} {
		if err := os.Truncate(src.Stage.Path(n), 100); err != nil {
			t.Fatal(err)
		}
	}
	damaged := func() (made, looked []int) {
		j := Sim{Shot: s, From: 1, To: 58, Threads: 2}
		if err := j.Do(context.Background(), c, func(p Progress) {
			if looked = append(looked, p.Frame); p.Kept && !p.Reused {
				made = append(made, p.Frame)
			}
		}); err != nil {
			t.Fatal(err)
		}
		return made, looked
	}
	made, looked := damaged()
	if !slices.Equal(made, []int{31, 57}) {
		t.Errorf("made anew: %v", made)
	}
	if looked[0] < 15 || len(looked) > 30 {
		t.Errorf("stepped through %v", looked)
	}
	same(t, "mended", want, sums(t, c, s))
	// a state that can't be read is passed over
	for _, n := range marks[1:] {
		if err := os.Truncate(filepath.Join(src.Stage.Dir, fmt.Sprintf("state.%d", n)), 50); err != nil {
			t.Fatal(err)
		}
	}
	os.Truncate(src.Stage.Path(57), 100)
	if made, _ := damaged(); !slices.Contains(made, 57) {
		t.Errorf("made anew: %v", made)
	}
	same(t, "mended once more", want, sums(t, c, s))
	// the state of the end is still that
	first := 0
	j := Sim{Shot: s, From: 1, To: 60, Threads: 2}
	if err := j.Do(context.Background(), c, func(p Progress) {
		if first == 0 && len(p.Notes) == 0 {
			first = p.Frame
		}
	}); err != nil {
		t.Fatal(err)
	}
	if first != 59 {
		t.Errorf("it went on from frame %d", first)
	}
	same(t, "extended", sums(t, whole, s), sums(t, c, s))
}
