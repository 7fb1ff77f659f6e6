package vec

import (
	"os"
	"strings"

	"golang.org/x/sys/cpu"
)

// Set is a set of kernels.
type Set string

// The sets that there are kernels for.
const (
	AVX512 Set = "avx512"
	Plain  Set = "plain" // Go alone, the reference
)

// Switch is the environment variable that hides instruction sets: with
// ZARF_VECTORS=plain no kernel in assembly runs, as on a processor without them.
const Switch = "ZARF_VECTORS"

// Chosen is the set that this program runs with.
var Chosen = choose(os.Getenv(Switch), cpu.X86.HasAVX512F && cpu.X86.HasAVX512DQ && cpu.X86.HasBMI2)

func choose(want string, able bool) Set {
	if strings.EqualFold(want, string(Plain)) || !able {
		return Plain
	}
	return AVX512
}
