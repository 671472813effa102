package page

import "merrycrate.example/merry/crate/memo"

// Nonce is the nonce of an include's tag, "" if it has none or one that does not count: a script's tag with markup in
// another attribute, or any tag that has an attribute twice (Content Security Policy Level 3, section 6.7.3.1). White
// space is a part of it.
func (p *Page) Nonce(in *Include) string {
	nonce := ""
	seen := map[string]bool{}
	i := in.Start + 1
	for i < in.End && class[p.Bytes[i]] == 0 {
		i++ // the element's name
	}
	var a Attr
	for more := true; more; {
		if i, more = nextAttr(p.Bytes[:in.End], i, &a); !more {
			break
		}
		value := decode(string(p.Bytes[a.ValueStart:a.ValueEnd]))
		switch {
		case seen[a.Name], (in.Kind == Script || in.Kind == InlineScript) && markupIn().MatchString(a.Name+" "+value):
			return ""
		case a.Name == "nonce" && a.HasValue:
			nonce = value
		}
		seen[a.Name] = true
	}
	return nonce
}

var markupIn = memo.Regexp(`(?i)<script|<style`)
