// Package bounded has a cache for what pages contain: it forgets when it holds too much, so that
// a site of a million different texts costs time and no memory.
package bounded

import (
	"sync"
	"sync/atomic"
)

// A Map is a map with a bound. The zero value holds at most five thousand entries. It may be used
// from several goroutines.
type Map[K comparable, V any] struct {
	// Most is how many entries it may hold; once there are more, all are forgotten.
	Most int64

	entries sync.Map
	count   atomic.Int64
}

// Load returns the value of a key.
func (m *Map[K, V]) Load(key K) (value V, ok bool) {
	v, ok := m.entries.Load(key)
	if !ok {
		return value, false
	}
	return v.(V), true
}

// Store keeps a value.
func (m *Map[K, V]) Store(key K, value V) {
	most := m.Most
	if most == 0 {
		most = 5000
	}
	if _, had := m.entries.Swap(key, value); had {
		return
	}
	if m.count.Add(1) > most {
		m.entries.Clear()
		m.count.Store(0)
	}
}

// Get returns the value of a key, and makes it where there is none. Two goroutines that ask at
// once may both make it.
func (m *Map[K, V]) Get(key K, make func() V) V {
	if v, ok := m.Load(key); ok {
		return v
	}
	v := make()
	m.Store(key, v)
	return v
}
