package check

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/support"
)

// forms holds what each script is against the tag that it stands in.
func (k *pageCheck) forms() {
	newest := k.c.Newest()
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		r := in.Script
		if r == nil || raw.Inert != "" || raw.Kind != page.Script && raw.Kind != page.InlineScript {
			continue
		}
		name := cmp.Or(in.Path, in.URL, "this script")
		switch {
		case r.Form == script.Broken:
			k.add(SyntaxError, Error, raw.Start, fmt.Sprintf("%s can't be parsed: %s (line %d)", name, r.SyntaxError,
				r.SyntaxErrorLine),
				"a browser runs none of it", "correct it; for a library: merry refill --overwrite  # restores the "+
					"sealed bytes")
		case r.Form == script.Module && !raw.Module:
			k.add(ModuleAsClassic, Error, raw.Start, fmt.Sprintf("%s is an ES module in a plain script tag", name),
				"import and export are syntax errors there, so none of it will run", `write type="module" on the tag, `+
					`or take another build: merry peek lists them`)
		case raw.Module && r.Form == script.Universal, raw.Module && r.Form == script.Classic && len(r.Defines) > 0 &&
			raw.Kind == page.Script:
			k.add(ClassicAsModule, Warning, raw.Start, fmt.Sprintf("%s is a plain script in a module tag", name),
				"top-level names of a module stay inside, so other scripts will not find what it defines",
				`remove type="module" from the tag`)
		case r.Form == script.Server || r.Form == script.AMD && !k.loader(i):
			k.add(WrongBuild, Error, raw.Start, fmt.Sprintf("%s is %s build, which a plain script tag can't load", name,
				map[script.Form]string{script.Server: "a server-side", script.AMD: "an AMD"}[r.Form]),
				"it uses require, module or define, which a browser does not have", "take another build: merry peek "+
					"lists them")
		}
		if newest > 0 && r.Syntax > newest && r.Form != script.Broken {
			k.add(SyntaxNewer, Error, raw.Start, fmt.Sprintf("%s uses syntax of ECMAScript %d; the packing list's "+
				"browsers support %d", name, r.Syntax, newest),
				"an older browser stops at the first syntax that it does not know, and runs nothing of the file",
				"take an older version or another build: merry peek shows the syntax of each")
		}
	}
}

// maxLacks is how many features one finding names.
const maxLacks = 4

// features finds what scripts call and stylesheets say that browsers of the packing list lack, less what a script
// before gives.
func (k *pageCheck) features() {
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		list := slices.DeleteFunc(slices.Clone(in.Features), func(l MissingFeature) bool {
			return k.defined(i, l.Feature)
		})
		if raw.Inert != "" || len(list) == 0 {
			continue
		}
		name := cmp.Or(in.Path, in.URL, "this "+raw.Kind.String())
		why, next := "such a browser stops there with an error",
			"test for it first (typeof, in), load a polyfill before this script, or take a build for older browsers"
		if raw.Kind == page.Stylesheet || raw.Kind == page.InlineStyle {
			why, next = "such a browser ignores the rule or the declaration",
				"write a fallback before it, or put it into @supports"
		}
		k.add(FeatureNewer, Warning, raw.Start, name+" uses "+lacked(list), why, next)
	}
}

// lacked names features, and the browsers that lack the first of them.
func lacked(list []MissingFeature) string {
	var words []string
	for n, l := range list {
		if n == maxLacks {
			words = append(words, fmt.Sprintf("%d more", len(list)-n))
			break
		}
		words = append(words, fmt.Sprintf("%s (%s; since %s)", l.Name, l.Where, l.Since))
	}
	lack := "lacks"
	if strings.Contains(list[0].Who, ",") || strings.HasPrefix(list[0].Who, "browsers") {
		lack = "lack"
	}
	return strings.Join(words, ", ") + ", which " + list[0].Who + " " + lack
}

// NewerMarkup are features of a page's markup that some browser lacks.
type NewerMarkup struct {
	list         []MissingFeature
	line, column int // of the first
}

// Add adds a feature, with its place on the page.
func (n *NewerMarkup) Add(f MissingFeature, line, column int) {
	if len(n.list) == 0 {
		n.line, n.column = line, column
	}
	n.list = append(n.list, f)
}

// Finding is one finding of all of them. Without any, the list is empty.
func (n *NewerMarkup) Finding(file string, s Severity, why string) []Finding {
	if len(n.list) == 0 {
		return nil
	}
	return []Finding{{Name: FeatureNewer, Severity: s, File: file, Line: n.line, Column: n.column,
		Message: "the page uses " + lacked(n.list), Why: why, Next: "see what the page does without it"}}
}

