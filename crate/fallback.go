package crate

import (
	"fmt"
	"net/url"
	"regexp"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// A fallback is an inline script right behind a CDN script's tag. It loads the local copy where the
// script's global is absent. Behind a blocking script it writes the tag that the parser meets next (HTML
// Standard, section 8.4.3). Behind a deferred one it is a module, which runs in its turn among the deferred
// scripts (section 4.12.1); as nothing that it could insert would be waited for there, it fetches the copy
// itself.
const (
	blockingFallback = `<script>typeof %s==="undefined"&&document.write('<script src="%s"><\/script>')</script>`
	deferredFallback = `<script type="module">if(typeof %s==="undefined"){let q=new XMLHttpRequest;q.open("GET","%s",false);q.send();let s=document.createElement("script");s.text=q.responseText;document.head.append(s)}</script>`
)

var fallbackForms = func() []*regexp.Regexp {
	var list []*regexp.Regexp
	for _, form := range []string{blockingFallback, deferredFallback} {
		list = append(list, regexp.MustCompile("^"+fmt.Sprintf(strings.ReplaceAll(regexp.QuoteMeta(form), "%s", "%[1]s"), `([^"'<>]+)`)+"$"))
	}
	return list
}()

// fallbackTag writes the fallback for a script, "" where there can be none: a stylesheet, an async script, which
// has no turn, or a script that defines no global by which its absence shows.
func fallbackTag(in *page.Include, global, ref string) string {
	ref = strings.NewReplacer("'", "%27", `"`, "%22", "<", "%3C", ">", "%3E", "\\", "%5C").Replace(ref)
	switch {
	case global == "" || in.Kind != page.Script || in.Module || in.When == page.Async:
		return ""
	case in.When == page.Deferred:
		return fmt.Sprintf(deferredFallback, global, ref)
	}
	return fmt.Sprintf(blockingFallback, global, ref)
}

// fallbackOf returns the index of the fallback of an include, with the local copy that it loads, or -1.
func (v *view) fallbackOf(i int) (at int, local Target) {
	if i+1 >= len(v.Includes) || v.Includes[i].Kind != page.Script || v.Includes[i+1].Kind != page.InlineScript {
		return -1, Target{}
	}
	in := &v.Includes[i+1]
	if strings.TrimSpace(string(v.Bytes[v.Includes[i].End:in.Start])) != "" {
		return -1, Target{}
	}
	text := v.Bytes[in.Start:in.End]
	for _, form := range fallbackForms {
		if m := form.FindSubmatch(text); m != nil {
			ref, _ := url.PathUnescape(string(m[2]))
			return i + 1, targetOf(v.path, v.Base, ref)
		}
	}
	return -1, Target{}
}

// globalOf is the global by which it shows that a library's script has run: the one that is called like the
// library, else the first that it defines.
func (p *Project) globalOf(library string, sealed *record.Sealed, f *record.File) string {
	key := f.Integrity
	p.defining.Lock()
	defer p.defining.Unlock()
	if g, ok := p.telling[key]; ok {
		return g
	}
	global := ""
	if b, err := p.bytesOf(library, sealed, f); err == nil {
		for _, g := range script.Analyze(b).Defines {
			if global == "" || strings.EqualFold(g.Name, library) {
				global = g.Name
			}
		}
	}
	if p.telling == nil {
		p.telling = map[string]string{}
	}
	p.telling[key] = global
	return global
}
