// Package proof has nothing but tests: that a solver, a kind of element, a
// type of value, a file format and a page can be added from outside, by
// registering them, and are then everywhere, from the sheet to the handover,
// without a change anywhere else.
package proof
