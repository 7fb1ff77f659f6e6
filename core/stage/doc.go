// Package stage turns a shot's domain into something that can be run frame by
// frame, saved, loaded and identified: what a cache chain is made of.
//
// The key of a stage is a hash of every value that its result depends on and
// of the solver's version. Names, colours, looks and the last frame are not in
// it, so changing them leaves a cache current.
package stage
