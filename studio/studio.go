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

	lru "github.com/hashicorp/golang-lru/v2"

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
	done   chan struct{}
	mu     sync.Mutex
	rate   float64

	logs map[int64]*run.Log // of the jobs that run; only hear touches it

	turn   sync.Mutex
	flying map[int64]bool // orders that a worker has, or may take

	found *lru.Cache[checked, []check.Finding]

	library sync.Mutex // over the kept ramps and curves
}

// Open takes a data folder; a second program on the same folder is refused.
func Open(dir string, log *slog.Logger) (*Studio, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("data folder %s: %w; give another with --data", dir, err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("data folder %s is used by another Zarf; stop that one or give another folder with --data", dir)
	}
	s := &Studio{Dir: dir, lock: lock, Log: log, logs: map[int64]*run.Log{}, found: newFound()}
	if s.Store, err = store.Open(filepath.Join(dir, "zarf.db")); err != nil {
		lock.Close()
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
		<-s.done
	}
	if s.queue != nil {
		s.queue.Close()
	}
	s.hub.close()
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
	if err := s.dispatch(0); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(context.Background())
	s.cancel, s.done = cancel, make(chan struct{})
	go s.supervise(ctx, worker)
	return nil
}
