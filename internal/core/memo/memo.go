// Package memo remembers what was computed, so that it is computed once: for as long as it lasts, or
// until there is too much, so that a site of a million different texts costs time and no memory.
package memo

import (
	"sync"
	"sync/atomic"
)

// All remembers everything, of what a site has so many as it has files. The zero value is ready, and several
// goroutines may use it.
type All[K comparable, V any] struct{ entries sync.Map }

// Load returns the value of a key.
func (m *All[K, V]) Load(key K) (value V, ok bool) {
	v, ok := m.entries.Load(key)
	if !ok {
		return value, false
	}
	return v.(V), true
}

// Get returns the value of a key, and makes it where there is none. Two goroutines that ask at
// once may both make it.
func (m *All[K, V]) Get(key K, make func() V) V {
	if v, ok := m.Load(key); ok {
		return v
	}
	v := make()
	m.entries.Store(key, v)
	return v
}

// A Map remembers a number of values, of what pages may have any number of. The zero value holds at most
// five thousand, and several goroutines may use it.
type Map[K comparable, V any] struct {
	// Most is how many entries it may hold; once there are more, all are forgotten.
	Most int64

	all   All[K, V]
	count atomic.Int64
}

// Load returns the value of a key.
func (m *Map[K, V]) Load(key K) (value V, ok bool) { return m.all.Load(key) }

// Store keeps a value.
func (m *Map[K, V]) Store(key K, value V) {
	most := m.Most
	if most == 0 {
		most = 5000
	}
	if _, had := m.all.entries.Swap(key, value); had {
		return
	}
	if m.count.Add(1) > most {
		m.all.entries.Clear()
		m.count.Store(0)
	}
}

// Get is All.Get, within the bound.
func (m *Map[K, V]) Get(key K, make func() V) V {
	if v, ok := m.Load(key); ok {
		return v
	}
	v := make()
	m.Store(key, v)
	return v
}
