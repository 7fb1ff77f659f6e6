package studio

import (
	"crypto/sha256"
	"fmt"
	"slices"
	"sync/atomic"
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

// patience is how long a page waits for its findings. A mesh of millions of faces
// takes longer to be measured the first time; the page comes without them, and is told
// when they are there.
const patience = 2 * time.Second

// Checks are the findings about a shot's document, whose checksum is sum; they
// are kept until the document, the files that were brought in or the memory
// change. The list is the caller's, mends are not to be changed. Who asks while they
// are being looked for waits for the same looking, and no longer than patience.
func (s *Studio) Checks(shotID int64, doc *shot.Shot, sum [sha256.Size]byte) []check.Finding {
	return s.checks(shotID, doc, sum, patience)
}

func (s *Studio) checks(shotID int64, doc *shot.Shot, sum [sha256.Size]byte, most time.Duration) []check.Finding {
	memory := int(Memory() / memoryStep)
	key := checked{sum, s.Files.Changed(), memory}
	if list, ok := s.found.Get(key); ok {
		return slices.Clone(list)
	}
	var late atomic.Bool
	own := doc.Clone() // the caller may go on to change its own
	result := s.looking.DoChan(fmt.Sprint(key), func() (any, error) {
		list := s.look(own, float64(memory)*memoryStep)
		s.found.Add(key, list)
		if late.Load() {
			s.spread(Notice{Kind: "checks", Shot: shotID, State: "done"})
		}
		return list, nil
	})
	select {
	case r := <-result:
		return slices.Clone(r.Val.([]check.Finding))
	case <-time.After(most):
		late.Store(true)
		// it may have ended between the two
		if list, ok := s.found.Get(key); ok {
			return slices.Clone(list)
		}
	}
	return []check.Finding{{ID: "checking", Severity: check.Note, What: "The checks are still running.", Why: "A large mesh is being measured; what they find is shown as soon as that is done."}}
}

// look runs the checks. One that fails ends them, and is told instead of ending the
// program: it runs on a thread of its own.
func (s *Studio) look(doc *shot.Shot, memory float64) (list []check.Finding) {
	defer func() {
		if p := recover(); p != nil {
			s.Log.Error("a check failed", "shot", doc.Name, "cause", fmt.Sprint(p))
			list = []check.Finding{{ID: "check-failed", Severity: check.Warning, What: "The checks could not be finished.", Why: "A fault within Zarf stopped them; the log tells it. The shot can be run all the same."}}
		}
	}()
	return check.Shot(doc, check.Machine{Memory: memory})
}
