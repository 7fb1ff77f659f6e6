package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"zarf/core/asset"
	"zarf/core/shot"
)

// Take is one run of a shot's domain with the exact values that made it.
type Take struct {
	ID          int64
	ShotID      int64
	Number      int
	Doc         []byte
	Domain      string
	Key         string
	First, Last int
	Note        string
	Stars       int
	Seconds     float64
	Created     time.Time
	Parent      int64  // id of the take that it was made from; 0: none
	Sweep       string // the sweep that it belongs to; empty: none

	files *asset.Library
	docs  *docs
	full  func(id int64) (Take, error)
}

// SweepID names the sweep that a take belongs to; empty: none.
func (t *Take) SweepID() string {
	var s struct {
		ID string `json:"id"`
	}
	json.Unmarshal([]byte(t.Sweep), &s)
	return s.ID
}

// Shot decodes the frozen values.
func (t *Take) Shot() (*shot.Shot, error) {
	if t.Doc == nil && t.full != nil {
		all, err := t.full(t.ID)
		if err != nil {
			return nil, err
		}
		t.Doc = all.Doc
	}
	if t.docs == nil { // made by hand
		t.docs = newDocs()
	}
	d, err := t.docs.decode(t.Doc)
	if err != nil {
		return nil, err
	}
	return d.Attach(t.files), nil
}

