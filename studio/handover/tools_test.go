package handover

import (
	"io"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/run"
)

type ioWriter = io.Writer

var one_ = grid.NewCrew(1)

func mustOpen(t *testing.T, s *shot.Shot, c *cache.Cache) *run.Source {
	t.Helper()
	src, err := run.Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	return src
}
