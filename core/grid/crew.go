package grid

import (
	"runtime"
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

// task is one call of For: pieces are handed out by a counter.
type task struct {
	fn       func(lo, hi int)
	n, chunk int
	pieces   int64
	next     atomic.Int64
	pending  atomic.Int32 // helpers that are still at it
	caught   atomic.Pointer[any]
}

// work takes pieces until none is left. A panic is kept for the caller.
func (t *task) work() {
	defer func() {
		if r := recover(); r != nil {
			t.caught.CompareAndSwap(nil, &r)
		}
	}()
	for {
		p := t.next.Add(1) - 1
		if p >= t.pieces {
			return
		}
		lo := int(p) * t.chunk
		t.fn(lo, min(t.n, lo+t.chunk))
	}
}

// For calls fn on [0,n) cut into runs of at least grain. What fn writes must
// depend on its index only, never on the cut. A crash in any thread is a crash
// of the caller.
//
// Eight pieces a thread: enough that a slow piece doesn't hold up the others, and few
// enough that handing out costs nothing. The caller works too.
func (c Crew) For(n, grain int, fn func(lo, hi int)) {
	c.run(n, max(grain, n/(c.Threads()*8), 1), fn)
}

// Each is For of runs of grain, however many: for pieces that take long, and not alike.
func (c Crew) Each(n, grain int, fn func(lo, hi int)) { c.run(n, max(grain, 1), fn) }

// run hands out runs of chunk.
func (c Crew) run(n, chunk int, fn func(lo, hi int)) {
	threads := c.Threads()
	if threads == 1 || n <= chunk {
		if n > 0 {
			fn(0, n)
		}
		return
	}
	t := &task{fn: fn, n: n, chunk: chunk}
	t.pieces = int64((n + t.chunk - 1) / t.chunk)
	threads = min(threads, int(t.pieces))
	helpers.run(t, threads-1)
	if r := t.caught.Load(); r != nil {
		panic(*r)
	}
}

// Sum adds fn(k) for k in [0,n): each in its own slot, then in order, so the
// result has the same bits for every crew.
// Slots cost 8 bytes a piece; adding them in order is what makes sums repeatable.
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
