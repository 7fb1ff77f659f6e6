package main

import (
	"encoding/json"
	"fmt"
	"os"
	"text/tabwriter"

	"github.com/spf13/cobra"

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
	c := &cobra.Command{Use: name, Short: short, Args: exactly(0, "no arguments"),
		RunE: func(*cobra.Command, []string) error {
			t, err := run(section, o.threads)
			if err != nil {
				return usage{err}
			}
			if o.json {
				return json.NewEncoder(os.Stdout).Encode(t)
			}
			fmt.Println(t.Machine)
			w := tabwriter.NewWriter(os.Stdout, 2, 2, 2, ' ', 0)
			fmt.Fprintln(w, "section\tcase\ttarget\tmeasured\tunit\tmet")
			for _, r := range t.Rows {
				met := "yes"
				if !r.Met {
					met = "no"
				}
				if r.Target == "" {
					met = "–"
				}
				fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\t%s\n", r.Section, r.Case, r.Target, r.Measured, r.Unit, met)
			}
			return w.Flush()
		}}
	c.Flags().StringVar(&section, "section", "", "one section only")
	return c
}
