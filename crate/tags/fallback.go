package tags

import (
	"bytes"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
)

// A fallback is an inline script right behind the tag of a CDN's script or stylesheet. It loads a copy from elsewhere
// where the script's global is absent, or where the stylesheet brought no rule: a script waits for the stylesheets
// before it (HTML Standard, section 4.2.4), so it knows. Behind a blocking script it writes the tag that the parser
// meets next (HTML Standard, section 8.4.3), and behind that, where there are several copies, the same question for the
// next of them. A script that is written waits for no stylesheet, so a stylesheet's further copies are what its link
// does on an error. Behind a deferred one it is a module, which runs in its turn among the deferred scripts (section
// 4.12.1); as nothing that it could insert would be waited for there, it fetches the copy itself. A module tells nobody
// that it is there: what its tag does on an error imports the copy.
const (
	blockingFallback = `typeof %s==="undefined"&&document.write('%s')`
	styleFallback    = `(function(l){try{if(l.sheet.cssRules.length)return}catch(e){}document.write('%s')})` +
		`(document.currentScript.previousElementSibling)`
	deferredFallback = `if(typeof %s==="undefined"){let q=new XMLHttpRequest;q.open("GET","%s",false);q.send();let ` +
		`s=document.createElement("script");s.text=q.responseText;document.head.append(s)}`
	moduleFallback = `import('%s')`
	nextStyle      = `var c=['%s'][this.n=this.n+1||0];if(c)this.href=c`
)

// CopyScript is the name of the site's own script that does the same where a policy forbids inline scripts, and
// CopyText what it says.
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

// A Copy is a file that a fallback loads: a reference, and its required integrity, "" for the site's own files.
type Copy struct{ Ref, Integrity string }

// tag writes the tag of a copy.
func (c Copy) tag(style bool) string {
	tag := `<script src="` + c.Ref + `"></script>`
	if style {
		tag = `<link rel="stylesheet" href="` + c.Ref + `">`
	}
	if c.Integrity == "" {
		return tag
	}
	return page.With(tag, LinkAttributes, map[string]string{"integrity": c.Integrity, "crossorigin": "anonymous"})
}

// form makes the pattern of a script's text from how it is written.
func form(written, text string) func() *regexp.Regexp {
	const name = `([^"'<>]+)`
	expression := regexp.QuoteMeta(written)
	if strings.Count(written, "%s") == 2 {
		expression = strings.Replace(expression, "%s", name, 1)
	}
	return memo.Regexp("^" + strings.Replace(expression, "%s", text, 1) + "$")
}

var (
	blockingForm = form(blockingFallback, "(.*)")
	styleForm    = form(styleFallback, "(.*)")
	deferredForm = form(deferredFallback, `([^"'<>]+)`)
	moduleForm   = form(moduleFallback, `([^"'<>]+)`)

	copyForm = memo.Regexp(`^(?:<script src|<link rel="stylesheet" href)="([^"'<>]+)"(?: integrity="([^"'<>]+)" ` +
		`crossorigin="anonymous"(?: onerror="([^"]+)")?)?>(?:</script>)?(?:<script>(.*)</script>)?$`)
	nextForm = form(nextStyle, `([^"<>]+)`)

	inText  = strings.NewReplacer("\\", "\\\\", "'", "\\'", "</script", "<\\/script")
	escaped = memo.Regexp(`\\(.)`)
)

// fallbackText writes a fallback's text: for the copies in their turn.
func fallbackText(style bool, global string, copies []Copy) string {
	tag := copies[0].tag(style)
	if len(copies) > 1 && !style {
		tag += "<script>" + fallbackText(style, global, copies[1:]) + "</script>"
	}
	if style {
		if next := copies[1:]; len(next) > 0 {
			refs := make([]string, len(next))
			for i := range next {
				refs[i] = next[i].Ref
			}
			tag = strings.TrimSuffix(tag, ">") + ` onerror="` + fmt.Sprintf(nextStyle, strings.Join(refs, "','")) + `">`
		}
		return fmt.Sprintf(styleFallback, inText.Replace(tag))
	}
	return fmt.Sprintf(blockingFallback, global, inText.Replace(tag))
}

