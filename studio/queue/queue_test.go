package queue

import (
	"bytes"
	"context"
	"errors"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

type heard struct {
	mu sync.Mutex
	ev []Event
}

func (h *heard) add(e Event) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.ev = append(h.ev, e)
	return nil
}

func (h *heard) ends() (out []Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, e := range h.ev {
		if e.Kind == End {
			out = append(out, e)
		}
	}
	return out
}

func start(t *testing.T) (*Server, *heard) {
	t.Helper()
	s, err := Start(t.TempDir(), "secret")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	h := &heard{}
	if err := s.Listen(h.add); err != nil {
		t.Fatal(err)
	}
	serveAll(t, s)
	return s, h
}

// serveAll gives every job the same text.
func serveAll(t *testing.T, s *Server) {
	t.Helper()
	if err := s.Serve(func(int64, bool) ([]byte, error) { return []byte(`{"n":1}`), nil }); err != nil {
		t.Fatal(err)
	}
}

// employ runs a worker until the test ends, or until its cancel is called.
func employ(t *testing.T, s *Server, do Do) context.CancelFunc {
	t.Helper()
	w, err := Connect(s.URL())
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan bool)
	go func() { w.Run(ctx, do); close(done) }()
	var once sync.Once
	stop := func() { once.Do(func() { cancel(); <-done; w.Close() }) }
	t.Cleanup(stop)
	return stop
}

func await(t *testing.T, what string, d time.Duration, fn func() bool) {
	t.Helper()
	for end := time.Now().Add(d); !fn(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("waited %v for %s", d, what)
		}
	}
}

func TestOrdersAreDoneInTurn(t *testing.T) {
	s, h := start(t)
	for n := range int64(5) {
		if err := s.Publish(Order{Job: n + 1, Kind: "sim"}); err != nil {
			t.Fatal(err)
		}
	}
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) {
		step(map[string]int64{"job": o.Job})
		return "done", ""
	})
	await(t, "five ends", 10*time.Second, func() bool { return len(h.ends()) == 5 })
	for i, e := range h.ends() {
		if e.Job != int64(i+1) || e.State != "done" {
			t.Errorf("%+v", e)
		}
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(h.ev) != 15 || h.ev[1].Kind != Step || !strings.Contains(string(h.ev[1].Step), `"job":1`) {
		t.Errorf("%+v", h.ev)
	}
}

func TestStopReachesTheJobAlone(t *testing.T) {
	s, h := start(t)
	begun := make(chan int64, 2)
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) {
		begun <- o.Job
		select {
		case <-ctx.Done():
			return "stopped", "as asked"
		case <-time.After(5 * time.Second):
			return "done", ""
		}
	})
	s.Publish(Order{Job: 1, Kind: "sim"})
	<-begun
	s.Stop(99)
	time.Sleep(50 * time.Millisecond)
	if len(h.ends()) != 0 {
		t.Fatal("the stop of another job ended this one")
	}
	s.Stop(1)
	await(t, "the end", 3*time.Second, func() bool { return len(h.ends()) == 1 })
	if e := h.ends()[0]; e.State != "stopped" || e.Message != "as asked" {
		t.Errorf("%+v", e)
	}
}

// A worker that leaves gives its job back, and the next one does it.
func TestAJobOfALeavingWorkerIsDoneAgain(t *testing.T) {
	s, h := start(t)
	begun := make(chan bool, 1)
	leave := employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) {
		begun <- true
		<-ctx.Done()
		return "stopped", ""
	})
	s.Publish(Order{Job: 7, Kind: "sim"})
	<-begun
	leave()
	if len(h.ends()) != 0 {
		t.Error("a leaving worker ended the job")
	}
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) { return "done", "" })
	await(t, "the second worker", 10*time.Second, func() bool { return len(h.ends()) == 1 })
}

// The word that a job ended is not lost when nobody listens for a while, nor
// when it can't be booked at once; and the work isn't done again for that.
func TestAnEndIsToldUntilItIsBooked(t *testing.T) {
	s, err := Start(t.TempDir(), "secret")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	serveAll(t, s)
	var did atomic.Int32
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) {
		did.Add(1)
		return "done", "as it was"
	})
	if err := s.Publish(Order{Job: 3, Kind: "sim"}); err != nil {
		t.Fatal(err)
	}
	await(t, "the work", 5*time.Second, func() bool { return did.Load() == 1 })
	time.Sleep(hearing / 4) // the end goes out now, and nobody hears it
	h, refused := &heard{}, 0
	if err := s.Listen(func(e Event) error {
		if e.Kind == End && refused < 2 {
			refused++
			return errors.New("the database is locked")
		}
		return h.add(e)
	}); err != nil {
		t.Fatal(err)
	}
	await(t, "the end", patience, func() bool { return len(h.ends()) == 1 })
	if e := h.ends()[0]; e.Job != 3 || e.State != "done" || e.Message != "as it was" {
		t.Errorf("%+v", e)
	}
	time.Sleep(hearing / 2)
	if n := len(h.ends()); n != 1 || did.Load() != 1 {
		t.Errorf("told %d times, done %d times", n, did.Load())
	}
}

