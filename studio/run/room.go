package run

import (
	"context"
	"errors"
	"fmt"
	"syscall"
	"time"
)

// What a job does when the disk is full. Frames are whole or not there, and every
// job goes on from what is there: so it waits for room, says so, and goes on by
// itself. Somebody who wants it to end can stop it meanwhile.

// Full reports an error of a disk, or of a share of it, that has no room.
func Full(err error) bool {
	return errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT)
}

// enough is how much must be free before a job that waits tries again, bytes.
const enough = 64 << 20

// glance is how often a job that waits looks for room; after blind it tries in any
// case, as a quota doesn't show in what is free.
const (
	glance = 500 * time.Millisecond
	blind  = 30 * time.Second
)

// Free is what is free on the disk of a folder for whoever asks, bytes.
func Free(dir string) (int64, error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return 0, err
	}
	return int64(st.Bavail) * st.Bsize, nil
}

// WithRoom does something, and where it ends on a full disk waits for room in dir
// and does it again. It ends with ErrStopped when it is stopped while it waits.
func WithRoom(ctx context.Context, dir string, report Report, do func() error) error {
	for n := 0; ; n++ {
		err := do()
		if !Full(err) {
			return err
		}
		if n == 0 {
			report(Progress{Waits: true, Notes: []string{fmt.Sprintf("the disk is full: waiting for %d MB of room, then it goes on; what was made is kept", enough>>20)}})
		}
		for until := time.Now().Add(blind); time.Now().Before(until); {
			if ctx.Err() != nil {
				return ErrStopped
			}
			if free, err := Free(dir); err == nil && free >= enough {
				break
			}
			select {
			case <-ctx.Done():
			case <-time.After(glance):
			}
		}
	}
}
