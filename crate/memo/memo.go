// Package memo remembers results by key for the time of one run, and compiles expressions when they are first used. Ten
// thousand pages ask the same few questions.
package memo

import (
	"sync"
	"sync/atomic"
)

// A Memo holds one value for each key. The zero value is ready for use, by several goroutines at once.
type Memo[K comparable, V any] struct{ entries sync.Map }

type entry[V any] struct {
	mu    sync.Mutex
	known atomic.Bool
	value V
}

// Get returns the value for a key, computing it if nobody has. Concurrent callers wait. Errors are returned but not
// remembered.
func (m *Memo[K, V]) Get(key K, work func() (V, error)) (V, error) {
	any, ok := m.entries.Load(key)
	if !ok {
		any, _ = m.entries.LoadOrStore(key, &entry[V]{})
	}
	e := any.(*entry[V])
	if e.known.Load() {
		return e.value, nil
	}
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.known.Load() {
		return e.value, nil
	}
	value, err := work()
	if err != nil {
		return value, err
	}
	e.value = value
	e.known.Store(true)
	return value, nil
}

// Of is Get for work that can't fail.
func (m *Memo[K, V]) Of(key K, work func() V) V {
	v, _ := m.Get(key, func() (V, error) { return work(), nil })
	return v
}

// Put sets the value for a key that nothing is known of yet.
func (m *Memo[K, V]) Put(key K, value V) { m.Of(key, func() V { return value }) }

// Each calls visit for every value that is known, in no order.
func (m *Memo[K, V]) Each(visit func(key K, value V)) {
	m.entries.Range(func(key, any any) bool {
		if e := any.(*entry[V]); e.known.Load() {
			visit(key.(K), e.value)
		}
		return true
	})
}
