package studio

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"
	"syscall"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"zarf/core/asset"
	"zarf/core/check"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/queue"
	"zarf/studio/run"
	"zarf/studio/store"
)

// Studio is one data folder at work.
type Studio struct {
	Dir   string
	Store *store.Store
	Cache *cache.Cache
	Files *assets.Dir // imported files, painted weights, reference clips
	Log   *slog.Logger

	lock   *os.File
	queue  *queue.Server
	hub    hub
	cancel context.CancelFunc
	done   sync.WaitGroup
	mu     sync.Mutex
	rate   float64

	logs map[int64]*run.Log // of the jobs that run; only hear touches it
	full sync.Map           // ids of jobs that wait for room; not in the database, whose disk is full

	turn   sync.Mutex
	flying map[int64]bool // orders that a worker has, or may take
	begun  map[int64]int  // how often workers have taken a job since it last made something

	found   *lru.Cache[checked, []check.Finding]
	looking singleflight.Group // for findings

	library sync.Mutex // over the kept ramps and curves
}

// Database and Copies are where a data folder has its database, and the copies of
// it that one can go back to.
func Database(dir string) string { return filepath.Join(dir, "zarf.db") }
func Copies(dir string) string   { return filepath.Join(dir, "copies") }

// Hold takes a data folder, which is made where it is missing, and keeps others out
// of it: other programs by a lock, which closing the file gives back, and other
// users of the machine by its rights.
func Hold(dir string) (*os.File, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	// folders of older versions could be read by all; one of somebody else stays as
	// it is, and is refused below where it can't be written
	os.Chmod(dir, 0o700)
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("data folder %s is used by another Zarf; stop that one or give another folder with --data", dir)
	}
	return lock, nil
}

// Open takes a data folder; a second program on the same folder is refused.
func Open(dir string, log *slog.Logger) (*Studio, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	lock, err := Hold(dir)
	if err != nil {
		return nil, err
	}
	s := &Studio{Dir: dir, lock: lock, Log: log, logs: map[int64]*run.Log{}, flying: map[int64]bool{}, begun: map[int64]int{}, found: newFound()}
	if s.Store, err = store.Open(Database(dir)); err != nil {
		lock.Close()
		if list := store.Copies(Copies(dir)); len(list) > 0 {
			err = fmt.Errorf("%w; there are %d copies to go back to, the newest of %s: zarf restore --data %s", err, len(list), list[0].Made.Local().Format(time.DateTime), dir)
		}
		return nil, err
	}
	if s.Cache, err = cache.Open(filepath.Join(dir, "cache")); err != nil {
		s.Close()
		return nil, err
	}
	if s.Files, err = assets.Open(filepath.Join(dir, "assets")); err != nil {
		s.Close()
		return nil, err
	}
	s.Store.Files = asset.New(s.Files)
	s.rate, _ = strconv.ParseFloat(s.Store.Setting("voxels_per_second"), 64)
	return s, nil
}

// Close stops the worker and the queue and lets go of the folder.
func (s *Studio) Close() {
	if s.cancel != nil {
		s.cancel()
		s.done.Wait()
	}
	if s.queue != nil {
		s.queue.Close()
	}
	s.hub.close()
	os.Remove(filepath.Join(s.Dir, "address"))
	if s.Store != nil {
		s.Store.Close()
	}
	s.lock.Close()
}

// QueueURL is where workers connect.
func (s *Studio) QueueURL() string { return s.queue.URL() }

// QueueEnv names the environment variable that tells a worker its queue; it
// holds a token and so is kept off the command line.
const QueueEnv = "ZARF_QUEUE"

// Start runs the queue, gives out again what was due when the last server
// ended, and keeps one worker process alive.
func (s *Studio) Start(worker func(ctx context.Context) *exec.Cmd) error {
	b := make([]byte, 24)
	rand.Read(b)
	q, err := queue.Start(filepath.Join(s.Dir, "queue"), hex.EncodeToString(b))
	if err != nil {
		return err
	}
	s.queue = q
	if err := q.Listen(s.hear); err != nil {
		return err
	}
	if err := q.Serve(s.give); err != nil {
		return err
	}
	s.dispatch(0)
	ctx, cancel := context.WithCancel(context.Background())
	s.cancel = cancel
	s.done.Go(func() { s.supervise(ctx, worker) })
	s.done.Go(func() { s.tend(ctx) })
	s.done.Go(func() { s.copyDaily(ctx) })
	return nil
}

// fresh is how old a copy of the database may be for a start to make do with it.
const fresh = 10 * time.Minute

// copyDaily makes a copy of the database at the start and every day after.
func (s *Studio) copyDaily(ctx context.Context) {
	for ctx.Err() == nil {
		wait := 24 * time.Hour
		if l := store.Copies(Copies(s.Dir)); len(l) == 0 || time.Since(l[0].Made) > fresh {
			if c, err := s.Store.Backup(Copies(s.Dir), time.Now()); err != nil {
				s.Log.Error("the database could not be copied", "error", err)
				wait = time.Hour
			} else {
				s.Log.Info("the database is copied", "to", c.Path, "bytes", c.Size)
			}
		}
		sleep(ctx, wait)
	}
}

// Token lets people in. It is that of the data folder and stays the same, so that
// open pages and bookmarks outlive a restart; who can read the folder can read it.
func (s *Studio) Token() (string, error) {
	name := filepath.Join(s.Dir, "token")
	if b, err := os.ReadFile(name); err == nil && len(b) == 32 {
		return string(b), nil
	}
	b := make([]byte, 16)
	rand.Read(b)
	token := hex.EncodeToString(b)
	if err := writeOwn(name, token); err != nil {
		return "", fmt.Errorf("the token can't be kept: %w", err)
	}
	return token, nil
}

// Told keeps the address that was told, token included, for Address. It goes with
// Close.
func (s *Studio) Told(address string) error {
	return writeOwn(filepath.Join(s.Dir, "address"), address)
}

// Address is where the server of a data folder is.
func Address(dir string) (string, error) {
	b, err := os.ReadFile(filepath.Join(dir, "address"))
	if err != nil {
		return "", fmt.Errorf("no server runs on %s; start one with zarf serve", dir)
	}
	return string(b), nil
}

// writeOwn writes a file that only its owner reads.
func writeOwn(name, text string) error {
	tmp := name + ".part"
	if err := os.WriteFile(tmp, []byte(text), 0o600); err != nil {
		return err
	}
	return os.Rename(tmp, name)
}
