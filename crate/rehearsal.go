package crate

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
)

// A Room runs rehearsals in a process of their own: it is handed a request and returns the report, both as JSON. The
// process has hard limits of time and memory, and nothing but its two ends.
type Room func(ctx context.Context, request []byte) ([]byte, error)

// rehearsalNumber goes up when package rehearse learns to see more.
const rehearsalNumber = "rehearsal-4"

// mostRehearsal is how long a rehearsal may take.
const mostRehearsal = 3 * time.Second

// rehearse rehearses a page, or recalls what the same rehearsal showed before.
func (r *Reach) rehearse(req *rehearse.Request) (*rehearse.Report, error) {
	b, err := json.Marshal(req)
	if err != nil {
		return nil, err
	}
	of := integrity.Of(b)
	kept, ok := r.Cache.Kept(rehearsalNumber, of)
	if !ok {
		if r.Room == nil {
			return &rehearse.Report{Stopped: "this program has no room for rehearsals"}, nil
		}
		ctx, cancel := context.WithTimeout(context.Background(), mostRehearsal+2*time.Second)
		defer cancel()
		if kept, err = r.Room(ctx, b); err != nil {
			if ctx.Err() != nil {
				return &rehearse.Report{Stopped: "it took too long"}, nil
			}
			return &rehearse.Report{Stopped: err.Error()}, nil
		}
		r.Cache.Keep(rehearsalNumber, of, kept)
	}
	var report rehearse.Report
	return &report, json.Unmarshal(kept, &report)
}

// RunRehearsal is what the room's process does with a request.
func RunRehearsal(request []byte) ([]byte, error) {
	var req rehearse.Request
	if err := json.Unmarshal(request, &req); err != nil {
		return nil, err
	}
	stop := make(chan struct{})
	timer := time.AfterFunc(mostRehearsal, func() { close(stop) })
	defer timer.Stop()
	return json.Marshal(rehearse.Run(&req, stop))
}

// rehearseAlone runs one script on an empty page.
func (r *Reach) rehearseAlone(text []byte) *rehearse.Report {
	out, err := r.rehearse(&rehearse.Request{HTML: "<!doctype html><body><script></script>", Address: "https://site.invalid/", Browser: script.BrowserNames(),
		Scripts: []rehearse.Script{{Name: "it", Text: string(text), When: rehearse.InPlace}}})
	if err != nil {
		return nil
	}
	return out
}

// rehearsal makes the request for a page.
func (s *scripts) rehearsal(v *view) *rehearse.Request {
	req := &rehearse.Request{HTML: string(v.Bytes), Address: "https://site.invalid/" + v.path, Texts: map[string]string{}, Browser: script.BrowserNames()}
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Kind != page.Script && in.Kind != page.InlineScript || strings.HasPrefix(in.Inert, "inside") && in.Inert != "inside svg or math" {
			continue // the parser of a browser sees no element there either
		}
		sc := rehearse.Script{Name: s.p.includeName(v, i), When: rehearse.InPlace}
		switch in.When {
		case page.Deferred:
			sc.When = rehearse.Deferred
		case page.Async:
			sc.When = rehearse.AnyTime
		}
		switch known := s.ofInclude(v, i); {
		case in.Inert != "":
			sc.Skip = in.Inert
		case known == nil && in.Kind == page.Script && v.targets[i].Path != "" && v.library[i] == "":
			sc.Skip = "it is not there"
		case known == nil:
			sc.Skip, sc.Unknown = "its text is not known", true
		case in.Module && known.Form != script.Module && len(known.ModuleImport) == 0:
			// A plain script in a module tag: strict, with no this, and its names stay inside.
			sc.Text = `(function(){"use strict";` + string(known.text) + "\n}).call(undefined)"
		case in.Module:
			sc.Skip = "a module"
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
		case known.Form == script.Module:
			sc.Skip = "a module in a tag for plain scripts"
		default:
			sc.Text = string(known.text)
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
			if in.Kind == page.InlineScript {
				sc.Line, sc.Column = page.Position(v.Bytes, in.TextStart())
			}
		}
		req.Scripts = append(req.Scripts, sc)
		if at, local := v.fallbackOf(i); at >= 0 {
			if k := s.of(local); k != nil {
				req.Texts["https://site.invalid/"+local.Path] = string(k.text)
			}
		}
	}
	return req
}

// ofInclude returns what is known of a script on a page.
func (s *scripts) ofInclude(v *view, i int) *knownScript {
	in := &v.Includes[i]
	switch {
	case in.Kind == page.InlineScript:
		text := v.InlineText(in)
		return &knownScript{Report: s.ofText(text), text: text, name: s.p.inProject(v.path)}
	case in.Kind != page.Script || v.targets[i].Path == "" && v.targets[i].URL == "":
		return nil
	}
	return s.of(v.targets[i])
}

// scriptsOf maps the scripts of a request back to the includes of the page.
func scriptsOf(v *view) []int {
	var list []int
	for i := range v.Includes {
		in := &v.Includes[i]
		if (in.Kind == page.Script || in.Kind == page.InlineScript) && !(strings.HasPrefix(in.Inert, "inside") && in.Inert != "inside svg or math") {
			list = append(list, i)
		}
	}
	return slices.Clip(list)
}
