// Package store keeps shots with their revisions, takes and jobs in SQLite.
// What lies on disk (frames, pictures, handovers) is never repeated here:
// whether a cache is current is worked out from keys and files.
package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"regexp"
	"strings"
	"time"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver

	"zarf/core/asset"
	"zarf/core/shot"
	_ "zarf/core/solvers"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database.
type Store struct {
	db    *database
	docs  *docs
	Files *asset.Library // that shots find their imported files in; may be nil
}

// ErrNotFound says that a row is not there.
var ErrNotFound = errors.New("not found")

// Open opens or makes the database file and brings it up to date.
func Open(path string) (*Store, error) {
	// before SQLite makes it: its journals get the same rights
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	f.Chmod(0o600)
	f.Close()
	dsn := "file:" + path + "?_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=synchronous(NORMAL)&_txlock=immediate"
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	dir, err := fs.Sub(migrations, "migrations")
	if err == nil {
		var p *goose.Provider
		if p, err = goose.NewProvider(goose.DialectSQLite3, db, dir); err == nil {
			_, err = p.Up(context.Background())
		}
	}
	if err != nil {
		db.Close()
		return nil, fmt.Errorf("database %s: %w", path, err)
	}
	return &Store{db: &database{DB: db}, docs: newDocs()}, nil
}

// Close closes the database.
func (s *Store) Close() error { return s.db.Close() }

func now() string { return time.Now().UTC().Format(time.RFC3339Nano) }

// ShotRow is a shot of the library.
type ShotRow struct {
	ID       int64
	Slug     string
	Name     string
	Title    string
	Archived bool
	Head     int // sequence number of the revision that stands
	Last     int // newest revision; Head < Last where something was undone
	Updated  time.Time
}

var unsafeSlug = regexp.MustCompile(`[^a-z0-9]+`)

// Slug is a name as it stands in addresses.
func Slug(name string) string {
	s := strings.Trim(unsafeSlug.ReplaceAllString(strings.ToLower(name), "-"), "-")
	if s == "" {
		s = "shot"
	}
	if len(s) > 60 {
		s = strings.Trim(s[:60], "-")
	}
	return s
}

// CreateShot adds a shot; the slug is made free with a number where need be.
func (s *Store) CreateShot(doc *shot.Shot, label string) (ShotRow, error) {
	var row ShotRow
	text := doc.Encode()
	if err := shot.TooLarge(text); err != nil {
		return row, err
	}
	err := s.tx(func(tx *sql.Tx) error {
		base := Slug(doc.Name)
		slug := base
		for n := 2; ; n++ {
			var x int
			err := tx.QueryRow(`SELECT 1 FROM shots WHERE slug = ?`, slug).Scan(&x)
			if errors.Is(err, sql.ErrNoRows) {
				break
			}
			if err != nil {
				return err
			}
			slug = fmt.Sprintf("%s-%d", base, n)
		}
		r, err := tx.Exec(`INSERT INTO shots (slug, name, title, head, created, updated) VALUES (?, ?, ?, 1, ?, ?)`, slug, doc.Name, doc.Title, now(), now())
		if err != nil {
			return err
		}
		id, err := r.LastInsertId()
		if err != nil {
			return err
		}
		_, err = tx.Exec(`INSERT INTO revisions (shot_id, seq, doc, label, created) VALUES (?, 1, ?, ?, ?)`, id, text, label, now())
		row = ShotRow{ID: id, Slug: slug, Name: doc.Name, Title: doc.Title, Head: 1, Last: 1, Updated: time.Now()}
		return err
	})
	return row, err
}

func (s *Store) tx(fn func(tx *sql.Tx) error) error {
	tx, err := s.db.Begin()
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := fn(tx); err != nil {
		return err
	}
	return tx.Commit()
}

const shotColumns = `id, slug, name, title, archived, head, (SELECT MAX(seq) FROM revisions WHERE shot_id = shots.id), updated`

func scanShot(scan func(...any) error) (ShotRow, error) {
	var r ShotRow
	var updated string
	err := scan(&r.ID, &r.Slug, &r.Name, &r.Title, &r.Archived, &r.Head, &r.Last, &updated)
	if errors.Is(err, sql.ErrNoRows) {
		return r, ErrNotFound
	}
	r.Updated, _ = time.Parse(time.RFC3339Nano, updated)
	return r, err
}

