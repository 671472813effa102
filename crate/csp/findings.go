package csp

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/policy"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"

	"merrycrate.example/merry/crate/tags"
)

// policyFindings collects what policies forbid on one page.
type policyFindings struct {
	v      *tags.Page
	file   string
	found  []check.Finding
	groups []group
	said   map[string]bool // what was reported already, by one policy of several
}

// A group is what one directive forbids and one thing would fix: it is reported once.
type group struct {
	many  Inlines
	where string // the policy
	shown string // its directive
	next  string
	uses  []Uses
}

func (k *policyFindings) add(name string, s check.Severity, at int, message, why, next string) {
	f := check.Finding{Name: name, Severity: s, File: k.file, Message: message, Why: why, Next: next}
	f.Line, f.Column = k.v.Position(at)
	k.found = append(k.found, f)
}

// unheeded tells of policies and directives that a browser passes over.
func (k *policyFindings) unheeded() {
	for _, m := range k.v.Policies {
		switch {
		case m.ReportOnly:
			k.add(check.PolicyUnheeded, check.Warning, m.Start, "a report-only policy is in a meta element",
				"browsers obey it in a header only", "send it as a header from the server")
			continue
		case !m.InHead:
			k.add(check.PolicyUnheeded, check.Warning, m.Start, "the page's policy is outside its head",
				"browsers ignore it there", "move the meta element into the head, before everything that it "+
					"should apply to")
			continue
		}
		for _, f := range policy.Parse(m.Text).Ignored(true) {
			k.add(check.PolicyUnheeded, check.Warning, m.Start, fmt.Sprintf("the page's policy has %s, which browsers "+
				"ignore here", f.Part), f.Reason, "correct it, send it as a header, or remove it")
		}
	}
}

func (k *policyFindings) judge(p applied, u Uses) {
	verdict, by := p.Judge(u.Use)
	key := fmt.Sprint(u.At, u.what)
	if verdict != policy.Forbidden || k.said[key] {
		return
	}
	if k.said == nil {
		k.said = map[string]bool{}
	}
	k.said[key] = true
	g := group{many: u.Many, where: p.where, shown: shown(p, by), next: next(u, by)}
	at := slices.IndexFunc(k.groups, func(o group) bool {
		return o.many == g.many && o.where == g.where && o.shown == g.shown && o.next == g.next
	})
	if at < 0 {
		at, k.groups = len(k.groups), append(k.groups, g)
	}
	k.groups[at].uses = append(k.groups[at].uses, u)
}

// maxForbidden is how many things one finding names.
const maxForbidden = 3

// tell tells each group once, at the first of its things.
func (k *policyFindings) tell() {
	for _, g := range k.groups {
		first, what := g.uses[0], g.uses[0].what
		why, severity := "a browser will neither load nor run it", check.Error
		switch {
		case g.many == Links:
			severity, why = check.Warning, "nothing happens when somebody follows the link"
		case g.many == Forms:
			severity, why = check.Warning, "nothing is sent when somebody sends the form"
		case g.many == Prefetches:
			severity, why = check.Warning, "a browser fetches nothing ahead, and its console says so"
		case g.many != "":
			why = "a browser ignores it"
		}
		switch {
		case len(g.uses) == 1:
		case g.many != "":
			what = fmt.Sprintf("%d %s, the first one here", len(g.uses), g.many)
		default:
			var names []string
			for _, u := range g.uses[:min(len(g.uses), maxForbidden)] {
				names = append(names, u.what)
			}
			what = strings.Join(names, ", ")
			if more := len(g.uses) - maxForbidden; more > 0 {
				what += fmt.Sprintf(" and %d more", more)
			}
			why = "a browser will neither load nor run them"
		}
		k.add(check.PolicyForbids, severity, first.At, fmt.Sprintf("the policy of %s forbids %s: %s", g.where, what,
			g.shown), why, g.next)
	}
}

func shown(p applied, by string) string {
	return strings.TrimSpace(by + " " + strings.Join(p.Value(by), " "))
}