// readFallback reads a fallback's text: the global that it asks for and its copies, none where it is another script's
// text.
func readFallback(text string) (global string, copies []Copy) {
	if m := deferredForm().FindStringSubmatch(text); m != nil {
		return m[1], []Copy{{Ref: m[2]}}
	}
	written := ""
	if m := blockingForm().FindStringSubmatch(text); m != nil {
		global, written = m[1], m[2]
	} else if m := styleForm().FindStringSubmatch(text); m != nil {
		written = m[1]
	}
	m := copyForm().FindStringSubmatch(escaped().ReplaceAllString(written, "$1"))
	if m == nil {
		return "", nil
	}
	copies = []Copy{{m[1], m[2]}}
	if m[4] != "" {
		_, rest := readFallback(m[4])
		copies = append(copies, rest...)
	}
	if next := nextForm().FindStringSubmatch(m[3]); next != nil {
		refs := strings.Split(next[1], "','")
		for _, ref := range refs[:len(refs)-1] {
			copies = append(copies, Copy{ref, m[2]}) // the bytes are the same, and so is what is demanded of them
		}
		copies = append(copies, Copy{Ref: refs[len(refs)-1]})
	}
	return global, copies
}

// FallbackTag writes the fallback for a script or a stylesheet, with the copies in their turn, the site's own at the
// end: "" if there can be none: an async script, which has no turn, or a script that defines no global by which its
// absence shows. Behind a deferred script the site's own is the only one: what it fetches itself could not be checked
// against an integrity.
func FallbackTag(in *page.Include, global string, copies ...Copy) string {
	copies = slices.Clone(copies)
	for i := range copies {
		copies[i].Ref = quoteless.Replace(copies[i].Ref)
	}
	style := in.Kind == page.Stylesheet
	switch {
	case style && !applies(in), !style && (global == "" || in.Kind != page.Script || in.Module ||
		in.When == page.Async):
		return ""
	case in.When == page.Deferred && !style:
		return `<script type="module">` + fmt.Sprintf(deferredFallback, global, copies[len(copies)-1].Ref) + "</script>"
	}
	return "<script>" + fallbackText(style, global, copies) + "</script>"
}

// applies reports whether a stylesheet is for all who open the page, at once: one for print, an alternative or one that
// is switched on later would come to apply by its stand-in.
func applies(in *page.Include) bool {
	return strings.TrimSpace(in.Rel) == "stylesheet" && !slices.ContainsFunc(in.Attrs, func(a page.Attr) bool {
		return a.Name == "media" || a.Name == "disabled" || a.Name == "title"
	})
}

// FallbackAgain writes the fallback of an include again, for other copies, in the form that it has: at is that of the
// fallback.
func (e *Editor) FallbackAgain(i, at int, copies ...Copy) string {
	global, _ := e.Fallback(at)
	if e.LoadsCopy(at) {
		return CopyTag(&e.Includes[i], global, copies[len(copies)-1].Ref, e.Reference(at))
	}
	return FallbackTag(&e.Includes[i], global, copies...)
}

// quoteless writes a reference so that it can stand in quotes of either kind in a script.
var quoteless = strings.NewReplacer("'", "%27", `"`, "%22", "<", "%3C", ">", "%3E", "\\", "%5C")

// CopyTag is FallbackTag for a page whose policy forbids inline scripts: a tag of the site's own script, from which a
// reference leads. A deferred script can have none, since nothing that it could insert then would be waited for.
func CopyTag(in *page.Include, global, ref, from string) string {
	if in.Kind == page.Stylesheet && !applies(in) || in.Kind == page.Script && (global == "" || in.Module ||
		in.When != page.Blocking) {
		return ""
	}
	values := map[string]string{"data-copy": quoteless.Replace(ref)}
	if in.Kind == page.Script {
		values["data-global"] = global
	}
	return page.With(page.ScriptTag(from, false), []string{"data-global", "data-copy"}, values)
}

