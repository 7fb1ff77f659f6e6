// Package shot is the document that an artist edits: elements with values and
// keys, looks, and the one catalogue that declares every value.
//
// A shot file is the JSON of Shot: what the database keeps, what is exported
// and imported, what a take freezes. Only values that differ from their
// default are written. Fields that this version doesn't know are kept and
// reported, never dropped.
//
// Units inside are SI: metres, seconds, kilograms, kelvin, degrees for angles.
// Frames are numbered as the shot numbers them; frame f starts at
// (f − first) / rate seconds.
//
// How a value lives. It is declared once, in an Entry, under a typed name of package
// val. An element keeps only what was ever set; all else is the default, so a file
// holds what an artist decided and nothing more. Reading goes by name and moment
// (val.Eval): without keys the value as it is, with keys the curve's. Writing goes
// two ways: Set, for what the program worked out, brings a number into its range and
// panics on nonsense; Put, for what came from outside, refuses with an error that
// names the value, what it is, and what it can be. There is no third way in.
//
// What holds: every value in a document passed its entry's Check; keys are in the
// order of their frames, one a frame; the same document encodes to the same bytes;
// what a file had beyond what is known here comes out again where it was.
package shot
