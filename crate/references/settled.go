package references

import (
	"bytes"
	"hash/maphash"
	"sync"
)

// nearResults are addresses, as pages write them, of which there is nothing to tell wherever they stand: menus and
// lists lead to the same places on page after page. It is for pages without a base element, several at once. It has
// their hashes alone, 64 bits with a seed of this run, which is a quarter of the time.
type nearResults struct {
	seed  maphash.Seed
	mu    sync.RWMutex
	near  map[string]map[uint64]struct{} // by the pages' folder: those that are seen from it
	far   map[uint64]struct{}            // those that mean the same from every folder
	count int
}

// maxSettled is how many addresses are kept at most.
const maxSettled = 1 << 17

func newSettled() *nearResults {
	return &nearResults{seed: maphash.MakeSeed(), near: map[string]map[uint64]struct{}{}, far: map[uint64]struct{}{}}
}

// from returns what reports whether an address is among them, seen from a folder. Nothing may be added until the
// reading is done.
func (s *nearResults) from(dir string) (has func(value []byte) bool, done func()) {
	s.mu.RLock()
	near, far := s.near[dir], s.far
	return func(value []byte) bool {
		if len(value) == 0 {
			return false
		}
		key := maphash.Bytes(s.seed, value)
		_, has := near[key]
		if !has && (value[0] == '/' || value[0] == 'h') {
			_, has = far[key]
		}
		return has
	}, s.mu.RUnlock
}

// add adds addresses that pages of a folder write. Where others are at it, it does not wait for them: they will be met
// again.
func (s *nearResults) add(dir string, values [][]byte) {
	if len(values) == 0 || !s.mu.TryLock() {
		return
	}
	defer s.mu.Unlock()
	if s.count += len(values); s.count > maxSettled {
		clear(s.near)
		clear(s.far)
		s.count = len(values)
	}
	if s.near[dir] == nil {
		s.near[dir] = map[uint64]struct{}{}
	}
	for _, v := range values {
		if key := maphash.Bytes(s.seed, v); v[0] == '/' || bytes.HasPrefix(v, []byte("https://")) ||
			bytes.HasPrefix(v, []byte("http://")) {
			s.far[key] = struct{}{}
		} else {
			s.near[dir][key] = struct{}{}
		}
	}
}