func TestWrongTokenIsRefused(t *testing.T) {
	s, _ := start(t)
	u, err := url.Parse(s.URL())
	if err != nil {
		t.Fatal(err)
	}
	u.User = url.User("guess")
	if _, err := Connect(u.String()); err == nil || !strings.Contains(err.Error(), "Authorization Violation") {
		t.Errorf("got %v", err)
	}
	u.User = nil
	if _, err := Connect(u.String()); err == nil {
		t.Error("no token was taken")
	}
	if u.Hostname() != "127.0.0.1" {
		t.Errorf("the queue listens on %s", u.Hostname())
	}
}

// What a server left that was killed doesn't keep the next one from starting.
func TestALeftFolderIsNoObstacle(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "jetstream"), []byte("half a store"), 0o600); err != nil {
		t.Fatal(err)
	}
	s, err := Start(dir, "secret")
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
}

// A job may be as large as it likes: what it holds comes in pieces, and is what
// the server gave to the byte. The orders behind it are done as well.
func TestALargeOrderComesInPieces(t *testing.T) {
	s, err := Start(t.TempDir(), "secret")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	h := &heard{}
	if err := s.Listen(h.add); err != nil {
		t.Fatal(err)
	}
	large := bytes.Repeat([]byte(`"0123456789",`), 2_000_000) // 26 MB
	begins := map[int64]int{}
	if err := s.Serve(func(job int64, b bool) ([]byte, error) {
		if b {
			begins[job]++
		}
		return large[:len(large)/int(job)], nil
	}); err != nil {
		t.Fatal(err)
	}
	got := map[int64][]byte{}
	for _, n := range []int64{1, 2, 1000} {
		if err := s.Publish(Order{Job: n, Kind: "sim"}); err != nil {
			t.Fatal(err)
		}
	}
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) {
		got[o.Job] = o.Spec
		return "done", ""
	})
	await(t, "three ends", 20*time.Second, func() bool { return len(h.ends()) == 3 })
	for _, n := range []int64{1, 2, 1000} {
		if !bytes.Equal(got[n], large[:len(large)/int(n)]) || begins[n] != 1 {
			t.Errorf("job %d came as %d bytes, begun %d times", n, len(got[n]), begins[n])
		}
	}
}

// An order that is not due any more is dropped, one that can't be told yet comes
// again, and neither keeps the next one waiting for long.
func TestOrdersThatAreNotDue(t *testing.T) {
	s, err := Start(t.TempDir(), "secret")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	h := &heard{}
	if err := s.Listen(h.add); err != nil {
		t.Fatal(err)
	}
	var asked atomic.Int32
	if err := s.Serve(func(job int64, b bool) ([]byte, error) {
		switch {
		case job == 1:
			return nil, Gone
		case job == 2 && asked.Add(1) < 3:
			return nil, errors.New("the database is locked\nand busy")
		}
		return []byte("{}"), nil
	}); err != nil {
		t.Fatal(err)
	}
	for n := range int64(3) {
		if err := s.Publish(Order{Job: n + 1, Kind: "sim"}); err != nil {
			t.Fatal(err)
		}
	}
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) { return "done", "" })
	await(t, "two ends", 20*time.Second, func() bool { return len(h.ends()) == 2 })
	if e := h.ends(); e[0].Job != 3 || e[1].Job != 2 || asked.Load() != 3 {
		t.Errorf("%+v, asked %d times", e, asked.Load())
	}
	if n, err := s.Held(); err != nil || n != 0 {
		t.Errorf("the queue holds %d: %v", n, err)
	}
}

// A queue that has lost its stream takes orders all the same, and tells that it
// holds none of those before.
func TestALostStreamIsMadeAnew(t *testing.T) {
	s, h := start(t)
	if err := s.Publish(Order{Job: 1, Kind: "sim"}); err != nil {
		t.Fatal(err)
	}
	if err := s.js.DeleteStream(context.Background(), stream); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Held(); err == nil {
		t.Error("a stream that isn't there holds something")
	}
	if err := s.Publish(Order{Job: 2, Kind: "sim"}); err != nil {
		t.Fatal(err)
	}
	if n, err := s.Held(); err != nil || n != 1 {
		t.Errorf("it holds %d: %v", n, err)
	}
	employ(t, s, func(ctx context.Context, o Order, step func(any)) (string, string) { return "done", "" })
	await(t, "the end", 10*time.Second, func() bool { return len(h.ends()) == 1 })
	if e := h.ends()[0]; e.Job != 2 {
		t.Errorf("%+v", e)
	}
}

// A folder that can't be written is no obstacle either: the queue keeps nothing.
func TestAFolderThatCantBeWritten(t *testing.T) {
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	s, err := Start(filepath.Join(file, "queue"), "secret")
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
	if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "zarf-queue-*")); len(left) > 0 {
		t.Errorf("it left %v", left)
	}
}
