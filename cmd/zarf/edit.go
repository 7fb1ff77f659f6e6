package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"zarf/core/edit"
	"zarf/core/shot"
	"zarf/studio/cache"
)

func editCommand(o *options) *cobra.Command {
	var from, out string
	c := &cobra.Command{Use: "edit SHOT [ADDRESS.VALUE=TO]...", Short: "Change a shot: set values, or do a list of commands",
		Long: "Set values, each in any unit that its field takes:\n\n  zarf edit BL010 domain1.voxel=\"4 cm\" shot:.last=120\n\nor do commands of the language of edits, from a file of JSON or from the standard input (-):\n\n  zarf edit plume.json --commands - <<< '[{\"do\":\"add\",\"kind\":\"wind\"},{\"do\":\"set\",\"at\":\"wind1\",\"value\":\"velocity\",\"to\":[2,0,0]}]'\n\nAll are done, or none. In the library it is one step to undo; a shot file is written anew, or to --out.\nWords: " + strings.Join(edit.Words(), ", ") + ". zarf values lists what can be set.",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return usage{errors.New("give a shot, and what to change")}
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			list, err := commands(args[1:], from)
			if err != nil {
				return usage{err}
			}
			isFile := strings.HasSuffix(strings.ToLower(args[0]), ".json")
			if !isFile && out == "" {
				return o.editLibrary(args[0], list)
			}
			s, err := o.load(args[0])
			if err != nil {
				return err
			}
			if s, err = edit.Do(s, list...); err != nil {
				return err
			}
			to := args[0]
			if out != "" {
				to = out
			}
			if _, _, err := cache.WriteFile(to, func(w io.Writer) error { _, err := w.Write(s.Encode()); return err }); err != nil {
				return err
			}
			return o.done(to, list)
		}}
	c.Flags().StringVar(&from, "commands", "", "a file of commands, JSON; - reads the standard input")
	c.Flags().StringVar(&out, "out", "", "write the changed shot to this file and leave the other as it is")
	return c
}

// commands reads what is to be done: assignments first, then the file's.
func commands(sets []string, from string) (list []edit.Command, err error) {
	for _, kv := range sets {
		set, err := edit.Assign(kv)
		if err != nil {
			return nil, err
		}
		list = append(list, set)
	}
	if from != "" {
		var in io.Reader = os.Stdin
		if from != "-" {
			f, err := os.Open(from)
			if err != nil {
				return nil, err
			}
			defer f.Close()
			in = f
		}
		b, err := io.ReadAll(io.LimitReader(in, shot.MaxFile+1))
		if err != nil {
			return nil, err
		}
		if len(b) > shot.MaxFile {
			return nil, fmt.Errorf("the commands have over %d bytes", shot.MaxFile)
		}
		more, err := edit.Decode(b)
		if err != nil {
			return nil, fmt.Errorf("--commands: %w", err)
		}
		list = append(list, more...)
	}
	if len(list) == 0 {
		return nil, errors.New("nothing to change: give ADDRESS.VALUE=TO, or --commands")
	}
	return list, nil
}

// editLibrary changes a shot of the library, as one step that can be undone.
func (o *options) editLibrary(name string, list []edit.Command) error {
	if err := o.settle(name); err != nil {
		return err
	}
	st, err := o.library()
	if err != nil {
		return err
	}
	defer st.Close()
	row, err := st.Shot(name)
	if err != nil {
		return err
	}
	label := list[0].Label()
	if len(list) > 1 {
		label = fmt.Sprintf("%d changes", len(list))
	}
	if _, err := st.Edit(row.ID, label, "", func(d *shot.Shot) error {
		after, err := edit.Do(d, list...)
		if err == nil {
			*d = *after
		}
		return err
	}); err != nil {
		return err
	}
	return o.done(name, list)
}

// done says what was done.
func (o *options) done(where string, list []edit.Command) error {
	if o.json {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"shot": where, "done": len(list)})
	}
	for _, c := range list {
		fmt.Printf("%s: %s\n", where, c.Label())
	}
	return nil
}
