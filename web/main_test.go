package web

import (
	"bytes"
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio"
	"zarf/studio/assets"
	"zarf/studio/cache"
	"zarf/studio/draft"
	"zarf/studio/queue"
	"zarf/studio/store"
)

// The test binary is its own worker process.
func TestMain(m *testing.M) {
	if os.Getenv("ZARF_TEST_DRAFT") != "" {
		(&draft.Child{Threads: 2}).Serve(os.Stdin, os.Stdout)
		return
	}
	if dir := os.Getenv("ZARF_TEST_WORKER"); dir != "" {
		work(dir)
		return
	}
	code := m.Run()
	if chromium != nil {
		chromium.Close()
	}
	os.Exit(code)
}

func work(dir string) {
	ctx, cancel := context.WithCancel(context.Background())
	go func() { io.Copy(io.Discard, os.Stdin); cancel() }()
	c, err := cache.Open(filepath.Join(dir, "cache"))
	if err != nil {
		os.Exit(1)
	}
	w, err := queue.Connect(os.Getenv(studio.QueueEnv))
	if err != nil {
		os.Exit(1)
	}
	d, err := assets.Open(filepath.Join(dir, "assets"))
	if err != nil {
		os.Exit(1)
	}
	k := studio.Work{Cache: c, Files: asset.New(d)}
	w.Run(ctx, k.Do)
	w.Close()
}

// testToken lets the tests in: requests bring it along, browsers with the address.
const testToken = "0123456789abcdef0123456789abcdef"

type bearer struct{ http.RoundTripper }

func (b bearer) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.Header.Get("Authorization") == "" {
		r = r.Clone(r.Context())
		r.Header.Set("Authorization", "Bearer "+testToken)
	}
	return b.RoundTripper.RoundTrip(r)
}

func init() { http.DefaultTransport = bearer{http.DefaultTransport} }

type site struct {
	*httptest.Server
	st     *studio.Studio
	dir    string
	worker *atomic.Int64 // the process that the log last said was started
}

func quietLog() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

// loud is a log that fails a test when a template can't be filled in: a page
// would end there without a word.
type loud struct {
	slog.Handler
	t      *testing.T
	worker *atomic.Int64
}

func (l loud) Handle(ctx context.Context, r slog.Record) error {
	if r.Message == "worker started" {
		r.Attrs(func(a slog.Attr) bool { l.worker.Store(a.Value.Int64()); return false })
	}
	if r.Message == "template" {
		r.Attrs(func(a slog.Attr) bool { l.t.Errorf("a template failed: %v", a); return true })
	}
	return nil
}

// serve starts a server with a worker on a data folder.
func serve(t *testing.T, dir string) *site {
	t.Helper()
	return serveWith(t, dir, true)
}

// serveWith runs a site; without a worker what is asked for waits.
func serveWith(t *testing.T, dir string, worker bool) *site {
	t.Helper()
	pid := new(atomic.Int64)
	st, err := studio.Open(dir, slog.New(loud{slog.NewTextHandler(io.Discard, nil), t, pid}))
	if err != nil {
		t.Fatal(err)
	}
	s := &site{st: st, dir: dir, worker: pid}
	hire := func(context.Context) *exec.Cmd {
		c := exec.Command(os.Args[0])
		os.Setenv("ZARF_TEST_WORKER", dir) // the supervisor passes its environment on
		return c
	}
	if !worker {
		hire = nil
	}
	err = st.Start(hire)
	if err != nil {
		t.Fatal(err)
	}
	h := New(st, Options{Draft: draftProcess(os.Args[0]), Token: testToken})
	s.Server = httptest.NewServer(h)
	s.Client().Transport = bearer{s.Client().Transport}
	t.Cleanup(s.close)
	return s
}

// drafts are the processes of the server's live drafts.
func (s *site) drafts(t *testing.T) (out []int) {
	t.Helper()
	list, err := filepath.Glob("/proc/[0-9]*/environ")
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range list {
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
		env, _ := os.ReadFile(p)
		stat, _ := os.ReadFile(filepath.Join(filepath.Dir(p), "stat"))
		_, rest, _ := strings.Cut(string(stat), ") ")
		if f := strings.Fields(rest); len(f) > 1 && f[0] != "Z" && f[1] == strconv.Itoa(os.Getpid()) && bytes.Contains(env, []byte("ZARF_TEST_DRAFT=1")) {
			out = append(out, pid)
		}
	}
	if len(out) == 0 {
		t.Fatal("no draft runs")
	}
	return out
}

func (s *site) close() {
	if s.Server == nil {
		return
	}
	Quit(s.Config)
	s.CloseClientConnections()
	s.Server.Close()
	s.st.Close()
	os.Unsetenv("ZARF_TEST_WORKER")
	s.Server = nil
}

// small is a shot that runs in a moment.
func small(name string) *shot.Shot {
	s := shot.New(name)
	val.Last.Set(s.Self, 8)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1.2, 0.8)
	val.Voxel.Set(d, 0.05)
	val.Position.Set(d, 0, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.25, 0)
	val.Smoke.Set(e, 2)
	return s
}

func (s *site) add(t *testing.T, doc *shot.Shot) store.ShotRow {
	t.Helper()
	row, err := s.st.Store.CreateShot(doc, "test")
	if err != nil {
		t.Fatal(err)
	}
	return row
}

// post sends a form as htmx would from a station's page.
func (s *site) post(t *testing.T, path, station string, kv ...string) (int, string) {
	t.Helper()
	form := url.Values{}
	for i := 0; i+1 < len(kv); i += 2 {
		form.Add(kv[i], kv[i+1])
	}
	r, err := http.NewRequest("POST", s.URL+path, strings.NewReader(form.Encode()))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("HX-Request", "true")
	slug := strings.Split(path+"//", "/")[2]
	r.Header.Set("HX-Current-URL", s.URL+"/shots/"+slug+"/"+station)
	return s.do(t, r)
}

func (s *site) do(t *testing.T, r *http.Request) (int, string) {
	t.Helper()
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, string(b)
}

func (s *site) get(t *testing.T, path string) (int, string) {
	t.Helper()
	r, err := http.NewRequest("GET", s.URL+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	return s.do(t, r)
}

// await waits for a condition.
func await(t *testing.T, what string, d time.Duration, fn func() bool) {
	t.Helper()
	end := time.Now().Add(d)
	for !fn() {
		if time.Now().After(end) {
			t.Fatalf("waited %v for %s", d, what)
		}
		time.Sleep(10 * time.Millisecond)
	}
}

func (s *site) job(t *testing.T, takeID int64) store.Job {
	t.Helper()
	j, err := s.st.Store.TakeJob(takeID)
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// finish runs a shot's take to its end.
func (s *site) finish(t *testing.T, row store.ShotRow) store.Take {
	t.Helper()
	tk, err := s.st.Run(row, "", 0, 0)
	if err != nil {
		t.Fatal(err)
	}
	await(t, "the run", 60*time.Second, func() bool { j := s.job(t, tk.ID); return !j.Active() })
	if j := s.job(t, tk.ID); j.State != store.Done {
		t.Fatalf("the run ended %s: %s", j.State, j.Message)
	}
	return tk
}
