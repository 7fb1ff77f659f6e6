// Command zarf is the whole program: the server with its pages, the workers,
// and every station's work from the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"

	"github.com/spf13/cobra"

	"zarf/studio"
	"zarf/studio/run"
)

// Exit codes.
const (
	exitFailed  = 1
	exitUsage   = 2
	exitRefused = 3
	exitStopped = 4
)

// usage marks an error in how the command was called.
type usage struct{ error }

type options struct {
	data    string
	threads int
	json    bool
}

func main() { os.Exit(Main(os.Args[1:])) }

// Main runs a command line and returns the exit code.
func Main(args []string) int {
	ctx, cancel := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer cancel()
	root := newRoot()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return 0
	}
	fmt.Fprintln(os.Stderr, "zarf:", err)
	var u usage
	var refused *studio.Refused
	switch {
	case errors.As(err, &u):
		return exitUsage
	case errors.As(err, &refused):
		return exitRefused
	case errors.Is(err, run.ErrStopped), errors.Is(err, context.Canceled):
		return exitStopped
	}
	return exitFailed
}

func newRoot() *cobra.Command {
	o := &options{}
	root := &cobra.Command{
		Use:           "zarf",
		Short:         "Set up, simulate, light and hand over smoke, fire and liquids",
		Long:          "Zarf is a web application for simulating smoke, fire, explosions and liquids, and a command line for the same work.\nSHOT is the name of a shot in the library, or a shot file (.json).\n\nExit codes: 0 done, 1 failed, 2 wrong call, 3 refused by the checks, 4 stopped.",
		Args:          cobra.ArbitraryArgs, // an unknown command is named in RunE
		SilenceUsage:  true,
		SilenceErrors: true,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) > 0 {
				return usage{fmt.Errorf("there is no command %q; zarf --help lists them", args[0])}
			}
			return c.Help()
		},
	}
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usage{err} })
	p := root.PersistentFlags()
	p.StringVar(&o.data, "data", env("ZARF_DATA", defaultData()), "data folder (or ZARF_DATA)")
	p.IntVar(&o.threads, "threads", 0, "threads to compute with (0: all)")
	p.BoolVar(&o.json, "json", false, "print JSON for machines")
	root.AddCommand(serveCommand(o), demoCommand(o), workerCommand(o), draftCommand(o), shotsCommand(o), exportCommand(o), importCommand(o),
		simCommand(o), renderCommand(o), handoverCommand(o), checkCommand(o), inspectCommand(o), benchCommand(o), verifyCommand(o), valuesCommand(o), recipeCommand(o), editCommand(o), restoreCommand(o), addressCommand(o))
	return root
}

func env(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}

func defaultData() string {
	if d := os.Getenv("XDG_DATA_HOME"); d != "" {
		return filepath.Join(d, "zarf")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "zarf-data"
	}
	return filepath.Join(home, ".local", "share", "zarf")
}

// demoData is where the demo's library is kept unless told otherwise.
func demoData() string { return filepath.Join(filepath.Dir(defaultData()), "zarf-demo") }

// exactly takes a number of arguments.
func exactly(n int, what string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if len(args) != n {
			return usage{fmt.Errorf("%s takes %s; %d arguments were given", c.Name(), what, len(args))}
		}
		return nil
	}
}
