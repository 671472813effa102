package rehearse

import (
	_ "embed" // of the text that lists members
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"

	"github.com/agext/levenshtein"
	"github.com/dop251/goja"
)

//go:embed members.js
var membersText string

var membersProgram = sync.OnceValue(func() *goja.Program { return goja.MustCompile("members.js", membersText, true) })

// members lists the members of what the scripts made, and what kind of thing each is.
func (s *page) members() {
	list, err := s.vm.RunProgram(membersProgram())
	if err != nil {
		return
	}
	f, _ := goja.AssertFunction(list)
	v, err := f(goja.Undefined(), s.vm.ToValue(s.out.Defined), s.vm.ToValue(s.req.Deep), s.vm.ToValue(maxNames))
	if err != nil {
		return // the scripts' time is over
	}
	var found struct {
		Members map[string][]string
		Forms   map[string]string
	}
	if json.Unmarshal([]byte(v.String()), &found) == nil {
		s.out.Members = found.Members
		if s.req.Deep {
			s.out.Forms = found.Forms
		}
	}
}

// ask looks up members of globals, each along its path.
func (s *page) ask(members []string) {
	for _, member := range members {
		at := s.vm.GlobalObject()
		for i, name := range strings.Split(member, ".") {
			v := at.Get(name)
			if v == nil || goja.IsUndefined(v) || goja.IsNull(v) {
				s.out.Missing = append(s.out.Missing, member)
				break
			}
			if at = v.ToObject(s.vm); i > maxPath {
				break
			}
		}
	}
}

// A MissingMember is a member that an object has not, with the name that was probably meant, "" for none.
type MissingMember struct {
	Member string `json:"member"`
	Near   string `json:"near,omitempty"`
}

// lacking looks up the wanted members. Where an object on the way is not there, or takes anything, nothing is said.
func (s *page) lacking() {
	for _, member := range s.req.Wanted {
		of := s.vm.GlobalObject()
		path := strings.Split(member, ".")
		for i, name := range path[:min(len(path), maxPath)] {
			v := of.Get(name)
			if i > 0 && (v == nil || goja.IsUndefined(v)) {
				s.out.Lacking = append(s.out.Lacking, MissingMember{member, nearest(name, of.GetOwnPropertyNames())})
			}
			if v == nil || goja.IsUndefined(v) || goja.IsNull(v) || s.standIns[name] != nil {
				break
			}
			of = v.ToObject(s.vm)
		}
	}
}

// nearest is the name among several that somebody probably meant who wrote another, "" for none.
func nearest(name string, names []string) string {
	best, most := "", 3
	for _, n := range names {
		d := levenshtein.Distance(name, n, nil)
		if strings.EqualFold(name, n) {
			d = 0
		}
		if d < most && 3*d < len(name)+1 {
			best, most = n, d
		}
	}
	return best
}

// maxPath is how many steps along a member's path are taken.
const maxPath = 16

// guards puts on what policies demand.
func (s *page) guards() error {
	if err := s.types(); err != nil {
		return err
	}
	return s.evals()
}

// evals puts a watch on what runs texts as code.
func (s *page) evals() error {
	if s.req.Eval == "" {
		return nil
	}
	v, err := s.vm.RunString(`(function (note, forbidden) {
		// No proxy: an engine may not take one for what instanceof asks of.
		function guard(f) {
			function guarded() {
				note();
				if (forbidden) throw new EvalError("Evaluating a string as JavaScript violates the page's policy");
				return f.apply(this, arguments);
			}
			if (f.prototype) guarded.prototype = f.prototype;
			return guarded;
		}
		Function = guard(Function);
		Function.prototype.constructor = Function;
		eval = guard(eval);
	})`)
	if err != nil {
		return err
	}
	install, _ := goja.AssertFunction(v)
	_, err = install(goja.Undefined(), s.vm.ToValue(func() { s.out.Evals = true }),
		s.vm.ToValue(s.req.Eval == EvalForbidden))
	return err
}

// asks notes that the script which runs asks for an address.
func (s *page) asks(address, by, nonce, integrity string) {
	a := Asked{Address: address, By: by, Nonce: nonce, Integrity: integrity, Written: s.writing, Sure: s.sure()}
	a.Script, a.Module, a.Line, a.Column = s.place(s.vm.CaptureCallStack(0, nil))
	if len(address) <= maxText && len(s.out.Asked) < maxFaults && !slices.ContainsFunc(s.out.Asked,
		func(o Asked) bool { return o.Address == a.Address && o.Script == a.Script }) {
		s.out.Asked = append(s.out.Asked, a)
	}
}

