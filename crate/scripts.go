package crate

import (
	"encoding/json"
	"errors"
	"io/fs"
	"strconv"
	"sync"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
)

// readingNumber goes up when package script learns to read scripts otherwise: what older programs kept is then of
// no use any more.
const readingNumber = "script-5"

// keptFrom is how large a script must be for what was read of it to be kept: a small one is quicker read again than
// looked up.
const keptFrom = 4 << 10

// analyze reads a script, or recalls what was read of the same bytes before.
func (r *Reach) analyze(b []byte) *script.Report {
	if r == nil || r.Cache == nil || len(b) < keptFrom {
		return script.Analyze(b)
	}
	of := integrity.Of(b)
	if kept, ok := r.Cache.Kept(readingNumber, of); ok {
		var report script.Report
		if json.Unmarshal(kept, &report) == nil {
			return &report
		}
	}
	report := script.Analyze(b)
	if kept, err := json.Marshal(report); err == nil {
		r.Cache.Keep(readingNumber, of, kept) // a cache that can't be written to is no reason to fail
	}
	return report
}

// scripts remembers, for one run, what is known of scripts: ten thousand pages have the same few.
type scripts struct {
	p      *Project
	mu     sync.Mutex
	files  map[string]*knownScript // by path in the site, or by address
	inline map[uint64]*script.Report
	alone  map[string]*rehearse.Report // by integrity
}

// knownScript is a script that could be read.
type knownScript struct {
	*script.Report
	text []byte
	name string // in the project, or an address
}

func newScripts(p *Project) *scripts {
	return &scripts{p: p, files: map[string]*knownScript{}, inline: map[uint64]*script.Report{}, alone: map[string]*rehearse.Report{}}
}

// of returns what is known of the script that a target leads to, nil where that can't be read.
func (s *scripts) of(t Target) *knownScript {
	key := t.Path
	if key == "" {
		key = t.URL
	}
	s.mu.Lock()
	known, ok := s.files[key]
	s.mu.Unlock()
	if ok {
		return known
	}
	known = &knownScript{name: t.URL}
	var err error
	if of := s.p.placed(t); t.Path != "" {
		known.name = s.p.inProject(t.Path)
		known.text, err = readInto(s.p.path(known.name), nil)
		if errors.Is(err, fs.ErrNotExist) && of.File != nil && s.p.reach != nil {
			// There is a finding for a sealed file that is gone; all else is told as if it were back.
			known.text, err = s.p.reach.file(s.p.Seal.Libraries[of.Library], of.File)
		}
	} else if of.File != nil {
		known.name = s.p.linkedName(of)
		known.text, err = s.p.localBytes(of)
	}
	if err != nil || known.text == nil {
		known = nil
	} else {
		known.Report = s.p.reach.analyze(known.text)
	}
	s.mu.Lock()
	s.files[key] = known
	s.mu.Unlock()
	return known
}

// linkedName is what evidence calls a file that pages have by a link.
func (p *Project) linkedName(of Placed) string { return of.Library + ": " + of.File.Path }

// localBytes returns a sealed file's bytes from the project or the cache, asking no network.
func (p *Project) localBytes(of Placed) ([]byte, error) {
	if b, err := readInto(p.path(of.File.At), nil); err == nil && integrity.Of(b) == of.File.Integrity {
		return b, nil
	}
	return p.reach.file(p.Seal.Libraries[of.Library], of.File)
}

// ofText returns what is known of an inline script.
func (s *scripts) ofText(text []byte) *script.Report {
	key := xxhash.Sum64(text)
	s.mu.Lock()
	r, ok := s.inline[key]
	s.mu.Unlock()
	if !ok {
		r = script.Analyze(text)
		s.mu.Lock()
		s.inline[key] = r
		s.mu.Unlock()
	}
	return r
}

// confirms runs a script alone in the closed room before it is said to need a global: a script that runs to its end
// without ever asking for the global does not need it, whatever reading it suggests.
func (s *scripts) confirms(text []byte, global string) bool {
	if s.p.reach == nil || s.p.reach.Room == nil {
		return true
	}
	key := strconv.FormatUint(xxhash.Sum64(text), 16)
	s.mu.Lock()
	r, ok := s.alone[key]
	s.mu.Unlock()
	if !ok {
		r = s.p.reach.rehearseAlone(text)
		s.mu.Lock()
		s.alone[key] = r
		s.mu.Unlock()
	}
	if r == nil || r.Stopped != "" || len(r.Ran) != 1 || !r.Ran[0] {
		return true // it did not come to its end, so it may not have come to ask
	}
	for _, read := range r.Reads {
		if read.Global == global {
			return true
		}
	}
	return false
}

// providers tells who in the project defines a global: a library of the crate, or an own script.
type providers struct {
	once    sync.Once
	library map[string]string
	own     map[string]string // to the script's path in the site
}

func (c *checker) provider(global string) (library, own string) {
	c.provide.once.Do(func() {
		c.provide.library = c.p.globals()
		c.provide.own = map[string]string{}
		for _, name := range c.ownFiles(delivery.Script) {
			if k := c.scripts.of(Target{Path: name}); k != nil && k.Form != script.Module {
				for _, g := range k.Defines {
					if _, ok := c.provide.own[g.Name]; !ok {
						c.provide.own[g.Name] = name
					}
				}
			}
		}
	})
	return c.provide.library[global], c.provide.own[global]
}
