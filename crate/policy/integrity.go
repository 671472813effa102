package policy

import (
	"fmt"

	"github.com/dunglas/httpsfv"
)

// Demands are the destinations whose files an Integrity-Policy header (Subresource Integrity, section 3.8) blocks where
// their tags have no integrity, and the parts of it that browsers ignore: as of November 2026 they know scripts alone.
// A header is a dictionary (RFC 9651, section 3.2). Browsers ignore one that does not
// parse.
func Demands(header string) (list []string, ignored []Flaw) {
	of, err := httpsfv.UnmarshalDictionary([]string{header})
	if err != nil {
		return nil, []Flaw{{header, "it is not a dictionary of structured fields, like blocked-destinations=(script)"}}
	}
	sources, has := of.Get("sources")
	inline := !has
	if has {
		for _, s := range tokens("sources", sources, &ignored) {
			if s == "inline" {
				inline = true
			} else {
				ignored = append(ignored, Flaw{"the source " + s, "browsers know only the source inline"})
			}
		}
	}
	destinations, has := of.Get("blocked-destinations")
	if !has {
		return nil, append(ignored, Flaw{header, "it has no blocked-destinations"})
	}
	for _, d := range tokens("blocked-destinations", destinations, &ignored) {
		switch {
		case d != "script":
			ignored = append(ignored, Flaw{"the destination " + d, "browsers know only the destination script"})
		case inline:
			list = append(list, d)
		}
	}
	if !inline {
		ignored = append(ignored, Flaw{"sources without inline", "so it blocks nothing; leave out sources, or write " +
			"sources=(inline)"})
	}
	return list, ignored
}

// tokens are the words of a list in a dictionary.
func tokens(key string, member httpsfv.Member, ignored *[]Flaw) (list []string) {
	inner, is := member.(httpsfv.InnerList)
	if !is {
		*ignored = append(*ignored, Flaw{key, "its value is not a list in parentheses"})
		return nil
	}
	for _, item := range inner.Items {
		if word, is := item.Value.(httpsfv.Token); is {
			list = append(list, string(word))
		} else {
			*ignored = append(*ignored, Flaw{fmt.Sprintf("%q in %s", fmt.Sprint(item.Value), key), "it is not a word " +
				"without quotes"})
		}
	}
	return list
}