// Shots lists the library, archived shots last.
func (s *Store) Shots() ([]ShotRow, error) {
	rows, err := s.db.Query(`SELECT ` + shotColumns + ` FROM shots ORDER BY archived, name`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []ShotRow
	for rows.Next() {
		r, err := scanShot(rows.Scan)
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, rows.Err()
}

// ShotsPage lists a part of the library, archived shots last: those whose name or
// title holds a text, so many from one on. all is how many there are of them.
func (s *Store) ShotsPage(holding string, from, most int) (out []ShotRow, all int, err error) {
	like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(holding) + "%"
	const where = ` FROM shots WHERE name LIKE ?1 ESCAPE '\' OR title LIKE ?1 ESCAPE '\'`
	if err := s.db.QueryRow(`SELECT COUNT(*)`+where, like).Scan(&all); err != nil {
		return nil, 0, err
	}
	rows, err := s.db.Query(`SELECT `+shotColumns+where+` ORDER BY archived, name, id LIMIT ?2 OFFSET ?3`, like, most, from)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		r, err := scanShot(rows.Scan)
		if err != nil {
			return nil, 0, err
		}
		out = append(out, r)
	}
	return out, all, rows.Err()
}

// Shot finds a shot by slug, or by name.
func (s *Store) Shot(slug string) (ShotRow, error) {
	r, err := scanShot(s.db.QueryRow(`SELECT `+shotColumns+` FROM shots WHERE slug = ?`, slug).Scan)
	if errors.Is(err, ErrNotFound) {
		r, err = scanShot(s.db.QueryRow(`SELECT `+shotColumns+` FROM shots WHERE name = ? COLLATE NOCASE ORDER BY id LIMIT 1`, slug).Scan)
	}
	if errors.Is(err, ErrNotFound) {
		return r, fmt.Errorf("no shot is called %q: %w", slug, err)
	}
	return r, err
}

// ShotByID finds a shot by its number.
func (s *Store) ShotByID(id int64) (ShotRow, error) {
	return scanShot(s.db.QueryRow(`SELECT `+shotColumns+` FROM shots WHERE id = ?`, id).Scan)
}

// Doc is the shot's document as it stands.
func (s *Store) Doc(id int64) (*shot.Shot, error) {
	d, _, err := s.DocSum(id)
	return d, err
}

// DocSum is Doc with a checksum of what the document holds: things that follow
// from it can be kept under that.
func (s *Store) DocSum(id int64) (d *shot.Shot, sum [sha256.Size]byte, err error) {
	var b []byte
	err = s.db.QueryRow(`SELECT doc FROM revisions JOIN shots ON shots.id = shot_id AND seq = head WHERE shots.id = ?`, id).Scan(&b)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, sum, ErrNotFound
	}
	if err != nil {
		return nil, sum, err
	}
	d, err = s.decode(b)
	return d, sha256.Sum256(b), err
}

func (s *Store) decode(b []byte) (*shot.Shot, error) {
	d, err := s.docs.decode(b)
	if err != nil {
		return nil, err
	}
	return d.Attach(s.Files), nil
}

// Keep is how many revisions of a shot can be undone.
const Keep = 300

