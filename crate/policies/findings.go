package policies

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/crate/tags"
)

// policyFindings collects what policies forbid on one page.
type policyFindings struct {
	v     *tags.Page
	file  string
	found []check.Finding
	many  map[string][]Used // forbidden uses that are told once, by what is told of them
	first map[string]standing
	said  map[int]bool // places that were told already
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
			k.add(check.PolicyUnheeded, check.Warning, m.Start, "a policy that only reports stands in a meta element", "browsers heed it in a header alone", "let the server send it")
			continue
		case !m.InHead:
			k.add(check.PolicyUnheeded, check.Warning, m.Start, "the page's policy stands outside of its head", "browsers do not heed it there", "move the meta element into the head, before what it is to govern")
			continue
		}
		for _, f := range policy.Parse(m.Text).Ignored(true) {
			k.add(check.PolicyUnheeded, check.Warning, m.Start, fmt.Sprintf("the page's policy has %s, which browsers do not heed here", f.Part), f.Reason, "correct it, let the server send it, or take it out")
		}
	}
}

func (k *policyFindings) judge(p standing, u Used) {
	verdict, by := p.Judge(u.Use)
	if verdict != policy.Forbidden || k.said[u.At] {
		return
	}
	if k.said == nil {
		k.said, k.many, k.first = map[int]bool{}, map[string][]Used{}, map[string]standing{}
	}
	k.said[u.At] = true
	if u.Many != "" {
		key := string(u.Many) + "\x00" + by
		k.many[key] = append(k.many[key], u)
		if len(k.many[key]) == 1 {
			k.first[key] = p
		}
		return
	}
	k.add(check.PolicyForbids, check.Error, u.At, fmt.Sprintf("the policy of %s forbids %s: %s", p.where, u.what, shown(p, by)), "a browser will neither load nor run it", next(u, by))
}

// several tells of what stands in many elements once.
func (k *policyFindings) several() {
	for _, key := range slices.Sorted(maps.Keys(k.many)) {
		list, p := k.many[key], k.first[key]
		many, by, _ := strings.Cut(key, "\x00")
		message := fmt.Sprintf("the policy of %s forbids %s: %s", p.where, list[0].what, shown(p, by))
		if len(list) > 1 {
			message = fmt.Sprintf("the policy of %s forbids %d %s, the first one here: %s", p.where, len(list), many, shown(p, by))
		}
		why := "a browser passes over it"
		severity := check.Error
		if many == string(Links) {
			severity, why = check.Warning, "nothing happens when somebody follows the link"
		}
		k.add(check.PolicyForbids, severity, list[0].At, message, why, list[0].next+", or allow it: merry check --policy shows how")
	}
}

func shown(p standing, by string) string {
	return strings.TrimSpace(by + " " + strings.Join(p.Value(by), " "))
}

// next says how a use could be allowed.
func next(u Used, by string) string {
	switch {
	case u.Inline && by != "sandbox":
		return fmt.Sprintf("put it into a file of the site, or add %s to %s", policy.HashOf(u.Text), by)
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
			k.add(check.PolicyForbids, check.Error, in.Start, fmt.Sprintf("the server's Integrity-Policy demands an integrity of each %s, and the tag of %s has none", destination, k.v.Name(i)),
				"a browser will not load it", "merry seal FILE prints the integrity; write it on the tag, with crossorigin")
		case !cors && !in.Module:
			k.add(check.PolicyForbids, check.Error, in.Start, fmt.Sprintf("the server's Integrity-Policy demands an integrity, and the tag of %s has no crossorigin", k.v.Name(i)),
				"without it a browser does not count the integrity, and will not load the file", `write crossorigin="anonymous" on the tag`)
		}
	}
}
