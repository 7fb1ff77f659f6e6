// Package val holds values of a shot and the typed names by which code reads
// them: val.Voxel.Of(domain) is a number, val.Burning.Of(domain) a word, and a
// name that doesn't exist fails to compile.
//
// Package shot's catalogue declares what each value is: its unit, range,
// default, and which elements have it. A name here only ties the spelling that
// files use to the Go type that reads it; a solver that brings values of its
// own declares names of its own next to them:
//
//	const Stiffness val.NumKey = "stiffness"
//
// Values that may change over a shot are read with At and an Eval, which tells
// the frame; Of reads what stands on the sheet, without regard to keys.
package val
