package shot

// Short names for what package val holds, so that declarations of the catalogue read
// as lists and not as qualifications.

import "zarf/core/shot/val"

// Value is one value; which part counts depends on the entry's type.
type Value = val.Value

// Num makes a number.
func Num(v float64) Value { return val.Num(v) }

// Vec makes a vector.
func Vec(x, y, z float64) Value { return val.Vec(x, y, z) }

// Text makes a choice.
func Text(s string) Value { return val.Text(s) }

// On makes a flag.
func On(b bool) Value { return val.On(b) }

// NameList makes a value of names.
func NameList(names ...string) Value { return val.NameList(names...) }

// PointList makes a value of points, rounded to nanometres.
func PointList(p [][3]float64) Value { return val.PointList(p) }

func clip(s string) string { return val.Clip(s) }
