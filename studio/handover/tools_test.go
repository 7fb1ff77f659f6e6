package handover

import (
	"io"
	"testing"

	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/run"
)

type ioWriter = io.Writer

func mustOpen(t *testing.T, s *shot.Shot, c *cache.Cache) *run.Source {
	t.Helper()
	src, err := run.Open(s, "", c)
	if err != nil {
		t.Fatal(err)
	}
	return src
}