// Edit changes a shot's document in one transaction and stores it as a new
// revision. What had been undone is forgotten. Two edits with the same
// non-empty merge label within two seconds become one revision.
func (s *Store) Edit(id int64, label, merge string, change func(*shot.Shot) error) (*shot.Shot, error) {
	var doc *shot.Shot
	err := s.tx(func(tx *sql.Tx) error {
		var b []byte
		var head int
		var was, at string
		err := tx.QueryRow(`SELECT doc, head, label, revisions.created FROM revisions JOIN shots ON shots.id = shot_id AND seq = head WHERE shots.id = ?`, id).Scan(&b, &head, &was, &at)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if doc, err = s.decode(b); err != nil {
			return err
		}
		if err := change(doc); err != nil {
			return err
		}
		after := doc.Encode()
		if string(after) == string(b) {
			return nil
		}
		if err := shot.TooLarge(after); err != nil {
			return err
		}
		if _, err := tx.Exec(`DELETE FROM revisions WHERE shot_id = ? AND seq > ?`, id, head); err != nil {
			return err
		}
		made, _ := time.Parse(time.RFC3339Nano, at)
		if merge != "" && was == merge && time.Since(made) < 2*time.Second {
			_, err = tx.Exec(`UPDATE revisions SET doc = ?, created = ? WHERE shot_id = ? AND seq = ?`, after, now(), id, head)
		} else {
			if merge != "" {
				label = merge
			}
			head++
			_, err = tx.Exec(`INSERT INTO revisions (shot_id, seq, doc, label, created) VALUES (?, ?, ?, ?, ?)`, id, head, after, label, now())
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(`DELETE FROM revisions WHERE shot_id = ? AND seq <= ?`, id, head-Keep); err != nil {
			return err
		}
		return setHead(tx, id, head, doc)
	})
	return doc, err
}

func setHead(tx *sql.Tx, id int64, head int, doc *shot.Shot) error {
	_, err := tx.Exec(`UPDATE shots SET head = ?, name = ?, title = ?, updated = ? WHERE id = ?`, head, doc.Name, doc.Title, now(), id)
	return err
}

// Undo steps back (by < 0) or forward; it returns the label of what was undone
// or done again, "" where there is nothing.
func (s *Store) Undo(id int64, by int) (label string, err error) {
	err = s.tx(func(tx *sql.Tx) error {
		r, err := scanShot(tx.QueryRow(`SELECT `+shotColumns+` FROM shots WHERE id = ?`, id).Scan)
		if err != nil {
			return err
		}
		to, named := r.Head+by, r.Head
		if by > 0 {
			named = to
		}
		var b []byte
		err = tx.QueryRow(`SELECT doc FROM revisions WHERE shot_id = ? AND seq = ?`, id, to).Scan(&b)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := tx.QueryRow(`SELECT label FROM revisions WHERE shot_id = ? AND seq = ?`, id, named).Scan(&label); err != nil {
			return err
		}
		doc, err := s.decode(b)
		if err != nil {
			return err
		}
		return setHead(tx, id, to, doc)
	})
	return label, err
}

// At is a shot's document as it was at a revision.
func (s *Store) At(id int64, seq int) (*shot.Shot, error) {
	var b []byte
	err := s.db.QueryRow(`SELECT doc FROM revisions WHERE shot_id = ? AND seq = ?`, id, seq).Scan(&b)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return s.decode(b)
}

// Labels names what undo and redo would do, "" where there is nothing.
func (s *Store) Labels(id int64) (undo, redo string) {
	q := `SELECT label FROM revisions JOIN shots ON shots.id = shot_id WHERE shot_id = ? AND seq = head + ? AND (? = 1 OR EXISTS (SELECT 1 FROM revisions r WHERE r.shot_id = shots.id AND r.seq = head - 1))`
	s.db.QueryRow(q, id, 0, 0).Scan(&undo)
	s.db.QueryRow(q, id, 1, 1).Scan(&redo)
	return undo, redo
}

// Archive puts a shot away or takes it back.
func (s *Store) Archive(id int64, on bool) error {
	_, err := s.db.Exec(`UPDATE shots SET archived = ? WHERE id = ?`, on, id)
	return err
}

// DeleteShot deletes a shot for good, with its revisions, takes and jobs.
func (s *Store) DeleteShot(id int64) error {
	_, err := s.db.Exec(`DELETE FROM shots WHERE id = ?`, id)
	return err
}

// Texts calls fn for every text that may name files or frames: all revisions, the
// documents of takes, and the orders of jobs.
func (s *Store) Texts(fn func(text []byte)) error {
	for _, q := range []string{`SELECT doc FROM revisions`, `SELECT doc FROM takes`, `SELECT spec FROM jobs`} {
		rows, err := s.db.Query(q)
		if err != nil {
			return err
		}
		for rows.Next() {
			var b sql.RawBytes
			if err := rows.Scan(&b); err != nil {
				rows.Close()
				return err
			}
			fn(b)
		}
		rows.Close()
		if err := rows.Err(); err != nil {
			return err
		}
	}
	return nil
}

// Setting reads a setting, "" where it isn't set.
func (s *Store) Setting(key string) string {
	var v string
	s.db.QueryRow(`SELECT value FROM settings WHERE key = ?`, key).Scan(&v)
	return v
}

// SetSetting writes a setting.
func (s *Store) SetSetting(key, value string) error {
	_, err := s.db.Exec(`INSERT INTO settings (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value`, key, value)
	return err
}
