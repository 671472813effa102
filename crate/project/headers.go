package project

import (
	"strings"
	"sync"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/policy"
)

// Headers are what the files of headers that the packing list names give to pages.
type Headers struct {
	List  []Header
	Texts []byte   // of the files, so that callers can notice changes
	Lost  []string // files that can't be read
}

// A Header is one that a file of headers gives to pages.
type Header struct {
	policy.Header
	File  string // from the project's root
	below string // the addresses for which the file counts begin so
}

// headers reads the files once.
type headers struct {
	once sync.Once
	of   Headers
}

// Headers reads the files of headers. A snapshot reads them once.
func (p *Project) Headers() *Headers {
	p.served.once.Do(func() {
		for _, name := range p.List.Headers {
			p.readHeaders(&p.served.of, name)
		}
	})
	return &p.served.of
}

func (p *Project) readHeaders(of *Headers, name string) {
	at, below := paths.FoundInProject(name), "/"
	b, err := p.ReadFile(at)
	if err != nil {
		of.Lost = append(of.Lost, name)
		return
	}
	if site, ok := p.InSite(at); ok && strings.HasPrefix(site.Base(), ".") {
		below = strings.TrimSuffix("/"+site.Dir(), "/.") + "/" // a server reads such a file for its folder
	}
	of.Texts = append(append(of.Texts, name...), b...)
	for _, h := range policy.ReadHeaders(b) {
		of.List = append(of.List, Header{h, name, below})
	}
}

// Of are the headers of an address of the site, with a slash at its begin.
func (h *Headers) Of(address string) (list []Header) {
	for _, one := range h.List {
		if strings.HasPrefix(address, one.below) && one.Applies(address) {
			list = append(list, one)
		}
	}
	return list
}
