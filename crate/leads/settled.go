package leads

import (
	"strings"
	"sync"
)

// settled are addresses, as pages write them, of which there is nothing to tell wherever they stand: menus and lists lead to the
// same places on page after page. It is for pages without a base element, several at once.
type settled struct {
	mu    sync.RWMutex
	near  map[string]map[string]bool // by the pages' folder: those that are seen from it
	far   map[string]bool            // those that mean the same from every folder
	count int
}

// mostSettled is how many addresses are kept at most.
const mostSettled = 1 << 17

// from returns what tells whether an address is among them, seen from a folder. Nothing may be added until the reading is done.
func (s *settled) from(dir string) (has func(value []byte) bool, done func()) {
	s.mu.RLock()
	near, far := s.near[dir], s.far
	return func(value []byte) bool {
		if len(value) > 0 && (value[0] == '/' || value[0] == 'h') && far[string(value)] {
			return true
		}
		return near[string(value)]
	}, s.mu.RUnlock
}

// add adds addresses that pages of a folder write. Where others are at it, it does not wait for them: they will be met again.
func (s *settled) add(dir string, values []string) {
	if len(values) == 0 || !s.mu.TryLock() {
		return
	}
	defer s.mu.Unlock()
	if s.count += len(values); s.near == nil || s.count > mostSettled {
		s.near, s.far, s.count = map[string]map[string]bool{}, map[string]bool{}, len(values)
	}
	if s.near[dir] == nil {
		s.near[dir] = map[string]bool{}
	}
	for _, v := range values {
		if strings.HasPrefix(v, "/") || strings.HasPrefix(v, "https://") || strings.HasPrefix(v, "http://") {
			s.far[v] = true
		} else {
			s.near[dir][v] = true
		}
	}
}
