// Package stage turns a shot's domain into something that can be run frame by
// frame, saved, loaded, drafted and identified: what a cache chain is made of.
//
// A solver is one package that registers itself here, see Solver and Register;
// this package imports none of them. It holds what they share on the side of
// the document: time and substeps, the scene that elements make, frames of
// stages that feed others, keys, drafts, estimates.
//
// The key of a stage is a hash of every value that its result depends on and
// of the solver's version. Which those are is told once, by the catalogue's
// conditions (shot.Entry.Matters) and by the kinds that the solver takes.
// Names, colours, looks, the order of the cast and the last frame are not in
// it, so changing them leaves a cache current. A refinement is a stage on top:
// its key is made of the coarse run's and its own values.
//
// What is random is seeded by an element's id, never by its place in the cast.
package stage
