// Package draft runs live drafts: a coarse simulation in a process of its own
// that is watched while values change.
//
// The process reads commands, a line of JSON each, and writes packets: two
// lengths (uint32, little endian), a JSON head, and the bytes of a volume,
// which may be none. It makes a frame only while the other side holds credits
// to take it, so that a slow page slows the draft and nothing piles up.
package draft
