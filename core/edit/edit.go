// Package edit is the language in which a shot is changed: commands with
// addresses and typed errors. Pages, the command line and whoever drives Zarf
// from outside say the same commands; each is small, so that undo, merging and
// messages can name what was done.
//
// An address names what has values: an element's id, "look:" and a look's id,
// "shot:" for the shot's own settings, "handover:" for those of its handovers.
//
// As JSON a command is an object whose field "do" says which it is:
//
//	{"do": "set", "at": "domain1", "value": "voxel", "to": 0.05}
//	{"do": "set", "at": "emitter1", "value": "smoke", "to": 2, "frame": 12}
//	{"do": "add", "kind": "wind"}
package edit

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"zarf/core/shot"
)

// Command changes a shot. On an error the shot may be changed in part: work on
// a copy, as Do does.
// Commands are small values without pointers into a document: they can be decoded,
// kept, repeated on another revision, and told to people by their labels.
type Command interface {
	// Label says in a few words what is done, for undo.
	Label() string
	Apply(d *shot.Shot) error
}

// Error tells which address and value a command failed at.
type Error struct {
	At    string // address; empty: the whole shot
	Value string // name of the value; empty: none in particular
	Gone  bool   // what the address names isn't there, or not any more
	Err   error
}

func (e *Error) Error() string { return e.Err.Error() }
func (e *Error) Unwrap() error { return e.Err }

// Its own kind, as a page answers it by reloading the cast instead of by a message.
func gone(at string) error {
	return &Error{At: at, Gone: true, Err: fmt.Errorf("there is no element %q; it may have been deleted in another window", at)}
}

// wrong is an error about a value of what an address names.
func wrong(at, value string, err error) error {
	if err == nil {
		return nil
	}
	return &Error{At: at, Value: value, Err: err}
}

func wrongf(at, value, format string, a ...any) error {
	return &Error{At: at, Value: value, Err: fmt.Errorf(format, a...)}
}

// Do applies commands to a copy of a shot, all or none, and gives the copy. The
// error says which of several commands failed.
func Do(d *shot.Shot, list ...Command) (*shot.Shot, error) {
	c := d.Clone()
	for n, cmd := range list {
		if err := cmd.Apply(c); err != nil {
			if len(list) > 1 {
				return nil, fmt.Errorf("command %d (%s): %w", n+1, cmd.Label(), err)
			}
			return nil, err
		}
	}
	return c, nil
}

// commands are those that can be said as JSON, by the word in "do".
// Those that need more than JSON can say (files, painted weights, recipes) are made
// by the pages themselves.
var commands = map[string]func() Command{
	"set": func() Command { return &Set{} }, "reset": func() Command { return &Reset{} }, "key": func() Command { return &ToggleKey{} }, "follow": func() Command { return &Follow{} }, "keys": func() Command { return &Keys{} },
	"curve": func() Command { return &Curve{} }, "add": func() Command { return &Add{} }, "remove": func() Command { return &Remove{} }, "duplicate": func() Command { return &Duplicate{} },
	"rename": func() Command { return &Rename{} }, "mute": func() Command { return &Mute{} }, "move": func() Command { return &Move{} }, "scope": func() Command { return &Scope{} },
	"round": func() Command { return &Round{} }, "voxels": func() Command { return &Voxels{} },
}

// Words are the words that "do" can be.
func Words() []string {
	var out []string
	for w := range commands {
		out = append(out, w)
	}
	slices.Sort(out)
	return out
}

// MaxCommands bounds a list of commands.
const MaxCommands = 10000

// Decode reads a command, or a list of them. Unknown fields are refused: they
// would be lost without a word.
func Decode(b []byte) ([]Command, error) {
	var list []json.RawMessage
	// one command or a list of them: a caller of the API writes what is natural
	if t := bytes.TrimSpace(b); len(t) > 0 && t[0] == '[' {
		if err := json.Unmarshal(t, &list); err != nil {
			return nil, fmt.Errorf("the commands are no JSON: %w", err)
		}
	} else {
		list = []json.RawMessage{t}
	}
	if len(list) > MaxCommands {
		return nil, fmt.Errorf("%d commands; %d are taken at a time", len(list), MaxCommands)
	}
	out := make([]Command, len(list))
	for n, raw := range list {
		cmd, err := decode(raw)
		if err != nil {
			return nil, fmt.Errorf("command %d: %w", n+1, err)
		}
		out[n] = cmd
	}
	return out, nil
}

// decode reads one command: its word first, then the fields of that command and
// no others.
func decode(raw json.RawMessage) (Command, error) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(raw, &fields); err != nil {
		return nil, errors.New("is no JSON object")
	}
	var do string
	json.Unmarshal(fields["do"], &do)
	// unknown words are answered with the known ones
	make := commands[do]
	if make == nil {
		return nil, fmt.Errorf("says to do %q; it can be %s", do, strings.Join(Words(), ", "))
	}
	delete(fields, "do")
	rest, err := json.Marshal(fields)
	if err != nil {
		return nil, err
	}
	cmd := make()
	dec := json.NewDecoder(bytes.NewReader(rest))
	dec.DisallowUnknownFields()
	if err := dec.Decode(cmd); err != nil {
		return nil, fmt.Errorf("%s: %w", do, err)
	}
	return cmd, nil
}

// owner finds what an address names.
func owner(d *shot.Shot, at string) (*shot.Element, error) {
	if e := d.Owner(at); e != nil {
		return e, nil
	}
	return nil, gone(at)
}

// element finds an element of the cast.
func element(d *shot.Shot, at string) (*shot.Element, error) {
	if e := d.Element(at); e != nil {
		return e, nil
	}
	return nil, gone(at)
}

// entry finds a value of what an address names.
func entry(d *shot.Shot, at, value string) (*shot.Element, *shot.Entry, error) {
	e, err := owner(d, at)
	if err != nil {
		return nil, nil, err
	}
	x := shot.Find(e.Kind, value)
	if x == nil {
		return nil, nil, wrongf(at, value, "there is no value %s.%s", e.Kind, value)
	}
	return e, x, nil
}
