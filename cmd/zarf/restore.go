package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"zarf/studio"
	"zarf/studio/store"
)

// restoreCommand goes back to a copy of the database.
func restoreCommand(o *options) *cobra.Command {
	return &cobra.Command{Use: "restore [COPY]", Short: "List the copies of the library's database, or go back to one (by its number)", Args: cobra.MaximumNArgs(1),
		Long: "A copy of the database is made at each start and every day after; the newest few stay, and one of each of some days before.\n" +
			"Going back brings shots, takes and orders as they were then. Frames and pictures are not in the database and stay as they are:\n" +
			"a run with the same values finds its frames. What stands there now is kept beside it, under another name.",
		RunE: func(c *cobra.Command, args []string) error {
			dir, err := filepath.Abs(o.data)
			if err != nil {
				return err
			}
			list := store.Copies(studio.Copies(dir))
			if len(list) == 0 {
				return fmt.Errorf("%s holds no copies of the database", dir)
			}
			if len(args) == 0 {
				return tellCopies(list)
			}
			n, err := strconv.Atoi(args[0])
			if err != nil || n < 1 || n > len(list) {
				return usage{fmt.Errorf("%q is no copy; give a number from 1 to %d, as zarf restore lists them", args[0], len(list))}
			}
			lock, err := studio.Hold(dir)
			if err != nil {
				return err
			}
			defer lock.Close()
			aside, err := store.Restore(list[n-1], studio.Database(dir), time.Now())
			if err != nil {
				return err
			}
			fmt.Printf("The library is as it was on %s.\n", list[n-1].Made.Local().Format(time.DateTime))
			if aside != "" {
				fmt.Printf("What stood there is kept as %s.\n", aside)
			}
			return nil
		}}
}

// tellCopies lists copies with what they hold.
func tellCopies(list []store.Copy) error {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for i, c := range list {
		holds := "can't be used"
		if n, err := store.Inspect(c.Path); err == nil {
			holds = fmt.Sprintf("%d shots", n)
		}
		fmt.Fprintf(w, "%d\t%s\t%s\t%s\n", i+1, c.Made.Local().Format(time.DateTime), humanize.Bytes(uint64(c.Size)), holds)
	}
	return w.Flush()
}
