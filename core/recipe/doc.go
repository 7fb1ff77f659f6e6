// Package recipe holds ready, documented starting sets of elements and values
// for one kind of effect each.
//
// A recipe is written down for a thing one metre across and scaled to the real
// size of what it is put on by Froude's law: with lengths times L, times go
// with √L, speeds with √L, rates with 1/√L, accelerations stay, and what light
// meets in a metre goes with 1/L. The unit that the catalogue gives a value
// says which of these it follows, so a large fire is as slow, and as thick, as
// a large fire is. Temperatures, fuel and other plain amounts stay as they are.
package recipe
