package studio

import (
	"crypto/sha256"
	"slices"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"zarf/core/check"
	"zarf/core/shot"
)

// checked is all that findings follow from: what the document holds, which
// files are there, and how much memory, in steps too small to matter.
type checked struct {
	sum    [sha256.Size]byte
	files  time.Time
	memory int
}

const (
	foundKept  = 64      // findings of so many documents stay in memory
	memoryStep = 1 << 28 // bytes
)

func newFound() *lru.Cache[checked, []check.Finding] {
	l, err := lru.New[checked, []check.Finding](foundKept)
	if err != nil {
		panic(err) // only for a size under 1
	}
	return l
}

// Checks are the findings about a shot's document, whose checksum is sum; they
// are kept until the document, the files that were brought in or the memory
// change. The list is the caller's, mends are not to be changed.
func (s *Studio) Checks(doc *shot.Shot, sum [sha256.Size]byte) []check.Finding {
	memory := int(Memory() / memoryStep)
	key := checked{sum, s.Files.Changed(), memory}
	list, ok := s.found.Get(key)
	if !ok {
		list = check.Shot(doc, check.Machine{Memory: float64(memory) * memoryStep})
		s.found.Add(key, list)
	}
	return slices.Clone(list)
}
