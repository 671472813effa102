package repin

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/texts"
	"merrycrate.example/merry/crate/upgrade"
)

// Try plans a request on a copy of the project, and changes nothing.
func Try(ctx context.Context, p *project.Project, req Request) (*Moved, error) {
	d, err := reconcile.Trial(ctx, p)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	return Do(ctx, d, req)
}

// Do plans a request and applies the plan, which on a copy and on a dry run changes nothing.
func Do(ctx context.Context, d *reconcile.Plan, req Request) (*Moved, error) {
	out, done, err := Plan(ctx, d, req)
	if err != nil || done == nil {
		return out, err
	}
	if err := d.Finish(ctx, &out.Result, &out.Pages, nil); err != nil {
		return nil, err
	}
	done()
	out.Pages = reconcile.Changed(out.Pages)
	return out, nil
}

// Forward is a refusal of a request with the way forward: a command that was tried on a copy of the project. Where none
// was found, the refusal stays as it is.
func Forward(ctx context.Context, p *project.Project, req Request, refusal error) error {
	cause := problem.Of(refusal)
	if cause.Class != problem.Refused || req.Newest || cause.Code == problem.Held {
		return refusal
	}
	var next []string
	with := req
	with.KeepParts = false
	for _, allow := range []func(){func() { with.WithNeeds = true }, func() { with.Modules = true }} {
		if allow(); ctx.Err() != nil {
			return ctx.Err()
		}
		if got, err := Try(ctx, p, with); err == nil {
			way := shortest(ctx, p, with, got)
			next = append(next, way.command())
			break
		}
	}
	if len(next) == 0 || with.Modules && !req.Modules {
		if older, ok := newestThatFits(ctx, p, req); ok {
			next = append(next, older.command()+"  # the newest version that fits")
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if len(next) == 0 && cause.Code == problem.NeedUnmet && slices.ContainsFunc(cause.Next, func(step string) bool {
		return strings.Contains(step, "merry repin") // that was tried
	}) {
		next = []string{"merry contents  # lists what needs what"}
		if lib := p.List.Library(req.Moves[0].Library); lib != nil {
			if _, packaged := lib.Package(); packaged {
				next = []string{"merry versions " + texts.Word(lib.Name) + "  # lists others"}
			}
		}
	}
	if len(next) == 0 {
		return refusal
	}
	return &problem.Problem{Code: cause.Code, Class: cause.Class, What: cause.What, Next: next, Err: refusal}
}

// newestThatFits is the request with the newest version that can be moved to. What a version breaks its successors
// mostly break, too, so that few of many versions are tried; the one that is named was.
func newestThatFits(ctx context.Context, p *project.Project, req Request) (older Request, ok bool) {
	list := earlier(ctx, p, req)
	fits := map[int]bool{}
	at := sort.Search(len(list), func(i int) bool {
		older = req
		older.Moves = []Move{{Library: req.Moves[0].Library, Wish: list[i]}}
		_, err := Try(ctx, p, older)
		fits[i] = err == nil
		return err == nil
	})
	if !fits[at] {
		return req, false
	}
	older.Moves = []Move{{Library: req.Moves[0].Library, Wish: list[at]}}
	return older, true
}

// shortest names the libraries that moved along, if that alone does.
func shortest(ctx context.Context, p *project.Project, with Request, got *Moved) Request {
	if len(got.Libraries) == len(with.Moves) && len(got.Took)+len(got.Released) == 0 {
		plain := with
		plain.WithNeeds = false
		if _, err := Try(ctx, p, plain); err == nil {
			return plain
		}
	}
	named := with
	named.WithNeeds = false
	for _, l := range got.Libraries {
		if !slices.ContainsFunc(named.Moves, func(m Move) bool { return m.Library == l.Library }) {
			named.Moves = append(slices.Clone(named.Moves), Move{Library: l.Library, Wish: l.New})
		}
	}
	if len(got.Took) == 0 {
		if _, err := Try(ctx, p, named); err == nil {
			return named
		}
	}
	return with
}

// earlier lists versions between the one in use and the one that a request names, the newest of each minor: those whose
// ranges the other libraries of the crate meet. If several libraries move, it lists none.
func earlier(ctx context.Context, p *project.Project, req Request) []string {
	if len(req.Moves) != 1 || req.Moves[0].Source != "" {
		return nil
	}
	lib := p.List.Library(req.Moves[0].Library)
	if lib == nil {
		return nil
	}
	pkg, ok := lib.Package()
	if !ok {
		return nil
	}
	doc, err := p.Origin.Document(ctx, pkg, false)
	if err != nil {
		return nil
	}
	most, err := doc.Resolve(req.Moves[0].Wish, nil)
	if err != nil {
		return nil
	}
	var list []string
	minor := ""
	for _, v := range slices.Backward(doc.Sorted()) {
		of := v.Version[:strings.LastIndexByte(v.Version, '.')]
		if of == minor || strings.Contains(v.Version, "-") || v.Deprecated != "" ||
			source.CompareVersions(v.Version, most.Version) >= 0 ||
			source.CompareVersions(v.Version, lib.Version) <= 0 || upgrade.Wants(p, *lib, v) != "" ||
			upgrade.AllowedByOthers(ctx, p, lib.Name, pkg, v.Version) != "" {
			continue
		}
		minor = of
		list = append(list, v.Version)
	}
	return list
}

// command is how a request is typed.
func (r *Request) command() string {
	words := []string{"merry repin"}
	for _, m := range r.Moves {
		word := m.Library
		if m.Wish != "" {
			word += "@" + m.Wish
		}
		words = append(words, texts.Word(word))
		if m.Source != "" {
			words = append(words, "--from "+texts.Word(m.Source))
		}
	}
	for _, old := range slices.Sorted(maps.Keys(r.Renames)) {
		words = append(words, "--rename "+texts.Word(fmt.Sprintf("%s=%s", old, r.Renames[old])))
	}
	for flag, set := range map[string]bool{"--rename-sure": r.RenameSure, "--pages-only": r.PagesOnly,
		"--with-needs": r.WithNeeds, "--modules": r.Modules, "--fits": r.Fits, "--keep-parts": r.KeepParts} {
		if set {
			words = append(words, flag)
		}
	}
	slices.Sort(words[1+len(r.Moves)+len(r.Renames):])
	return strings.Join(words, " ")
}
