package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"zarf/demo"
	"zarf/studio"
	"zarf/studio/cache"
	"zarf/studio/draft"
	"zarf/studio/queue"
	"zarf/studio/store"
	"zarf/web"
)

type serveOptions struct {
	listen string
	noWork bool
}

func (s *serveOptions) flags(c *cobra.Command) {
	c.Flags().StringVar(&s.listen, "listen", env("ZARF_LISTEN", "127.0.0.1:8321"), "address to listen on (or ZARF_LISTEN)")
	c.Flags().BoolVar(&s.noWork, "no-worker", false, "don't start a worker process")
}

func serveCommand(o *options) *cobra.Command {
	var s serveOptions
	c := &cobra.Command{Use: "serve", Short: "Serve the library on a local address", Args: exactly(0, "no arguments"),
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), o, &s, false) }}
	s.flags(c)
	return c
}

func demoCommand(o *options) *cobra.Command {
	var s serveOptions
	c := &cobra.Command{Use: "demo", Short: "Serve a library with the demo shots", Args: exactly(0, "no arguments"),
		RunE: func(c *cobra.Command, _ []string) error {
			if !c.Flags().Changed("data") && os.Getenv("ZARF_DATA") == "" {
				o.data = demoData()
			}
			return serve(c.Context(), o, &s, true)
		}}
	s.flags(c)
	return c
}

// loopback tells whether an address can be reached from this machine only.
func loopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	return err == nil && web.Own(host)
}

func serve(ctx context.Context, o *options, so *serveOptions, withDemo bool) error {
	if !loopback(so.listen) {
		return usage{fmt.Errorf("%s can be reached from other machines, and there are no accounts yet; listen on 127.0.0.1", so.listen)}
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelInfo}))
	ln, err := net.Listen("tcp", so.listen)
	if err != nil {
		return fmt.Errorf("can't listen on %s: %w; give another address with --listen", so.listen, err)
	}
	defer ln.Close()
	st, err := studio.Open(o.data, log)
	if err != nil {
		return err
	}
	defer st.Close()
	if withDemo {
		if err := plant(st.Store, st.Files); err != nil {
			return err
		}
	}
	var worker func(ctx context.Context) *exec.Cmd
	self, err := os.Executable()
	if err != nil {
		return err
	}
	drafts := func() *exec.Cmd {
		return exec.Command(self, "draft", "--data", o.data, "--threads", strconv.Itoa(o.threads))
	}
	if !so.noWork {
		worker = func(context.Context) *exec.Cmd {
			return exec.Command(self, "worker", "--data", o.data, "--threads", strconv.Itoa(o.threads))
		}
	}
	if err := st.Start(worker); err != nil {
		return err
	}
	if withDemo {
		if err := firstRun(st); err != nil {
			log.Warn("the demo shot's first run could not be queued", "error", err)
		}
	}
	token, err := st.Token()
	if err != nil {
		return err
	}
	return answer(ctx, st, ln, web.New(st, web.Options{Threads: o.threads, Draft: drafts, Token: token}), token)
}

// answer serves the pages until ctx ends, and says where they are.
func answer(ctx context.Context, st *studio.Studio, ln net.Listener, pages http.Handler, token string) error {
	srv := &http.Server{Handler: pages, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	stopped := make(chan error, 1)
	go func() { stopped <- srv.Serve(ln) }()
	where := fmt.Sprintf("http://%s/?%s=%s", ln.Addr(), web.TokenName, token)
	if err := st.Told(where); err != nil {
		return err
	}
	fmt.Printf("Zarf is at %s  (data in %s; stop with Ctrl-C)\n", where, st.Dir)
	select {
	case err := <-stopped:
		return err
	case <-ctx.Done():
	}
	st.Log.Info("stopping; running jobs keep what they made")
	web.Quit(srv)
	end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := srv.Shutdown(end); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}

// plant puts the demo shots that are missing into the library.
func plant(st *store.Store, files demo.Keeper) error {
	shots, err := demo.Shots(files)
	if err != nil {
		return err
	}
	for _, d := range shots {
		if _, err := st.Shot(store.Slug(d.Name)); err == nil {
			continue
		}
		if _, err := st.CreateShot(d, "demo"); err != nil {
			return err
		}
	}
	return nil
}

// firstRun makes the first demo shot's cache where it has no take yet.
func firstRun(st *studio.Studio) error {
	row, err := st.Store.Shot(store.Slug(demo.First))
	if err != nil {
		return err
	}
	takes, err := st.Store.Takes(row.ID)
	if err != nil || len(takes) > 0 {
		return err
	}
	_, err = st.Run(row, "", 0, 0)
	return err
}

func draftCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "draft", Short: "Run a live draft (a server starts it and talks to it by standard input and output)", Hidden: true, Args: exactly(0, "no arguments"),
		RunE: func(c *cobra.Command, _ []string) error {
			ca, err := o.cache()
			if err != nil {
				return err
			}
			child := draft.Child{Files: o.files(), Cache: ca, Threads: o.threads}
			return child.Serve(os.Stdin, os.Stdout)
		}}
}

// farewell is how long a worker whose server has gone goes on at most, to keep what
// it has made. It is less than the server's own patience with it, and than that of
// the next server's worker for the frames that it holds.
const farewell = 6 * time.Second

// addressCommand prints where the server of a data folder is.
func addressCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "address", Short: "Print the whole address of the server that runs on the data folder", Args: exactly(0, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			where, err := studio.Address(o.data)
			if err != nil {
				return err
			}
			fmt.Println(where)
			return nil
		}}
}

func workerCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "worker", Short: "Work on queued jobs (its queue is told by " + studio.QueueEnv + ")", Args: exactly(0, "no arguments"),
		RunE: func(c *cobra.Command, _ []string) error {
			address := os.Getenv(studio.QueueEnv)
			if address == "" {
				return usage{fmt.Errorf("%s is not set; a server starts its own worker, and shows this address for others", studio.QueueEnv)}
			}
			ctx, cancel := context.WithCancel(c.Context())
			defer cancel()
			go func() { // the server ends: stop too, keeping what was made
				io.Copy(io.Discard, os.Stdin)
				cancel()
				// Killed, it leaves no lock behind and no frame half written; a state
				// that takes longer to save than this is worth less than the wait.
				time.Sleep(farewell)
				os.Exit(1)
			}()
			ca, err := cache.Open(filepath.Join(o.data, "cache"))
			if err != nil {
				return err
			}
			w, err := queue.Connect(address)
			if err != nil {
				return err
			}
			defer w.Close()
			work := studio.Work{Cache: ca, Files: o.files(), Threads: o.threads}
			return w.Run(ctx, work.Do)
		}}
}
