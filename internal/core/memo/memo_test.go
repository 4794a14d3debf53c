package memo

import (
	"sync"
	"testing"
)

// TestMap: what was kept is there until there is too much; then it is made again.
func TestMap(t *testing.T) {
	m := Map[int, string]{Most: 3}
	made := 0
	get := func(key int) string {
		return m.Get(key, func() string { made++; return string(rune('a' + key)) })
	}
	for range 5 {
		for key := range 3 {
			if got := get(key); got != string(rune('a'+key)) {
				t.Errorf("%d is %s", key, got)
			}
		}
	}
	if made != 3 {
		t.Errorf("three values were made %d times", made)
	}
	m.Store(1, "new")
	if v, _ := m.Load(1); v != "new" {
		t.Error("a value that was stored again is " + v)
	}
	get(3)
	if _, ok := m.Load(0); ok {
		t.Error("it holds more than it may")
	}
	if get(0) != "a" || made != 5 {
		t.Errorf("a value that was forgotten is made again: %d", made)
	}
}

// TestMapIsBounded: many keys from many goroutines.
func TestMapIsBounded(t *testing.T) {
	var m Map[int, int]
	var wait sync.WaitGroup
	for g := range 8 {
		wait.Go(func() {
			for i := range 20_000 {
				if v := m.Get(g*20_000+i, func() int { return i }); v != i {
					t.Errorf("%d is %d", i, v)
				}
			}
		})
	}
	wait.Wait()
	n := 0
	m.all.entries.Range(func(any, any) bool { n++; return true })
	if n > 5100 {
		t.Errorf("it holds %d entries", n)
	}
}
