// Package house has nothing but tests about the house as a whole: how long and
// how deep functions are.
package house
