package tags

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
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

// CopyScript is the name of the site's own script that does the same where a policy forbids inline scripts, and CopyText what it says.
const (
	CopyScript = "local-copy.js"
	CopyText   = `// Loads the site's own copy of the script or stylesheet before it, whose server did not answer. Written by merry switch --fallback.
(function (s) {
  var copy = s.getAttribute("data-copy"), global = s.getAttribute("data-global"), before = s.previousElementSibling;
  function applies(link) {
    try {
      return link.sheet.cssRules.length > 0;
    } catch (e) {
      return false;
    }
  }
  if (global ? typeof window[global] !== "undefined" : applies(before)) {
    return;
  }
  document.write(global ? '<script src="' + copy + '"><\/script>' : '<link rel="stylesheet" href="' + copy + '">');
})(document.currentScript);
`
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
	ref = quoteless.Replace(ref)
	switch {
	case in.Kind == page.Stylesheet && !applies(in):
		return ""
	case in.Kind == page.Stylesheet:
		return fmt.Sprintf(styleFallback, ref)
	case global == "" || in.Kind != page.Script || in.Module || in.When == page.Async:
		return ""
	case in.When == page.Deferred:
		return fmt.Sprintf(deferredFallback, global, ref)
	}
	return fmt.Sprintf(blockingFallback, global, ref)
}

// applies tells whether a stylesheet is for all who open the page, at once: one for print, an alternative or one that is switched on later
// would come to apply by its stand-in.
func applies(in *page.Include) bool {
	return strings.TrimSpace(in.Rel) == "stylesheet" && !slices.ContainsFunc(in.Attrs, func(a page.Attr) bool { return a.Name == "media" || a.Name == "disabled" || a.Name == "title" })
}

// FallbackAgain writes the fallback of an include anew, for another place of the local copy, in the form that it has: at is that of the
// fallback.
func (e *Editor) FallbackAgain(i, at int, ref string) string {
	if e.LoadsCopy(at) {
		return CopyTag(&e.Includes[i], e.FallbackGlobal(at), ref, e.Reference(at))
	}
	return FallbackTag(&e.Includes[i], e.FallbackGlobal(at), ref)
}

// quoteless writes a reference so that it can stand in quotes of either kind in a script.
var quoteless = strings.NewReplacer("'", "%27", `"`, "%22", "<", "%3C", ">", "%3E", "\\", "%5C")

// CopyTag is FallbackTag for a page whose policy forbids inline scripts: a tag of the site's own script, from which a reference leads. A
// deferred script can have none, since nothing that it could insert then would be waited for.
func CopyTag(in *page.Include, global, ref, from string) string {
	if in.Kind == page.Stylesheet && !applies(in) || in.Kind == page.Script && (global == "" || in.Module || in.When != page.Blocking) {
		return ""
	}
	values := map[string]string{"data-copy": quoteless.Replace(ref)}
	if in.Kind == page.Script {
		values["data-global"] = global
	}
	return page.With(page.ScriptTag(from, false), []string{"data-global", "data-copy"}, values)
}

// FallbackOf returns the index of the fallback of an include, with the local copy that it loads, or -1.
func (v *Page) FallbackOf(i int) (at int, local Target) {
	if i+1 >= len(v.Includes) || v.Includes[i].Kind != page.Script && v.Includes[i].Kind != page.Stylesheet {
		return -1, Target{}
	}
	in := &v.Includes[i+1]
	if strings.TrimSpace(string(v.Bytes[v.Includes[i].End:in.Start])) != "" {
		return -1, Target{}
	}
	if copied, has := v.Attr(in, "data-copy"); has && v.LoadsCopy(i+1) {
		ref, _ := url.PathUnescape(copied)
		return i + 1, Resolve(v.Path, v.Base, ref)
	}
	if in.Kind != page.InlineScript {
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

// LoadsCopy tells whether an include is a tag of the script that loads local copies.
func (v *Page) LoadsCopy(i int) bool {
	in := &v.Includes[i]
	return in.Kind == page.Script && strings.HasSuffix("/"+WithoutQuery(in.Ref), "/"+CopyScript)
}

// FallbackGlobal is the global that a fallback asks for.
func (v *Page) FallbackGlobal(i int) string {
	if global, has := v.Attr(&v.Includes[i], "data-global"); has && v.LoadsCopy(i) {
		return global
	}
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