// defined reports whether a script before an include gives a feature to browsers that lack it.
func (k *pageCheck) defined(i int, f *support.Feature) bool {
	_, member, _ := strings.Cut(f.Name, ".")
	if f.Kind == support.Method {
		member = f.Name
	}
	for j := range i {
		text, ok := k.p.Items[j].Text.([]byte)
		if !ok {
			continue
		}
		switch {
		case k.p.Items[j].Defines.Has(f.Name), f.Kind == support.Global && gives(text, f.Name),
			f.Kind == support.Method && bytes.Contains(text, []byte("prototype."+f.Name)),
			f.Kind == support.Static && bytes.Contains(text, []byte(f.Name)) &&
				bytes.Contains(text, []byte("!"+f.Name)),
			member != "" && (bytes.Contains(text, []byte(`"`+member+`"`)) ||
				bytes.Contains(text, []byte(`'`+member+`'`))) && bytes.Contains(text, []byte("defineProperty")):
			return true
		}
	}
	return false
}

// gives reports whether a script writes to a global of a name.
func gives(text []byte, name string) bool {
	for _, of := range []string{"window.", "self.", "globalThis.", "global.", "this."} {
		for at := 0; ; {
			i := bytes.Index(text[at:], []byte(of+name))
			if i < 0 {
				break
			}
			at += i + len(of+name)
			if rest := bytes.TrimLeft(text[at:], " \t"); bytes.HasPrefix(rest, []byte("=")) &&
				!bytes.HasPrefix(rest, []byte("==")) {
				return true
			}
		}
	}
	return false
}

// loader reports whether something before an include defines define.
func (k *pageCheck) loader(i int) bool {
	for j := range i {
		if k.p.Items[j].Defines.Has("define") || k.p.Items[j].Unread {
			return true
		}
	}
	return false
}

// mayBeOne reports whether two scripts that are called alike may be one library: the banner of a plug-in may begin with
// the name of its base, but the base is defined once.
func mayBeOne(a, b *script.Report) bool {
	if a == nil || b == nil {
		return true
	}
	for _, g := range a.Defines {
		if slices.ContainsFunc(b.Defines, func(h script.Global) bool { return g.Name == h.Name }) {
			return true
		}
	}
	return len(a.Defines) == 0 && len(b.Defines) == 0 && len(a.Parts)+len(b.Parts) == 0
}

// versions looks for one library in two versions, and for libraries that nobody recorded.
func (k *pageCheck) versions() {
	type named struct {
		name string
		kind page.Kind
	}
	first := map[named]int{}
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		if !in.Loads || in.Name == "" {
			continue
		}
		if in.Library == "" && in.Version != "" {
			message := fmt.Sprintf("%s looks like %s %s, which is not in the crate", cmp.Or(in.Path, in.URL), in.Name,
				in.Version)
			if in.Known != "" {
				message = fmt.Sprintf("%s looks like %s %s, but this tag is not recorded; the crate has %s",
					cmp.Or(in.Path, in.URL), in.Name, in.Version, in.Known)
			}
			k.add(Unrecorded, Note, raw.Start, message,
				"merry can't report when its file changes, or what it needs", fmt.Sprintf("merry adopt %s", k.page()))
		}
		key := named{in.Name, raw.Kind}
		j, ok := first[key]
		if !ok {
			first[key] = i
			continue
		}
		if other := &k.p.Includes[j]; other.Version != in.Version && other.Version != "" && in.Version != "" &&
			mayBeOne(other.Script, in.Script) && k.p.Page.EnclosingBlock(i) == "" && k.p.Page.EnclosingBlock(j) == "" {
			line := k.p.line(k.p.Page.Includes[j].Start)
			k.add(TwoVersions, Error, raw.Start, fmt.Sprintf("%s is on the page in two versions: %s here, and %s "+
				"in %s", in.Name, in.Version, other.Version, line),
				"the second one replaces the first, and everything that was added to it in between",
				fmt.Sprintf("remove one of the two tags, or merry omit %s --page %s", cmp.Or(in.Library, other.Library,
					in.Path), k.page()))
		}
	}
}

// mixed looks for what a page served over TLS will not load, or only with a warning.
func (k *pageCheck) mixed() {
	if !plainAddress(k.p.Bytes) {
		return
	}
	for _, mark := range []string{`src="http://`, `src='http://`} {
		for at := 0; ; {
			i := bytes.Index(k.p.Bytes[at:], []byte(mark))
			if i < 0 {
				break
			}
			at += i + len(mark)
			if k.include(at) {
				continue // it has a finding of its own
			}
			url, _, _ := strings.Cut(string(k.p.Bytes[at-7:min(len(k.p.Bytes), at+200)]), mark[4:5])
			k.add(MixedContent, Warning, at-7, fmt.Sprintf("%s is fetched without TLS", url),
				"a page served over https will not load it, or shows a warning", "write https://, or keep the file "+
					"on the site")
		}
	}
}

// plainAddress reports whether http:// stands somewhere. A colon is a rarer letter than an h.
func plainAddress(b []byte) bool {
	for at := 0; ; at++ {
		i := bytes.IndexByte(b[at:], ':')
		if i < 0 {
			return false
		}
		at += i
		if at >= 4 && bytes.HasPrefix(b[at:], []byte("://")) && string(b[at-4:at]) == "http" {
			return true
		}
	}
}

// include reports whether an offset is in the tag of a script or a stylesheet.
func (k *pageCheck) include(at int) bool {
	for i := range k.p.Page.Includes {
		if in := &k.p.Page.Includes[i]; at > in.Start && at < in.End {
			return true
		}
	}
	return false
}
