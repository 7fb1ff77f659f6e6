package desk

import (
	"math"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Memo keeps answers that took work, up to so many bytes; the least recently
// used go first.
type Memo struct {
	mu   sync.Mutex
	size int // bytes that it may hold
	held int
	list *simplelru.LRU[string, memoItem]
}

type memoItem struct {
	head string
	data []byte
}

// NewMemo makes one that holds so many bytes.
func NewMemo(bytes int) *Memo {
	m := &Memo{size: bytes}
	m.list, _ = simplelru.NewLRU(math.MaxInt32, func(_ string, it memoItem) { m.held -= len(it.data) }) // errs for a size under 1 alone
	return m
}

// Get finds an answer.
func (m *Memo) Get(key string) (head string, data []byte, ok bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	it, ok := m.list.Get(key)
	return it.head, it.data, ok
}

// Put keeps an answer, unless it is larger than all that may be held.
func (m *Memo) Put(key, head string, data []byte) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.list.Contains(key) || len(data) > m.size {
		return
	}
	m.list.Add(key, memoItem{head, data})
	for m.held += len(data); m.held > m.size; {
		m.list.RemoveOldest()
	}
}
