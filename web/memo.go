package web

import (
	"container/list"
	"sync"
)

// memo keeps answers that took work, the least recently used going first.
type memo struct {
	mu    sync.Mutex
	size  int // bytes that it may hold
	room  int // what is left of them
	order *list.List
	at    map[string]*list.Element
}

type memoItem struct {
	key  string
	head string
	data []byte
}

func newMemo(bytes int) *memo {
	return &memo{size: bytes, room: bytes, order: list.New(), at: map[string]*list.Element{}}
}

func (m *memo) get(key string) (head string, data []byte, ok bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	e := m.at[key]
	if e == nil {
		return "", nil, false
	}
	m.order.MoveToFront(e)
	it := e.Value.(*memoItem)
	return it.head, it.data, true
}

func (m *memo) put(key, head string, data []byte) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if _, ok := m.at[key]; ok || len(data) > m.size {
		return
	}
	m.at[key] = m.order.PushFront(&memoItem{key, head, data})
	m.room -= len(data)
	for m.room < 0 {
		last := m.order.Back()
		it := m.order.Remove(last).(*memoItem)
		delete(m.at, it.key)
		m.room += len(it.data)
	}
}
