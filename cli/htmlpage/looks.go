// Package htmlpage writes the answers of commands as pages: self-contained, and readable without scripts.
package htmlpage

import (
	_ "embed"
	"encoding/base64"
	"html/template"
	"strings"
	"sync"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

//go:embed looks.html
var looksText string

// LookedText is the template "looked", which draws pages that look different, for pages of other things, too. It asks
// for the functions share, rule and plural.
//
//go:embed looked.html
var LookedText string

var looksPage = sync.OnceValue(func() *template.Template {
	return template.Must(template.Must(template.New("looks").Funcs(template.FuncMap{"share": show.Share,
		"rule": Rule, "plural": show.Count}).Parse(looksText)).Parse(LookedText))
})

// A DrawnLook is one page that looks different: its pictures as addresses of their own data.
type DrawnLook struct {
	*crate.LookedPage
	Was, Is, Marks template.URL
}

// Looks writes a page with what looks different from a kept look.
func Looks(title, against string, seen *crate.Looked) ([]byte, error) {
	data := struct {
		Title, Against, Browser string
		Different               []DrawnLook
		Same                    []*crate.LookedPage
	}{Title: title, Against: against, Browser: seen.Browser}
	for _, p := range seen.Pages {
		if p.Different == nil {
			data.Same = append(data.Same, p)
		}
	}
	var err error
	if data.Different, err = Drawn(seen); err != nil {
		return nil, err
	}
	var b strings.Builder
	err = looksPage().Execute(&b, data)
	return []byte(b.String()), err
}

// Drawn returns the pages that look different, with their pictures. Without a look it returns nil.
func Drawn(seen *crate.Looked) (list []DrawnLook, err error) {
	if seen == nil {
		return nil, nil
	}
	for _, p := range seen.Pages {
		if p.Different == nil {
			continue
		}
		marked, err := crate.MarkedLook(p)
		if err != nil {
			return nil, err
		}
		list = append(list, DrawnLook{p, picture(p.Before.Picture), picture(p.After.Picture), picture(marked)})
	}
	return list, nil
}

func picture(png []byte) template.URL {
	return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(png))
}

// Rule says how a rule changed.
func Rule(selector, was, now, file string) string {
	text := selector + "  "
	switch {
	case was == "":
		text += "new: " + now
	case now == "":
		text += "removed: " + was
	default:
		text += was + " → " + now
	}
	return text + show.Before("  ", file)
}