// next says how a use could be allowed.
func next(u Uses, by string) string {
	switch {
	case u.Many == Handlers || u.Many == Styles || u.Many == Links:
		return u.next + "; merry check --policy  # shows how to allow it"
	case u.Inline && u.next != "": // what can't be a file
		return fmt.Sprintf("%s, or add %s to %s", u.next, policy.HashOf(u.Text), by)
	case u.Inline && by != "sandbox":
		return fmt.Sprintf("put it into a file of the site, or add %s to %s", policy.HashOf(u.Text), by)
	case by == "sandbox" && u.CORS:
		return "add allow-same-origin to sandbox, or let the server send Access-Control-Allow-Origin for the file"
	case by == "sandbox":
		return "add allow-scripts to sandbox"
	case u.Path != "":
		return "add 'self' to " + by
	case strings.HasPrefix(u.URL, "data:"):
		return "add data: to " + by
	}
	at, err := url.Parse(u.URL)
	if err != nil {
		return "allow its address"
	}
	return fmt.Sprintf("add %s://%s to %s, or keep the file on the site", at.Scheme, at.Host, by)
}

// demanded tells of tags without the integrity that a policy of integrity demands (Subresource Integrity, section 3.8).
func (k *policyFindings) demanded(demands []string) {
	for i := range k.v.Includes {
		in := &k.v.Includes[i]
		destination := map[page.Kind]string{page.Script: "script", page.Stylesheet: "style"}[in.Kind]
		if in.Inert != "" || destination == "" || !slices.Contains(demands, destination) || k.v.Targets[i].IsZero() {
			continue
		}
		value, _ := k.v.Attr(in, "integrity")
		_, cors := k.v.Attr(in, "crossorigin")
		switch meta, err := integrity.Parse(value); {
		case err != nil || len(meta.Strongest()) == 0:
			k.add(check.PolicyForbids, check.Error, in.Start, fmt.Sprintf("the server's Integrity-Policy requires an "+
				"integrity on each %s, and the tag of %s has none", destination, k.v.Name(i)),
				"a browser will not load it", "add the integrity that merry seal --html FILE prints, and crossorigin, "+
					"to the tag")
		case !cors && !in.Module:
			k.add(check.PolicyForbids, check.Error, in.Start, fmt.Sprintf("the server's Integrity-Policy requires an "+
				"integrity, and the tag of %s has no crossorigin", k.v.Name(i)),
				"without it a browser ignores the integrity and does not load the file",
				`write crossorigin="anonymous" on the tag`)
		}
	}
}

// demandedOfModules tells of modules without the integrity that a policy of integrity demands: those which others
// import have it in the page's import map (HTML Standard, section 8.1.5.2).
func (g *Index) demandedOfModules(k *policyFindings, demands []string) {
	if g.Scripts == nil || !slices.Contains(demands, "script") {
		return
	}
	has := map[tags.Target]bool{}
	for i := range k.v.Includes {
		if !k.v.IsMap(i) {
			continue
		}
		read, err := module.ReadMap(k.v.Code(&k.v.Includes[i]))
		if err != nil {
			continue
		}
		for _, address := range read.Demands() {
			if meta, err := integrity.Parse(read.Integrity(address)); err == nil && len(meta.Strongest()) > 0 {
				has[tags.Resolve(k.v.Path, k.v.Base, address)] = true
			}
		}
	}
	told := map[tags.Target]bool{}
	g.eachImported(k.v, func(n *graph.Node, tag int, _ bool) {
		if has[n.Target] || told[n.Target] {
			return
		}
		told[n.Target] = true
		k.add(check.PolicyForbids, check.Error, k.v.Includes[tag].Start, fmt.Sprintf("the server's Integrity-Policy "+
			"requires an integrity on each script, and %s, which %s imports, has none",
			path.Base(tags.WithoutQuery(n.Target.String())), k.v.Name(tag)), "a browser will not load it",
			"write its hash under integrity in the page's import map; merry seal prints hashes")
	})
}
