package vec

import (
	"os"
	"strings"

	"golang.org/x/sys/cpu"
)

// Set is a set of kernels. A larger one takes more values at a time.
type Set uint8

// The sets that there are kernels for.
const (
	Plain  Set = iota // Go alone, the reference
	AVX2              // 8 values of 32 bits at a time
	AVX512            // 16
)

var names = [...]string{"plain", "avx2", "avx512"}

// String is the set's name as the environment variable takes it.
func (s Set) String() string { return names[s] }

// Switch is the environment variable that hides instruction sets:
// ZARF_VECTORS=avx2 runs as on a processor without AVX-512, ZARF_VECTORS=plain
// as on one without either.
const Switch = "ZARF_VECTORS"

// Chosen is the set that this program runs with. Tests set it, to hold the sets
// against each other; nothing else may while kernels run.
var Chosen = choose(os.Getenv(Switch), best())

// Sets are those that run on this processor, the reference first.
func Sets() []Set { return []Set{Plain, AVX2, AVX512}[:best()+1] }

// best is the largest set that the processor has.
func best() Set {
	x := &cpu.X86
	switch {
	case x.HasAVX512F && x.HasAVX512DQ && x.HasAVX512VL && x.HasAVX512BW && x.HasFMA && x.HasBMI2 && halves():
		return AVX512
	case x.HasAVX2 && x.HasFMA && x.HasBMI2 && halves():
		return AVX2
	}
	return Plain
}

// choose is the set asked for, or the best where that isn't to be had or isn't
// a set's name.
func choose(want string, able Set) Set {
	for s, name := range names {
		if strings.EqualFold(want, name) {
			return min(Set(s), able)
		}
	}
	return able
}
