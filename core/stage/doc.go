// Package stage turns a shot's domain into something that can be run frame by
// frame, saved, loaded and identified: what a cache chain is made of.
//
// The key of a stage is a hash of every value that its result depends on and
// of the solver's version. Names, colours, looks and the last frame are not in
// it, so changing them leaves a cache current; nor are values that other values
// put out of action. Upres is a stage on top: its key is made of the coarse
// run's and its own values.
package stage
