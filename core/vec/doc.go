// Package vec holds what the packages with vector kernels share: the checks
// that stand before a kernel written in assembly.
//
// A kernel gets pointers and a count, so nothing in it can notice a row that is
// too short: it would read, or write, whatever lies behind. Cutting a row with
// row[:n] is no check either, as that reaches up to the row's capacity. So each
// wrapper calls [Rows] first, and [Whole] where the kernel has no tail.
package vec
