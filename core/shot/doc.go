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
package shot
