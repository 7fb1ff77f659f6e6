package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"runtime/pprof"
	"slices"
	"strconv"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"zarf/core/vec"
	"zarf/measure"
)

func benchCommand(o *options) *cobra.Command {
	return tableCommand(o, "bench", "Measure speed against the targets", measure.Bench)
}

func verifyCommand(o *options) *cobra.Command {
	return tableCommand(o, "verify", "Measure accuracy against the targets", measure.Verify)
}

func tableCommand(o *options, name, short string, run func(section string, threads int) (*measure.Table, error)) *cobra.Command {
	var section, profile string
	var sets bool
	c := &cobra.Command{Use: name, Short: short, Args: exactly(0, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			end, err := profiled(profile)
			if err != nil {
				return err
			}
			t, err := run(section, o.threads)
			if err != nil {
				return usage{err}
			}
			if err := end(); err != nil {
				return err
			}
			var columns []string
			for _, set := range slices.Backward(vec.Sets()) {
				if !sets || set >= vec.Chosen {
					continue
				}
				other, err := runWith(o, set, section)
				if err != nil {
					return err
				}
				t.Beside(set.String(), other)
				columns = append(columns, set.String())
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(t)
			}
			return show(t, columns)
		}}
	c.Flags().StringVar(&section, "section", "", "one section only")
	if name == "bench" {
		c.Flags().StringVar(&profile, "profile", "", "write where the time goes to this file, as the compiler reads it")
		c.Flags().BoolVar(&sets, "sets", false, "measure with smaller sets of vector kernels too (AVX2, plain Go), in columns beside")
	}
	return c
}

// show prints a table, with the measures of other sets of kernels in columns.
func show(t *measure.Table, columns []string) error {
	fmt.Println(t.Machine)
	w := tabwriter.NewWriter(os.Stdout, 2, 2, 2, ' ', 0)
	head := "section\tcase\ttarget\tmeasured\tunit\tmet"
	for _, set := range columns {
		head += "\t" + set
	}
	fmt.Fprintln(w, head)
	for _, r := range t.Rows {
		met := "yes"
		if !r.Met {
			met = "no"
		}
		if r.Target == "" {
			met = "–"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s", r.Section, r.Case, r.Target, r.Measured, r.Unit, met)
		for _, set := range columns {
			fmt.Fprintf(w, "\t%s", r.Sets[set])
		}
		fmt.Fprintln(w)
	}
	return w.Flush()
}

// profiled writes a profile of the processor's time to a file, until end is called; to none
// where the path is empty.
func profiled(path string) (end func() error, err error) {
	if path == "" {
		return func() error { return nil }, nil
	}
	f, err := os.Create(path)
	if err != nil {
		return nil, fmt.Errorf("profile: %w", err)
	}
	if err := pprof.StartCPUProfile(f); err != nil {
		return nil, fmt.Errorf("profile: %w", err)
	}
	return func() error {
		pprof.StopCPUProfile()
		if err := f.Close(); err != nil {
			return fmt.Errorf("profile: %w", err)
		}
		return nil
	}, nil
}

// runWith measures in a process of its own that has no larger set of kernels.
func runWith(o *options, set vec.Set, section string) (*measure.Table, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(self, "bench", "--json", "--section", section, "--threads", strconv.Itoa(o.threads))
	cmd.Env, cmd.Stderr = append(os.Environ(), vec.Switch+"="+set.String()), os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("measuring with %s kernels: %w", set, err)
	}
	t := &measure.Table{}
	return t, json.Unmarshal(out, t)
}