// CreateTake freezes a document into the shot's next take.
func (s *Store) CreateTake(t Take) (Take, error) {
	err := s.tx(func(tx *sql.Tx) error {
		if err := tx.QueryRow(`SELECT COALESCE(MAX(number), 0) + 1 FROM takes WHERE shot_id = ?`, t.ShotID).Scan(&t.Number); err != nil {
			return err
		}
		r, err := tx.Exec(`INSERT INTO takes (shot_id, number, doc, domain, key, first, last, note, created) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			t.ShotID, t.Number, t.Doc, t.Domain, t.Key, t.First, t.Last, t.Note, now())
		if err != nil {
			return err
		}
		if t.ID, err = r.LastInsertId(); err != nil {
			return err
		}
		t.Created = time.Now()
		_, err = tx.Exec(`INSERT INTO lineage (take_id, parent, sweep) VALUES (?, ?, ?)`, t.ID, t.Parent, t.Sweep)
		return err
	})
	return t, err
}

const takeColumns = `id, shot_id, number, doc, domain, key, first, last, note, stars, seconds, created, COALESCE(parent, 0), COALESCE(sweep, '')`

const takeTables = `takes LEFT JOIN lineage ON take_id = takes.id`

func (s *Store) scanTake(scan func(...any) error) (Take, error) {
	t := Take{files: s.Files, docs: s.docs, full: s.TakeByID}
	var created string
	err := scan(&t.ID, &t.ShotID, &t.Number, &t.Doc, &t.Domain, &t.Key, &t.First, &t.Last, &t.Note, &t.Stars, &t.Seconds, &created, &t.Parent, &t.Sweep)
	if errors.Is(err, sql.ErrNoRows) {
		return t, ErrNotFound
	}
	t.Created, _ = time.Parse(time.RFC3339Nano, created)
	return t, err
}

// Takes lists a shot's takes, newest first. Their documents, which may be
// large, are read when Shot asks for them.
func (s *Store) Takes(shotID int64) ([]Take, error) {
	rows, err := s.db.Query(`SELECT `+strings.Replace(takeColumns, " doc,", " NULL,", 1)+` FROM `+takeTables+` WHERE shot_id = ? ORDER BY number DESC`, shotID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Take
	for rows.Next() {
		t, err := s.scanTake(rows.Scan)
		if err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, rows.Err()
}

// NewestTake is a shot's newest take, without its document, and how many there
// are.
func (s *Store) NewestTake(shotID int64) (t Take, count int, err error) {
	if err = s.db.QueryRow(`SELECT COUNT(*) FROM takes WHERE shot_id = ?`, shotID).Scan(&count); err != nil || count == 0 {
		return t, count, err
	}
	t, err = s.scanTake(s.db.QueryRow(`SELECT `+strings.Replace(takeColumns, " doc,", " NULL,", 1)+` FROM `+takeTables+` WHERE shot_id = ? ORDER BY number DESC LIMIT 1`, shotID).Scan)
	return t, count, err
}

// Take finds a take by its number within a shot.
func (s *Store) Take(shotID int64, number int) (Take, error) {
	t, err := s.scanTake(s.db.QueryRow(`SELECT `+takeColumns+` FROM `+takeTables+` WHERE shot_id = ? AND number = ?`, shotID, number).Scan)
	if errors.Is(err, ErrNotFound) {
		return t, fmt.Errorf("there is no take %d: %w", number, err)
	}
	return t, err
}

// TakeByID finds a take.
func (s *Store) TakeByID(id int64) (Take, error) {
	return s.scanTake(s.db.QueryRow(`SELECT `+takeColumns+` FROM `+takeTables+` WHERE id = ?`, id).Scan)
}

// AnnotateTake sets note and stars.
func (s *Store) AnnotateTake(id int64, note string, stars int) error {
	_, err := s.db.Exec(`UPDATE takes SET note = ?, stars = ? WHERE id = ?`, note, stars, id)
	return err
}

// ExtendTake widens the range of frames of a take.
func (s *Store) ExtendTake(id int64, first, last int) error {
	_, err := s.db.Exec(`UPDATE takes SET first = MIN(first, ?), last = MAX(last, ?) WHERE id = ?`, first, last, id)
	return err
}

// DeleteTake forgets a take and its jobs. Takes that were made from it hang on
// its own parent from then on.
func (s *Store) DeleteTake(id int64) error {
	return s.tx(func(tx *sql.Tx) error {
		for _, q := range []string{
			`UPDATE lineage SET parent = COALESCE((SELECT parent FROM lineage WHERE take_id = ?1), 0) WHERE parent = ?1`,
			`UPDATE shots SET base = COALESCE((SELECT parent FROM lineage WHERE take_id = ?1), 0) WHERE base = ?1`,
			`DELETE FROM takes WHERE id = ?1`} {
			if _, err := tx.Exec(q, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// KeyUsers counts the takes that share cached frames.
func (s *Store) KeyUsers(key string) (n int, err error) {
	err = s.db.QueryRow(`SELECT COUNT(*) FROM takes WHERE key = ?`, key).Scan(&n)
	return n, err
}

// States of a job.
const (
	Queued  = "queued"
	Running = "running"
	Stopped = "stopped"
	Failed  = "failed"
	Done    = "done"
)

// Job is a piece of work in the queue.
type Job struct {
	ID      int64
	Kind    string
	ShotID  int64
	TakeID  int64
	Spec    []byte
	Dir     string
	State   string
	Done    int
	Total   int
	Left    float64
	Memory  int64
	Message string
	Log     string
	Created time.Time
	Ended   string

	Priority int // higher goes first
}

// Active reports a job that is waiting or running.
func (j Job) Active() bool { return j.State == Queued || j.State == Running }

// Percent is how much of a job is done.
func (j *Job) Percent() int {
	if j.Total <= 0 {
		return 0
	}
	return min(100, 100*j.Done/j.Total)
}

// CreateJob queues a job.
func (s *Store) CreateJob(j Job) (Job, error) {
	j.State = Queued
	r, err := s.db.Exec(`INSERT INTO jobs (kind, shot_id, take_id, spec, dir, state, total, priority, created) VALUES (?, ?, NULLIF(?, 0), ?, ?, ?, ?, ?, ?)`,
		j.Kind, j.ShotID, j.TakeID, j.Spec, j.Dir, j.State, j.Total, j.Priority, now())
	if err != nil {
		return j, err
	}
	j.ID, err = r.LastInsertId()
	return j, err
}

const jobColumns = `id, kind, shot_id, COALESCE(take_id, 0), spec, dir, state, done, total, left_seconds, memory, message, log, created, ended, priority`

func scanJob(scan func(...any) error) (Job, error) {
	var j Job
	var created string
	err := scan(&j.ID, &j.Kind, &j.ShotID, &j.TakeID, &j.Spec, &j.Dir, &j.State, &j.Done, &j.Total, &j.Left, &j.Memory, &j.Message, &j.Log, &created, &j.Ended, &j.Priority)
	if errors.Is(err, sql.ErrNoRows) {
		return j, ErrNotFound
	}
	j.Created, _ = time.Parse(time.RFC3339Nano, created)
	return j, err
}

func (s *Store) jobs(where string, args ...any) ([]Job, error) {
	rows, err := s.db.Query(`SELECT `+jobColumns+` FROM jobs WHERE `+where, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Job
	for rows.Next() {
		j, err := scanJob(rows.Scan)
		if err != nil {
			return nil, err
		}
		out = append(out, j)
	}
	return out, rows.Err()
}

// Job finds a job.
func (s *Store) Job(id int64) (Job, error) {
	return scanJob(s.db.QueryRow(`SELECT `+jobColumns+` FROM jobs WHERE id = ?`, id).Scan)
}

// ActiveJobs lists what runs, then what waits, in the order in which it will be
// done.
func (s *Store) ActiveJobs() ([]Job, error) {
	return s.jobs(`state IN ('queued', 'running') ORDER BY state = 'running' DESC, priority DESC, id`)
}

// EndedJobs lists the jobs that ended last, newest first.
func (s *Store) EndedJobs(n int) ([]Job, error) {
	return s.jobs(`state NOT IN ('queued', 'running') ORDER BY ended DESC, id DESC LIMIT ?`, n)
}

// JobPriority sets when a waiting job has its turn.
func (s *Store) JobPriority(id int64, priority int) error {
	_, err := s.db.Exec(`UPDATE jobs SET priority = ? WHERE id = ? AND state = 'queued'`, priority, id)
	return err
}

// SetBase names the take from which a shot goes on: its next take's parent.
func (s *Store) SetBase(shotID, takeID int64) error {
	_, err := s.db.Exec(`UPDATE shots SET base = ? WHERE id = ?`, takeID, shotID)
	return err
}

// Base is the take that a shot goes on from; 0 where there is none.
func (s *Store) Base(shotID int64) (id int64, err error) {
	err = s.db.QueryRow(`SELECT base FROM shots WHERE id = ?`, shotID).Scan(&id)
	return id, err
}

// ShotJobs lists a shot's jobs of a kind, newest first.
func (s *Store) ShotJobs(shotID int64, kind string) ([]Job, error) {
	return s.jobs(`shot_id = ? AND kind = ? ORDER BY id DESC LIMIT 200`, shotID, kind)
}

// AllJobs lists the jobs of a shot, of all shots where its id is 0.
func (s *Store) AllJobs(shotID int64) ([]Job, error) {
	return s.jobs(`?1 = 0 OR shot_id = ?1 ORDER BY id`, shotID)
}

// CountJobs counts a shot's jobs of a kind by take.
func (s *Store) CountJobs(shotID int64, kind string) (map[int64]int, error) {
	rows, err := s.db.Query(`SELECT take_id, COUNT(*) FROM jobs WHERE shot_id = ? AND kind = ? AND take_id IS NOT NULL GROUP BY take_id`, shotID, kind)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[int64]int{}
	for rows.Next() {
		var id int64
		var n int
		if err := rows.Scan(&id, &n); err != nil {
			return nil, err
		}
		out[id] = n
	}
	return out, rows.Err()
}

// TakeJobs are the latest simulations of a shot's takes, by take.
func (s *Store) TakeJobs(shotID int64) (map[int64]Job, error) {
	list, err := s.jobs(`shot_id = ? AND kind = 'sim' ORDER BY id`, shotID)
	out := map[int64]Job{}
	for _, j := range list {
		out[j.TakeID] = j
	}
	return out, err
}

// TakeJob is the newest simulation job of a take.
func (s *Store) TakeJob(takeID int64) (Job, error) {
	return scanJob(s.db.QueryRow(`SELECT `+jobColumns+` FROM jobs WHERE take_id = ? AND kind = 'sim' ORDER BY id DESC LIMIT 1`, takeID).Scan)
}

// JobStep records progress.
func (s *Store) JobStep(id int64, done, total int, left float64, memory int64) error {
	_, err := s.db.Exec(`UPDATE jobs SET state = CASE WHEN state = 'queued' THEN 'running' ELSE state END, started = CASE WHEN started = '' THEN ? ELSE started END, done = ?, total = ?, left_seconds = ?, memory = ? WHERE id = ?`,
		now(), done, total, left, memory, id)
	return err
}

// JobLog adds a line to a job's log, which is kept to 64 KiB.
func (s *Store) JobLog(id int64, line string) error {
	_, err := s.db.Exec(`UPDATE jobs SET log = SUBSTR(log || ? || char(10), -65536) WHERE id = ?`, time.Now().Format("15:04:05 ")+line, id)
	return err
}

// JobEnd records how a job ended.
func (s *Store) JobEnd(id int64, state, message string) error {
	_, err := s.db.Exec(`UPDATE jobs SET state = ?, message = ?, left_seconds = 0, ended = ? WHERE id = ?`, state, message, now(), id)
	return err
}

// AddSeconds adds to the time that a take took.
func (s *Store) AddSeconds(takeID int64, seconds float64) error {
	_, err := s.db.Exec(`UPDATE takes SET seconds = seconds + ? WHERE id = ?`, seconds, takeID)
	return err
}
