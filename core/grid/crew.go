package grid

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Crew is the number of threads that a computation may use.
type Crew struct{ n int }

// NewCrew takes n threads; n < 1 means one for each processor.
func NewCrew(n int) Crew {
	if n < 1 {
		n = runtime.GOMAXPROCS(0)
	}
	return Crew{n}
}

// Threads is the size of the crew.
func (c Crew) Threads() int {
	if c.n < 1 {
		return 1
	}
	return c.n
}

// For calls fn on [0,n) cut into runs of at least grain. What fn writes must
// depend on its index only, never on the cut.
func (c Crew) For(n, grain int, fn func(lo, hi int)) {
	if grain < 1 {
		grain = 1
	}
	t := c.Threads()
	if t == 1 || n <= grain {
		if n > 0 {
			fn(0, n)
		}
		return
	}
	chunk := max(grain, n/(t*4))
	pieces := (n + chunk - 1) / chunk
	t = min(t, pieces)
	var next atomic.Int64
	work := func() {
		for {
			p := int(next.Add(1)) - 1
			if p >= pieces {
				return
			}
			fn(p*chunk, min(n, (p+1)*chunk))
		}
	}
	var wg sync.WaitGroup
	var caught atomic.Pointer[any]
	for range t - 1 {
		wg.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					caught.CompareAndSwap(nil, &r)
				}
			}()
			work()
		})
	}
	work()
	wg.Wait()
	if r := caught.Load(); r != nil {
		panic(*r) // a crash in any thread is a crash of the caller
	}
}

// Sum adds fn(k) for k in [0,n): each in its own slot, then in order, so the
// result has the same bits for every crew.
func (c Crew) Sum(n, grain int, fn func(k int) float64) float64 {
	part := make([]float64, n)
	c.For(n, grain, func(lo, hi int) {
		for k := lo; k < hi; k++ {
			part[k] = fn(k)
		}
	})
	var s float64
	for _, v := range part {
		s += v
	}
	return s
}
