package desk

import (
	"fmt"
	"testing"
)

func TestMemoForgetsTheOldest(t *testing.T) {
	m := NewMemo(100)
	for i := range 5 {
		m.Put(fmt.Sprint(i), "h", make([]byte, 30))
		m.Get("0")
	}
	if _, _, ok := m.Get("0"); !ok {
		t.Error("what was just used is gone")
	}
	if _, _, ok := m.Get("1"); ok {
		t.Error("the oldest is still there")
	}
	m.Put("big", "", make([]byte, 200))
	if _, _, ok := m.Get("big"); ok {
		t.Error("something larger than the room was kept")
	}
}