// makes notes what the script which runs makes that a policy may forbid.
func (s *page) makes(kind, text, nonce string) {
	m := Made{Kind: MadeKind(kind), Text: text, Nonce: nonce, Sure: s.sure()}
	m.Script, m.Module, m.Line, m.Column = s.place(s.vm.CaptureCallStack(0, nil))
	if m.Script >= 0 && len(text) <= maxMade && len(s.out.Made) < maxFaults && !slices.ContainsFunc(s.out.Made,
		func(o Made) bool {
			return o.Kind == m.Kind && o.Text == text && o.Nonce == nonce && o.Script == m.Script
		}) {
		s.out.Made = append(s.out.Made, m)
	}
}

// types has the room demand trusted types.
func (s *page) types() error {
	if s.req.Types == nil {
		return nil
	}
	f, err := s.vm.RunProgram(typesProgram())
	if err != nil {
		return err
	}
	install, _ := goja.AssertFunction(f)
	rules := s.vm.NewObject()
	rules.Set("required", s.req.Types.Required)
	if s.req.Types.Names != nil {
		rules.Set("names", s.vm.ToValue(s.req.Types.Names))
	}
	_, err = install(goja.Undefined(), s.vm.GlobalObject(), rules)
	return err
}

// rejections notes the promises that are rejected, and forgets those that somebody handles in time: the console tells
// of the rest (HTML Standard, section 8.1.6.5).
func (s *page) rejections() {
	s.vm.SetPromiseRejectionTracker(func(p *goja.Promise, did goja.PromiseRejectionOperation) {
		if did == goja.PromiseRejectionHandle {
			s.rejected = slices.DeleteFunc(s.rejected, func(r rejection) bool { return r.promise == p })
			return
		}
		r := rejection{promise: p, fault: Fault{Running: s.current, When: s.when, Sure: s.sure()}}
		r.fault.Script, r.fault.Module, r.fault.Line, r.fault.Column = s.place(s.vm.CaptureCallStack(0, nil))
		s.rejected = append(s.rejected, r)
	})
}

// A rejection is a promise that was rejected and that nobody handled so far.
type rejection struct {
	promise *goja.Promise
	fault   Fault
}

// unhandled reports the rejections that nobody handled.
func (s *page) unhandled() {
	for _, r := range s.rejected {
		r.fault.Message = fmt.Sprintf("%v, in a promise whose rejection nothing handles", r.promise.Result())
		if m := notDefined().FindStringSubmatch(r.fault.Message); m != nil {
			r.fault.Global = m[1]
		}
		s.report(r.fault)
	}
	s.rejected = nil
}

// address is a reference as an address, by its parts, nil if it is none (URL Standard, section 6.1).
func address(ref, base string) any {
	u, err := url.Parse(strings.TrimSpace(ref))
	if err == nil && base != "" {
		var from *url.URL
		if from, err = url.Parse(base); err == nil && from.IsAbs() {
			u = from.ResolveReference(u)
		}
	}
	if err != nil || !u.IsAbs() {
		return nil
	}
	if u.Host != "" && u.Path == "" {
		u.Path = "/"
	}
	parts := map[string]string{"href": u.String(), "protocol": u.Scheme + ":", "host": u.Host, "hostname": u.Hostname(),
		"port": u.Port(), "pathname": u.EscapedPath(), "search": "", "hash": "", "origin": "null"}
	if u.Host != "" {
		parts["origin"] = u.Scheme + "://" + u.Host
	}
	if u.RawQuery != "" {
		parts["search"] = "?" + u.RawQuery
	}
	if u.Fragment != "" {
		parts["hash"] = "#" + u.EscapedFragment()
	}
	if u.Opaque != "" {
		parts["pathname"] = u.Opaque
	}
	return parts
}

// What a report holds at most. A script can make as many globals and faults as it likes.
const (
	maxFaults = 500
	maxNames  = 20_000
	maxText   = 1000 // bytes, of a message or a name
	maxMade   = 1 << 20
)

func (s *page) report(f Fault) {
	if len(s.out.Faults) < maxFaults {
		f.Message, f.Global = shorten(f.Message), shorten(f.Global)
		f.Clicked, f.Handler = shorten(s.clicked), shorten(s.handler)
		s.out.Faults = append(s.out.Faults, f)
	}
}

func shorten(text string) string {
	if len(text) > maxText {
		return strings.ToValidUTF8(text[:maxText], "") + "…"
	}
	return text
}
