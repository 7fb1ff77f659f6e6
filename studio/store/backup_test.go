package store

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"zarf/core/shot"
)

// A copy holds what the database held, is only taken of a whole database, and
// brings it back when that is damaged; what was damaged stays beside it.
func TestACopyBringsTheDatabaseBack(t *testing.T) {
	dir := t.TempDir()
	path, copies := filepath.Join(dir, "zarf.db"), filepath.Join(dir, "copies")
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	for n := range 30 {
		d := shot.New(fmt.Sprintf("S%02d", n))
		d.Note = strings.Repeat("kept ", 2000)
		if _, err := s.CreateShot(d, "made"); err != nil {
			t.Fatal(err)
		}
	}
	at := time.Date(2026, 11, 20, 10, 0, 0, 0, time.UTC)
	if _, err := s.Backup(copies, at); err != nil {
		t.Fatal(err)
	}
	if _, err := s.CreateShot(shot.New("LATER"), "made"); err != nil {
		t.Fatal(err)
	}
	s.Close()
	// pages in the middle of the file go bad
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for n := 4096 * 3; n < len(b)-4096; n += 8192 {
		copy(b[n:], bytes.Repeat([]byte{0xA5}, 512))
	}
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Inspect(path); err == nil {
		t.Fatal("a damaged database passes for whole")
	}
	if s, err := Open(path); err == nil {
		if _, err := s.Backup(copies, at.Add(time.Hour)); err == nil {
			t.Error("a damaged database was copied")
		}
		s.Close()
	}
	list := Copies(copies)
	if len(list) != 1 || !list[0].Made.Equal(at) {
		t.Fatalf("copies %v", list)
	}
	aside, err := Restore(list[0], path, at.Add(2*time.Hour))
	if err != nil {
		t.Fatal(err)
	}
	if got, err := os.ReadFile(aside); err != nil || !bytes.Equal(got, b) {
		t.Errorf("what was damaged isn't kept: %v", err)
	}
	if s, err = Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	rows, err := s.Shots()
	if err != nil || len(rows) != 30 {
		t.Errorf("%d shots, %v", len(rows), err)
	}
	d, err := s.Doc(rows[7].ID)
	if err != nil || d.Note != strings.Repeat("kept ", 2000) {
		t.Errorf("a shot isn't what it was: %v", err)
	}
	if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info.Mode(), err)
	}
	// a copy that is damaged itself is refused, and nothing changes
	if err := os.WriteFile(list[0].Path, b[:len(b)/2], 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Restore(list[0], filepath.Join(dir, "other.db"), at); err == nil {
		t.Error("a damaged copy was taken")
	}
	if _, err := os.Stat(filepath.Join(dir, "other.db")); err == nil {
		t.Error("something of it was left")
	}
}

// The newest copies stay, and one of each of a few days before them.
func TestCopiesAreFew(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(filepath.Join(dir, "zarf.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	at := time.Date(2026, 11, 1, 8, 0, 0, 0, time.UTC)
	for n := range 40 { // four a day
		if _, err := s.Backup(dir, at.Add(time.Duration(n)*6*time.Hour)); err != nil {
			t.Fatal(err)
		}
	}
	days := map[string]int{}
	list := Copies(dir)
	for _, c := range list {
		days[c.Made.Format(time.DateOnly)]++
	}
	if len(list) != copiesNew+copiesDays || len(days) < copiesDays || !list[0].Made.Equal(at.Add(39*6*time.Hour)) {
		t.Errorf("%d copies of %v", len(list), days)
	}
}
