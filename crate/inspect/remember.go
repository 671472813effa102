package inspect

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/walk"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// checkedResult names what is kept in the cache; its number goes up when pages are checked otherwise: what older
// programs remember is then of no use.
const checkedResult = "checked-12"

// pageResult is what the check of one page gave: its findings, and what it uses.
type pageResult struct {
	found []check.Finding
	uses  *uses
	stamp uint64 // of the page when it was checked, 0 if that is not to be remembered
	// report says that it is one of merry's own reports, and no page.
	report bool
	// composes says that the file is put together with others, and was not judged alone.
	composes bool
	// open says that tags may be on the page that are not known.
	open  bool
	whole *compose.Page // the page, where something was found on it and it is put together from several files
	// fragment says that the file is a part of a page.
	fragment bool
}

// uses are the libraries and files that pages use. Many pages use the same, and share one.
type uses struct {
	libraries, files []string
	named            []string // files that are named otherwise, and folders with a slash
}

var noUses = &uses{}

func (u *uses) same(other *uses) bool {
	return slices.Equal(u.libraries, other.libraries) && slices.Equal(u.files, other.files) &&
		slices.Equal(u.named, other.named)
}

// pageCache is what the last check of this project found, page by page. It holds as long as nothing else of the project
// has changed: both records, the list of its files with their sizes and times, and the question.
type pageCache struct {
	p     *project.Project
	of    string
	state uint64
	since int64        // what changed later, in nanoseconds since 1970, is not to be remembered
	known []cachedPage // in the order of the pages that they are of
	uses  []*uses
}

type cachedPage struct {
	name  string
	stamp uint64
	uses  int
	found string // JSON, "" for none
}

// cacheKey recalls the last check, for the same question in the same surroundings, from what was stored of it; nil if
// nothing was.
func cacheKey(p *project.Project, site *walk.Site, req CheckRequest, headers, stored []byte) *pageCache {
	m := &pageCache{p: p, of: string(p.Root), since: time.Now().Add(-2 * time.Second).UnixNano()}
	h := xxhash.New()
	fmt.Fprintln(h, project.Program(), site.Stamp, len(site.Others)+len(site.Pages), req.Profile, req.Live)
	h.Write(p.ListText)
	h.Write(p.SealText)
	h.Write(headers)
	m.state = h.Sum64()
	if req.Online || req.Fresh {
		return m
	}
	m.read(stored)
	return m
}

// load fills in what is remembered of those of some pages that have not changed since, and returns the indices of the
// others. Seen are the stamps of the pages as the walk saw them, nil if it did not look.
func (m *pageCache) load(names []paths.InSite, seen []disk.Stamp, results []pageResult) (left []int) {
	at := 0
	for i, name := range names {
		for at < len(m.known) && m.known[at].name < name.String() {
			at++
		}
		var of disk.Stamp
		if seen != nil {
			of = seen[i]
		}
		if at == len(m.known) || m.known[at].name != name.String() || !m.loadPage(&results[i], name, &m.known[at], of) {
			left = append(left, i)
		}
	}
	return left
}

// loadPage recalls the result for one page, and reports whether it still holds.
func (m *pageCache) loadPage(r *pageResult, name paths.InSite, old *cachedPage, of disk.Stamp) bool {
	var err error
	if of == (disk.Stamp{}) { // a link, say
		if of, err = m.p.Disk.Stamp(m.p.InProject(name).String()); err != nil {
			return false
		}
	}
	stamp := m.stampFor(name, of)
	if stamp == 0 || stamp != old.stamp || old.found != "" && json.Unmarshal([]byte(old.found), &r.found) != nil {
		return false
	}
	r.uses, r.stamp = m.uses[old.uses], stamp
	return true
}

// stampFor is 0 for a page that changed so lately that it could change again within the same tick of the file system's
// clock: that is not to be remembered.
func (m *pageCache) stampFor(name paths.InSite, of disk.Stamp) uint64 {
	if max(of.ModTime, of.ChangeTime) > m.since {
		return 0
	}
	return walk.StampOf(name.String(), of)
}

// store remembers results. It is no reason to fail if that can't be.
func (m *pageCache) store(pages []paths.InSite, results []pageResult) {
	changed := len(m.known) != len(pages)
	for i, name := range pages {
		changed = changed || m.known[i].name != name.String() || m.known[i].stamp != results[i].stamp
	}
	if !changed {
		return
	}
	b := binary.LittleEndian.AppendUint64(nil, m.state)
	index := map[*uses]int{}
	var list []*uses
	for i := range results {
		if u := results[i].uses; results[i].stamp != 0 {
			if _, ok := index[u]; !ok {
				index[u] = len(list)
				list = append(list, u)
			}
		}
	}
	b = binary.AppendUvarint(b, uint64(len(list)))
	for _, u := range list {
		b = appendText(b, strings.Join(u.libraries, "\n"))
		b = appendText(b, strings.Join(u.files, "\n"))
		b = appendText(b, strings.Join(u.named, "\n"))
	}
	for i, name := range pages {
		if results[i].stamp == 0 {
			continue
		}
		found := ""
		if len(results[i].found) > 0 {
			text, err := json.Marshal(results[i].found)
			if err != nil {
				return
			}
			found = string(text)
		}
		b = appendText(b, name.String())
		b = binary.LittleEndian.AppendUint64(b, results[i].stamp)
		b = binary.AppendUvarint(b, uint64(index[results[i].uses]))
		b = appendText(b, found)
	}
	m.p.Origin.Cache.PutResult(checkedResult, m.of, b)
}

func appendText(b []byte, s string) []byte {
	return append(binary.AppendUvarint(b, uint64(len(s))), s...)
}

// read reads what keep wrote. Anything unexpected means that nothing is remembered.
func (m *pageCache) read(b []byte) {
	whole := string(b)
	at := 0
	ok := true
	number := func() uint64 {
		n, size := binary.Uvarint(b[min(at, len(b)):])
		if size <= 0 {
			ok = false
			return 0
		}
		at += size
		return n
	}
	fixed := func() uint64 {
		if at+8 > len(b) {
			ok = false
			return 0
		}
		at += 8
		return binary.LittleEndian.Uint64(b[at-8:])
	}
	text := func() string {
		n := number()
		if !ok || n > uint64(len(b)-at) {
			ok = false
			return ""
		}
		at += int(n)
		return whole[at-int(n) : at]
	}
	if fixed() != m.state || !ok {
		return
	}
	for range number() {
		u := &uses{libraries: split(text()), files: split(text()), named: split(text())}
		if !ok {
			return
		}
		m.uses = append(m.uses, u)
	}
	m.known = make([]cachedPage, 0, len(b)/24)
	for ok && at < len(b) {
		r := cachedPage{text(), fixed(), int(number()), text()}
		if ok && r.uses < len(m.uses) {
			m.known = append(m.known, r)
		}
	}
}

func split(s string) []string {
	if s == "" {
		return nil
	}
	return strings.Split(s, "\n")
}
