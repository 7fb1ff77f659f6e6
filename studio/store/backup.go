package store

import (
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
)

// Copies of the database, to go back to when a machine has damaged it. A copy is
// made by SQLite itself (VACUUM INTO, which reads every page in use while others
// write), checked, and only then counts: it is written under another name and
// renamed. The newest ones stay, and one of each of the days before.

// A Copy of the database.
type Copy struct {
	Path string
	Made time.Time
	Size int64
}

// How many copies are kept: the newest, and one of each of so many earlier days.
const (
	copiesNew  = 3
	copiesDays = 4
)

const copyLayout = "20060102-150405"

var copyName = regexp.MustCompile(`^zarf-(\d{8}-\d{6})\.db$`)

// Copies lists the copies in a folder, newest first.
func Copies(dir string) (out []Copy) {
	list, _ := os.ReadDir(dir)
	for _, e := range list {
		m := copyName.FindStringSubmatch(e.Name())
		if m == nil {
			continue
		}
		made, err := time.ParseInLocation(copyLayout, m[1], time.UTC)
		info, err2 := e.Info()
		if err == nil && err2 == nil {
			out = append(out, Copy{filepath.Join(dir, e.Name()), made, info.Size()})
		}
	}
	slices.SortFunc(out, func(a, b Copy) int { return b.Made.Compare(a.Made) })
	return out
}

// Backup makes a copy of the database in a folder and drops those that are too
// many. A database that is damaged gives an error and no copy, and then none is
// dropped either.
func (s *Store) Backup(dir string, at time.Time) (Copy, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return Copy{}, fmt.Errorf("copy of the database: %w", err)
	}
	to := filepath.Join(dir, "zarf-"+at.UTC().Format(copyLayout)+".db")
	tmp := to + ".part"
	os.Remove(tmp)
	defer os.Remove(tmp)
	if _, err := s.db.Exec(`VACUUM INTO ?`, tmp); err != nil {
		return Copy{}, fmt.Errorf("copy of the database: %w", err)
	}
	if _, err := Inspect(tmp); err != nil {
		return Copy{}, fmt.Errorf("copy of the database: %w", err)
	}
	if err := settle(tmp, to); err != nil {
		return Copy{}, fmt.Errorf("copy of the database: %w", err)
	}
	list := Copies(dir)
	for _, c := range tooMany(list) {
		os.Remove(c.Path)
	}
	return list[0], nil
}

// settle makes a file that was written as its own whole and gives it its name.
func settle(tmp, to string) error {
	f, err := os.OpenFile(tmp, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	if err := errors.Join(f.Chmod(0o600), f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(tmp, to)
}

// tooMany are the copies that aren't kept; the list is newest first.
func tooMany(list []Copy) (out []Copy) {
	days := map[string]bool{}
	for i, c := range list {
		day := c.Made.Format(time.DateOnly)
		keep := i < copiesNew || !days[day] && len(days) < copiesDays
		if i >= copiesNew && keep {
			days[day] = true
		}
		if !keep {
			out = append(out, c)
		}
	}
	return out
}

// Inspect tells whether a file is a whole database of ours, and how many shots it
// holds.
func Inspect(path string) (shots int, err error) {
	db, err := sql.Open("sqlite", "file:"+path+"?mode=ro&_pragma=query_only(1)")
	if err != nil {
		return 0, err
	}
	defer db.Close()
	rows, err := db.Query(`PRAGMA integrity_check(1)`)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	for rows.Next() {
		var said string
		if err := rows.Scan(&said); err != nil {
			return 0, err
		}
		if said != "ok" {
			return 0, fmt.Errorf("it is damaged: %s", strings.SplitN(said, "\n", 2)[0])
		}
	}
	if err := rows.Err(); err != nil {
		return 0, err
	}
	err = db.QueryRow(`SELECT COUNT(*) FROM shots`).Scan(&shots)
	return shots, err
}

// Restore puts a copy in the place of the database at path. What stands there is
// kept beside it under another name, which it returns, "" where there was none.
// Nobody may have the database open.
func Restore(from Copy, path string, at time.Time) (aside string, err error) {
	if _, err := Inspect(from.Path); err != nil {
		return "", fmt.Errorf("the copy of %s can't be used: %w; choose another", from.Made.Local().Format(time.DateTime), err)
	}
	tmp := path + ".part"
	if err := duplicate(from.Path, tmp); err != nil {
		return "", err
	}
	defer os.Remove(tmp)
	if _, err := os.Stat(path); err == nil {
		aside = path + ".damaged-" + at.UTC().Format(copyLayout)
		if err := os.Rename(path, aside); err != nil {
			return "", err
		}
		// what was written but not yet taken into the old file belongs to that
		for _, end := range []string{"-wal", "-shm"} {
			if err := os.Rename(path+end, aside+end); err != nil && !errors.Is(err, os.ErrNotExist) {
				return aside, err
			}
		}
	}
	return aside, settle(tmp, path)
}

func duplicate(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}
