package grid

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// team is a set of goroutines that wait for work: spinning for a moment, since
// a solver hands out thousands of small pieces in a row and waking a sleeping
// thread takes longer than most of them, then asleep. It serves one caller at
// a time; others, and calls within a call, start goroutines of their own.
type team struct {
	mu   sync.Mutex
	idle []*helper
}

var helpers team

// spins is how often a helper looks for work before it sleeps: some 100 µs, longer
// than the serial stretch of a V-cycle on its coarse levels, as waking a thread takes
// half of that. yields is how often others may take its processor meanwhile.
const spins, yields = 100000, 1024

// helper is a thread that waits for work: awake for a short while, then asleep.
type helper struct {
	job    atomic.Pointer[task]
	asleep atomic.Bool
	wake   chan struct{}
}

// loop looks for work for a while before it lies down: the next call of a solver's
// step comes sooner than waking a thread takes.
func (h *helper) loop() {
	for idle := 0; ; {
		if h.job.Load() != nil {
			if t := h.job.Swap(nil); t != nil {
				t.work()
				t.pending.Add(-1)
			}
			idle = 0
			continue
		}
		if idle++; idle < spins {
			if idle%yields == 0 {
				runtime.Gosched()
			}
			continue
		}
		h.asleep.Store(true)
		if h.job.Load() != nil && h.asleep.CompareAndSwap(true, false) {
			continue // work came between the last look and lying down
		}
		<-h.wake
		idle = 0
	}
}

// run works on t with up to n helpers and returns when all is done.
func (m *team) run(t *task, n int) {
	if !m.mu.TryLock() {
		var wg sync.WaitGroup
		for range n {
			wg.Go(t.work)
		}
		t.work()
		wg.Wait()
		return
	}
	defer m.mu.Unlock()
	for len(m.idle) < n {
		h := &helper{wake: make(chan struct{}, 1)}
		m.idle = append(m.idle, h)
		go h.loop()
	}
	t.pending.Store(int32(n))
	for _, h := range m.idle[:n] {
		h.job.Store(t)
		if h.asleep.CompareAndSwap(true, false) {
			h.wake <- struct{}{}
		}
	}
	t.work()
	// nothing is left: helpers that haven't begun, as others have their processors,
	// needn't
	for _, h := range m.idle[:n] {
		if h.job.CompareAndSwap(t, nil) {
			t.pending.Add(-1)
		}
	}
	for look := 0; t.pending.Load() > 0; look++ {
		if look%yields == yields-1 {
			runtime.Gosched()
		}
	}
}