// FallbackOf returns the index of the fallback of an include, with the site's own copy that it loads, or -1. That of a
// module has no tag of its own: it is -1 with a copy.
func (v *Page) FallbackOf(i int) (at int, local Target) {
	if ref := v.ModuleCopy(i); ref != "" {
		return -1, Resolve(v.Path, v.Base, ref)
	}
	if i+1 >= len(v.Includes) || v.Includes[i].Kind != page.Script && v.Includes[i].Kind != page.Stylesheet {
		return -1, Target{}
	}
	in := &v.Includes[i+1]
	if len(bytes.TrimSpace(v.Bytes[v.Includes[i].End:in.Start])) > 0 {
		return -1, Target{}
	}
	_, copies := v.Fallback(i + 1)
	if len(copies) == 0 {
		return -1, Target{}
	}
	ref, _ := url.PathUnescape(copies[len(copies)-1].Ref)
	return i + 1, Resolve(v.Path, v.Base, ref)
}

// ModuleCopy is what a module's tag imports where it can't be had, "" if it says nothing.
func (v *Page) ModuleCopy(i int) string {
	if !v.Includes[i].Module {
		return ""
	}
	does, _ := v.Attr(&v.Includes[i], OnError)
	m := moduleForm().FindStringSubmatch(does)
	if m == nil {
		return ""
	}
	ref, _ := url.PathUnescape(m[1])
	return ref
}

// OnError is the attribute of a module's tag that says what to do where it can't be had.
const OnError = "onerror"

// ModuleFallback is the value of that attribute which imports the site's own copy.
func ModuleFallback(ref string) string {
	ref = quoteless.Replace(ref)
	if !strings.HasPrefix(ref, "/") && !strings.HasPrefix(ref, "../") && !strings.HasPrefix(ref, "./") {
		ref = "./" + ref // a specifier without is no address (HTML Standard, section 8.1.5.2)
	}
	return fmt.Sprintf(moduleFallback, ref)
}

// linkAttributes are those that are ours of an include.
func (v *Page) linkAttributes(i int) []string {
	if _, has := v.Attr(&v.Includes[i], OnError); v.Includes[i].Module && (!has || v.ModuleCopy(i) != "") {
		return append(slices.Clone(LinkAttributes), OnError)
	}
	return LinkAttributes
}

// ReferWith makes an include a link with the values of its attributes, and without those of ours that have none.
func (e *Editor) ReferWith(i int, ref string, values map[string]string) {
	e.Refer(i, ref, e.linkAttributes(i), values)
}

// Fallback reads an include as a fallback: the global that it asks for, "" for that of a stylesheet, and the copies
// that it loads, none where it is no fallback.
func (v *Page) Fallback(i int) (global string, copies []Copy) {
	in := &v.Includes[i]
	if copied, has := v.Attr(in, "data-copy"); has && v.LoadsCopy(i) {
		global, _ = v.Attr(in, "data-global")
		return global, []Copy{{Ref: copied}}
	}
	if in.Kind != page.InlineScript {
		return "", nil
	}
	text, closed := strings.CutSuffix(v.Text(i), "</script>")
	_, text, _ = strings.Cut(text, ">")
	if !closed {
		return "", nil
	}
	return readFallback(text)
}

// LoadsCopy reports whether an include is a tag of the script that loads local copies.
func (v *Page) LoadsCopy(i int) bool {
	in := &v.Includes[i]
	return in.Kind == page.Script && strings.HasSuffix("/"+WithoutQuery(in.Ref), "/"+CopyScript)
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
		e.insertAt(e.position(i)+1, slot{tag: tag, spot: page.Spot{Index: i, After: true}, moved: true,
			what: item{Item: order.Item{Inert: true}}})
	}
}
