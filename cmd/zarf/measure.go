package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
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
	var section string
	var plain bool
	c := &cobra.Command{Use: name, Short: short, Args: exactly(0, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			t, err := run(section, o.threads)
			if err != nil {
				return usage{err}
			}
			if plain {
				other, err := runPlain(o, section)
				if err != nil {
					return err
				}
				t.Beside(other)
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(t)
			}
			fmt.Println(t.Machine)
			w := tabwriter.NewWriter(os.Stdout, 2, 2, 2, ' ', 0)
			head := "section\tcase\ttarget\tmeasured\tunit\tmet"
			if plain {
				head += "\tplain"
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
				if plain {
					fmt.Fprintf(w, "\t%s", r.Plain)
				}
				fmt.Fprintln(w)
			}
			return w.Flush()
		}}
	c.Flags().StringVar(&section, "section", "", "one section only")
	if name == "bench" {
		c.Flags().BoolVar(&plain, "plain", false, "measure without vector kernels too, in a column beside")
	}
	return c
}

// runPlain measures in a process of its own that has no vector kernels.
func runPlain(o *options, section string) (*measure.Table, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(self, "bench", "--json", "--section", section, "--threads", strconv.Itoa(o.threads))
	cmd.Env, cmd.Stderr = append(os.Environ(), vec.Switch+"="+string(vec.Plain)), os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("measuring without vectors: %w", err)
	}
	t := &measure.Table{}
	return t, json.Unmarshal(out, t)
}
