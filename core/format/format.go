// Package format is the list of file formats: each registers itself with what
// it can do, as package image has its formats. What reads or writes files (what
// artists bring in, what is handed over, what a receiver finds, the choices on
// a handover's sheet) asks this list; so a new format is one package with one
// call of Register, and one line in package formats, which links them all.
package format

import (
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/model"
)

// Options say how to read what a file leaves open.
// They are kept with the imported file: it is read in the same way ever after.
type Options struct {
	Unit   float64 `json:"unit"`             // metres that one unit of the file is; 0: the format's
	ZUp    bool    `json:"z_up,omitempty"`   // the file's z points up
	Depth  float64 `json:"depth,omitempty"`  // of extruded drawings, m; 0: a tenth of the width
	Bevel  float64 `json:"bevel,omitempty"`  // of extruded drawings, m
	Width  float64 `json:"width,omitempty"`  // of terrain along x, m; 0: 100
	Height float64 `json:"height,omitempty"` // of terrain from black to white, m; 0: a fifth of the width
}

// Question is something that a file of a format leaves open, which the artist
// is asked when it is brought in.
// The dialog shows a field for each question of the chosen file's format and no
// other.
type Question string

// The questions.
const (
	Unit      Question = "unit"      // how long one unit of the file is
	Up        Question = "up"        // which way is up
	Extrusion Question = "extrusion" // depth and bevel of a drawing
	Relief    Question = "relief"    // width and height of terrain
	Motion    Question = "motion"    // what becomes of its animation and camera
)

// Format is a kind of file. What is nil it can't do.
// Asked for by what it can do: whoever lists formats that write points asks for
// those with WritePoints, and so finds one that a later package brings.
type Format struct {
	Key     string   // ending of the files that are written, without a dot; the choice in shot files
	Name    string   // "PLY"
	Endings []string // of files that are read, lower case with a dot
	Beside  []string // endings of files that come along with one
	Asks    []Question
	Unit    float64 // metres of one unit unless the artist says; 0: 1
	Metric  bool    // y up, right-handed and in metres by its standard

	// Model reads geometry; files are those that came along, by name. With
	// Sized the model is in metres already.
	Model func(data []byte, files map[string][]byte, o Options) (*model.Model, error)
	// Terrain and drawings have no unit of their own: the options give their size.
	Sized bool
	// Points reads particles.
	Points func(data []byte) (*frame.Points, error)
	// Look tells what a receiver finds in a file, from its bytes alone; sample
	// is which one of a film's.
	Look func(data []byte, sample int) ([]*Thing, error)

	// WriteMesh writes one frame's mesh.
	WriteMesh func(w io.Writer, m *geom.Mesh) error
	// WritePoints writes one frame's particles; with Attributes their velocity
	// and further numbers too.
	WritePoints func(w io.Writer, p *frame.Points) error
	Attributes  bool
	// Film: one file holds all frames, and what else a shot has: the handover
	// writes it itself.
	Film bool
}

// Registration is over when main begins; readers need no lock.
var (
	all      []*Format
	watchers []func(*Format)
)

// Register adds a format, from the init of its package. It panics where the key
// or an ending is taken, or where it can do nothing.
func Register(f Format) {
	switch {
	case f.Key == "" || f.Name == "":
		panic("format: one without a key or a name")
	// A format that can do nothing is a mistake in its registration.
	case f.Model == nil && f.Points == nil && f.Look == nil && f.WriteMesh == nil && f.WritePoints == nil && !f.Film:
		panic(fmt.Sprintf("format: %s can do nothing", f.Name))
	case Of(f.Key) != nil:
		panic(fmt.Sprintf("format: %s is registered twice", f.Key))
	}
	for _, e := range f.Endings {
		if other := ByName("x" + e); other != nil {
			panic(fmt.Sprintf("format: files that end in %s are %s already", e, other.Name))
		}
	}
	all = append(all, &f)
	slices.SortStableFunc(all, func(a, b *Format) int { return strings.Compare(a.Name, b.Name) }) // links come in any order
	for _, fn := range watchers {
		fn(&f)
	}
}

// Each calls fn for every format that is registered, and for each that will be.
// Packages that register before and after the caller are both seen, so nothing hangs
// on the order in which a program links them.
func Each(fn func(*Format)) {
	for _, f := range all {
		fn(f)
	}
	watchers = append(watchers, fn)
}

// All are the formats, by name.
func All() []*Format { return slices.Clone(all) }

// Of finds a format by its key; nil where there is none.
func Of(key string) *Format {
	for _, f := range all {
		if f.Key == key {
			return f
		}
	}
	return nil
}

// ByName finds the format of a file by its ending; nil where there is none.
// The longest ending isn't looked for: no format here has two dots.
func ByName(name string) *Format {
	ending := strings.ToLower(path.Ext(name))
	for _, f := range all {
		if slices.Contains(f.Endings, ending) {
			return f
		}
	}
	return nil
}

// Endings are those of the formats that can do something, with a dot.
func Endings(can func(f *Format) bool) (out []string) {
	for _, f := range all {
		if can(f) {
			out = append(out, f.Endings...)
		}
	}
	return out
}

// Models are the formats that hold geometry.
func Models(f *Format) bool { return f.Model != nil }

// Asked chooses the formats that leave something open.
func Asked(q Question) func(f *Format) bool {
	return func(f *Format) bool { return slices.Contains(f.Asks, q) }
}

// Besides are the endings of files that come along with others.
func Besides() (out []string) {
	for _, f := range all {
		out = append(out, f.Beside...)
	}
	return out
}
