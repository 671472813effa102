package tags

import (
	"fmt"
	"net/url"
	"regexp"
	"strings"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
)

// A fallback is an inline script right behind the tag of a CDN's script or stylesheet. It loads the local copy where the
// script's global is absent, or where the stylesheet brought no rule: a script waits for the stylesheets before it (HTML Standard,
// section 4.2.4), so it knows. Behind a blocking script it writes the tag that the parser meets next (HTML
// Standard, section 8.4.3). Behind a deferred one it is a module, which runs in its turn among the deferred
// scripts (section 4.12.1); as nothing that it could insert would be waited for there, it fetches the copy
// itself.
const (
	blockingFallback = `<script>typeof %s==="undefined"&&document.write('<script src="%s"><\/script>')</script>`
	styleFallback    = `<script>(function(l){try{if(l.sheet.cssRules.length)return}catch(e){}document.write('<link rel="stylesheet" href="%s">')})(document.currentScript.previousElementSibling)</script>`
	deferredFallback = `<script type="module">if(typeof %s==="undefined"){let q=new XMLHttpRequest;q.open("GET","%s",false);q.send();let s=document.createElement("script");s.text=q.responseText;document.head.append(s)}</script>`
)

var fallbackForms = func() []*regexp.Regexp {
	var list []*regexp.Regexp
	for _, form := range []string{blockingFallback, deferredFallback, styleFallback} {
		names := []string{"global", "ref"}
		if form == styleFallback {
			names = names[1:]
		}
		expression := regexp.QuoteMeta(form)
		for _, n := range names {
			expression = strings.Replace(expression, "%s", `(?P<`+n+`>[^"'<>]+)`, 1)
		}
		list = append(list, regexp.MustCompile("^"+expression+"$"))
	}
	return list
}()

// FallbackTag writes the fallback for a script or a stylesheet, "" where there can be none: an async script, which
// has no turn, or a script that defines no global by which its absence shows.
func FallbackTag(in *page.Include, global, ref string) string {
	ref = strings.NewReplacer("'", "%27", `"`, "%22", "<", "%3C", ">", "%3E", "\\", "%5C").Replace(ref)
	switch {
	case in.Kind == page.Stylesheet:
		return fmt.Sprintf(styleFallback, ref)
	case global == "" || in.Kind != page.Script || in.Module || in.When == page.Async:
		return ""
	case in.When == page.Deferred:
		return fmt.Sprintf(deferredFallback, global, ref)
	}
	return fmt.Sprintf(blockingFallback, global, ref)
}

// FallbackOf returns the index of the fallback of an include, with the local copy that it loads, or -1.
func (v *Page) FallbackOf(i int) (at int, local Target) {
	if i+1 >= len(v.Includes) || v.Includes[i].Kind != page.Script && v.Includes[i].Kind != page.Stylesheet || v.Includes[i+1].Kind != page.InlineScript {
		return -1, Target{}
	}
	in := &v.Includes[i+1]
	if strings.TrimSpace(string(v.Bytes[v.Includes[i].End:in.Start])) != "" {
		return -1, Target{}
	}
	text := v.Bytes[in.Start:in.End]
	for _, form := range fallbackForms {
		if m := form.FindSubmatch(text); m != nil {
			ref, _ := url.PathUnescape(string(m[form.SubexpIndex("ref")]))
			return i + 1, Resolve(v.Path, v.Base, ref)
		}
	}
	return -1, Target{}
}

// FallbackGlobal is the global that a fallback asks for.
func (v *Page) FallbackGlobal(i int) string {
	for _, form := range fallbackForms {
		if m := form.FindStringSubmatch(v.Text(i)); m != nil && form.SubexpIndex("global") >= 0 {
			return m[form.SubexpIndex("global")]
		}
	}
	return ""
}

// SetFallback puts the fallback of an include right: the given one, or none where it is "".
func (e *Editor) SetFallback(i int, tag string) {
	old, _ := e.FallbackOf(i)
	switch {
	case old < 0 && tag == "":
	case old >= 0 && tag == "":
		e.Remove(old)
	case old >= 0:
		e.Rewrite(old, tag)
	default:
		e.insertAt(e.position(i)+1, slot{tag: tag, spot: page.Spot{Index: i, After: true}, moved: true, what: item{Item: order.Item{Inert: true}}})
	}
}
