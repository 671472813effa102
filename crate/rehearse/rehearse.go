// Package rehearse runs a page's scripts in order in a sandbox: a JavaScript engine with a simulated document and
// window. It has no way out: no network, no disk, and a simulated clock. It reports the first error of each script as a
// browser's console would, and the globals that scripts use before they are defined.
//
// What the sandbox does not simulate is replaced by a value that accepts every operation; errors that may result from
// that are uncertain. Run is pure except for memory and time: callers that don't trust the scripts run it in a process
// of its own.
package rehearse

import (
	_ "embed"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/dop251/goja"
	"github.com/dop251/goja/parser"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"merrycrate.example/merry/crate/memo"
)

// A Turn is the time at which a script runs.
type Turn string

// The times at which a script runs.
const (
	InPlace  Turn = "in place"
	Deferred Turn = "deferred"
	AnyTime  Turn = "any time"
)

// A Script is one script element of the page, in the order of the page.
type Script struct {
	Name string `json:"name"` // as findings call it
	Text string `json:"text"`
	When Turn   `json:"when"`
	// Line and Column are where the text begins on its file or page, from 1.
	Line, Column int
	// Skip says why it is not run: it is data, a module, of an unknown text. Of one that is known, Defines are the
	// globals that reading it found; Unknown says that it may define anything.
	Skip    string   `json:"skip,omitempty"`
	Defines []string `json:"defines,omitempty"`
	Unknown bool     `json:"unknown,omitempty"`
	// Request are members of globals, such as race.fn.boat, that are looked up before it runs.
	Request []string `json:"ask,omitempty"`
	// Module is the place of a module script in the request's modules, from 1; 0 is a plain script, whose import() lead
	// where Imports say, as those of modules do.
	Module  int            `json:"module,omitempty"`
	Imports map[string]int `json:"imports,omitempty"`
}

// A Request is a page to rehearse.
type Request struct {
	HTML    string            `json:"html"`
	Address string            `json:"address"` // an absolute address of the page
	Scripts []Script          `json:"scripts"`
	Modules []Module          `json:"modules,omitempty"`
	OnLoad  *Script           `json:"onload,omitempty"` // the text of the body's onload attribute, nil for none
	Texts   map[string]string `json:"texts,omitempty"`  // of scripts that others may load, by address
	// of those that others may write into the page, where they run at once
	Written map[string]string `json:"written,omitempty"`
	Browser []string          `json:"browser"`           // names that a browser gives to scripts
	Steps   int               `json:"steps,omitempty"`   // how many timers are run, 0 for 200
	Members bool              `json:"members,omitempty"` // list the members of the globals that the scripts make
	Deep    bool              `json:"deep,omitempty"`    // with members: those of namespaces and classes, and forms
	Clicks  bool              `json:"clicks,omitempty"`  // click on what waits for it, at the end
	// Watched are globals of libraries: another script that puts a copy in the place of one is noted.
	Watched []string `json:"watched,omitempty"`
	// Wanted are members of globals, such as race.fn.boat, that are looked up when the page has loaded.
	Wanted []string `json:"wanted,omitempty"`
	// scripts that run at any time come last, after the page has loaded
	Late bool `json:"late,omitempty"`
	Eval Eval `json:"eval,omitempty"` // what becomes of texts that scripts would run as code
	// Policed notes what scripts make that a content security policy may forbid. Types are what one demands of texts
	// that become markup or code, nil for nothing.
	Policed bool   `json:"policed,omitempty"`
	Types   *Types `json:"types,omitempty"`
}

// Types are the demands of a policy on texts that become markup or code (Trusted Types, section 4.2).
type Types struct {
	Required bool     `json:"required"`        // texts must come from a policy of the scripts' own
	Names    []string `json:"names,omitempty"` // those that it may have, nil for any
}

// Eval says how strings run as code, by eval and new Function, are treated.
type Eval string

// The choices; the zero value runs them and says nothing.
const (
	EvalNoted Eval = "noted" // they run, and the report says so
	// an EvalError, as under a page's policy (Content Security Policy Level 3, section 4.5)
	EvalForbidden Eval = "forbidden"
)

// OnLoad stands for the body's onload attribute in place of a script's index.
const OnLoad = -2

//go:embed room.js
var roomSource string

//go:embed elements.js
var elementsSource string

//go:embed types.js
var typesSource string

var typesProgram = sync.OnceValue(func() *goja.Program { return goja.MustCompile("types", typesSource, false) })

//go:embed language.js
var languageSource string

// roomProgram is compiled when it is first needed: most commands never are in the room.
var roomProgram = sync.OnceValue(func() *goja.Program { return goja.MustCompile("room", roomSource, false) })

var languageProgram = sync.OnceValue(func() *goja.Program {
	return goja.MustCompile("language", languageSource, false)
})

var elementsProgram = sync.OnceValue(func() *goja.Program {
	return goja.MustCompile("elements", elementsSource, false)
})

// page is one rehearsal.
type page struct {
	handed  bool // the body's onload is the window's handler
	req     *Request
	vm      *goja.Runtime
	engine  *goja.Object
	out     *Report
	when    string
	current int // the script that runs, -1 between scripts
	touched map[int]bool
	doubt   bool // something that could not be run may have defined anything
	elems   map[int]*goja.Object
	depth   int
	writing bool // document.write is at work

	clicked, handler string // of the element that is being clicked
	// standIns are for what browsers have and the room has not, as far as scripts asked for it.
	standIns map[string]goja.Value
	browser  map[string]bool // the request's list
	rejected []rejection
	made     []*unit // of the request's modules
	copies   map[string]original
	soon     goja.Callable // calls a function a moment later, and gives a promise of what that returns
}

// Run rehearses a page. Interrupt, where not nil, ends it early when it is closed, as a limit on time.
func Run(req *Request, interrupt <-chan struct{}) (out *Report) {
	s := &page{req: req, vm: goja.New(), out: &Report{Ran: make([]bool, len(req.Scripts))}, current: -1,
		when: "loading", touched: map[int]bool{}, standIns: map[string]goja.Value{}}
	done := make(chan struct{})
	defer close(done)
	go func() {
		select {
		case <-interrupt:
			s.vm.Interrupt("it took too long")
		case <-done:
		}
	}()
	defer func() {
		// An engine that trips over a script must not end the command that asked.
		if p := recover(); p != nil {
			s.out.Stopped, s.out.Guessed = fmt.Sprint("the engine gave up: ", p), s.doubt || len(s.touched) > 0
			out = s.out
		}
	}()
	s.vm.SetMaxCallStackSize(2000)
	s.vm.SetParserOptions(parser.WithDisableSourceMaps) // what eval and new Function read, too
	if err := s.open(); err != nil {
		s.out.Stopped = err.Error()
		return s.out
	}
	before := keys(s.vm)
	if err := s.run(); err != nil {
		s.out.Stopped = err.Error()
	}
	s.unhandled()
	known := map[string]bool{"$fetch": true} // the room's own, for import()
	for _, k := range append(before, req.Browser...) {
		known[k] = true
	}
	for _, k := range keys(s.vm) {
		if v := s.standIns[k]; v != nil && s.vm.GlobalObject().Get(k) == v {
			continue
		}
		if !known[k] && len(k) <= maxText && len(s.out.Defined) < maxNames {
			s.out.Defined = append(s.out.Defined, k)
		}
	}
	if req.Members {
		s.members()
	}
	return s.out
}

// keys are all names of the global object, those too that no loop over it shows.
func keys(vm *goja.Runtime) []string { return vm.GlobalObject().GetOwnPropertyNames() }

// open builds the room.
func (s *page) open() error {
	vm := s.vm
	f, err := vm.RunProgram(languageProgram())
	if err != nil {
		return err
	}
	if add, ok := goja.AssertFunction(f); ok {
		if _, err := add(goja.Undefined()); err != nil {
			return err
		}
	}
	f, err = vm.RunProgram(roomProgram())
	if err != nil {
		return err
	}
	enter, _ := goja.AssertFunction(f)
	elements, err := vm.RunProgram(elementsProgram())
	if err != nil {
		return err
	}
	host := vm.NewObject()
	host.Set("elements", elements)
	host.Set("member", func(interfaces, name string) bool { return hasMember(interfaces, name) })
	host.Set("whole", s.document)
	host.Set("own", func(source string) bool {
		return strings.Contains(roomSource, source) || strings.Contains(elementsSource, source) ||
			strings.Contains(languageSource, source) || strings.Contains(typesSource, source)
	})
	host.Set("touch", func() { s.touched[s.current] = true })
	host.Set("now", func() int { return 0 })
	host.Set("parse", s.parse)
	host.Set("base64", func(text string, encode bool) (string, error) {
		if encode {
			return base64.StdEncoding.EncodeToString([]byte(text)), nil
		}
		b, err := base64.StdEncoding.DecodeString(text)
		return string(b), err
	})
	host.Set("report", func(kind string, message string) {
		if kind == "exception" {
			kind = ""
		}
		s.report(Fault{Script: s.current, Running: s.current, Message: message, When: s.when, Sure: s.sure(),
			Console: kind})
	})
	host.Set("asks", s.asks)
	host.Set("makes", s.makes)
	host.Set("address", address)
	host.Set("run", func(call goja.FunctionCall) goja.Value {
		f, ok := goja.AssertFunction(call.Argument(0))
		if !ok {
			return goja.Undefined()
		}
		if by, ok := call.Argument(1).Export().(int64); ok { // on behalf of a script
			old := s.current
			s.current = int(by)
			defer func() { s.current = old }()
		}
		if _, err := f(goja.Undefined()); err != nil {
			s.fault(err)
		}
		return goja.Undefined()
	})
	host.Set("who", func() int { // is at work
		script, _, _, _ := s.place(s.vm.CaptureCallStack(30, nil))
		return script
	})
	v, err := enter(goja.Undefined(), host)
	if err != nil {
		return err
	}
	s.engine = v.ToObject(vm)
	s.engine.Set("href", s.req.Address)
	s.engine.Set("write", s.write)
	s.engine.Set("inserted", s.inserted)
	s.engine.Set("watching", s.req.Policed)
	s.watch()
	s.rejections()
	return s.guards()
}

// watch notes every read of a global that is not there: a proxy is after the global object, which the engine
// asks last, for free names and for window.x alike.
func (s *page) watch() {
	vm := s.vm
	proto := vm.GlobalObject().Prototype()
	note := func(name string) {
		if s.current < 0 && s.when == "loading" || strings.HasPrefix(name, "on") {
			return
		}
		r := Read{Script: s.current, Global: name, When: s.when}
		r.Script, _, r.Line, r.Column = s.place(s.vm.CaptureCallStack(0, nil))
		if !slices.ContainsFunc(s.out.Reads, func(o Read) bool {
			return o.Script == r.Script && o.Global == r.Global
		}) && len(s.out.Reads) < 2000 && len(name) <= maxText {
			s.out.Reads = append(s.out.Reads, r)
		}
	}
	behind := vm.NewProxy(proto, &goja.ProxyTrapConfig{
		Has: func(target *goja.Object, name string) bool {
			if target.Get(name) != nil || s.byID(name) != nil || s.has(name) {
				return true
			}
			note(name)
			return false
		},
		Get: func(target *goja.Object, name string, receiver goja.Value) goja.Value {
			if v := target.Get(name); v != nil {
				return v
			}
			if e := s.byID(name); e != nil {
				return e
			}
			if s.has(name) { // a browser has it and the room has not
				return s.given(name)
			}
			note(name)
			return nil // not there, rather than there and undefined: a free name is a ReferenceError then
		},
	})
	vm.GlobalObject().SetPrototype(vm.ToValue(behind).ToObject(vm))
}

// has reports whether a browser gives scripts a name.
func (s *page) has(name string) bool {
	if s.browser == nil {
		s.browser = map[string]bool{}
		for _, k := range s.req.Browser {
			s.browser[k] = true
		}
	}
	return s.browser[name] || platform()[name] != nil
}

// byID is the element that a name of the global object stands for: an id is a name there (HTML Standard, section
// 7.2.2.3).
func (s *page) byID(name string) goja.Value {
	if !idNames().MatchString(name) || !strings.Contains(s.req.HTML, name) || s.engine == nil {
		return nil
	}
	doc := s.engine.Get("document").ToObject(s.vm)
	f, _ := goja.AssertFunction(doc.Get("getElementById"))
	v, err := f(doc, s.vm.ToValue(name))
	if err != nil || goja.IsNull(v) {
		return nil
	}
	return v
}

var idNames = memo.Regexp(`^[A-Za-z_][\w-]*$`)

func (s *page) sure() bool { return !s.doubt && !s.touched[s.current] && !s.touched[-1] }

// place finds the script and the place in it that a call stack speaks of; of a place in a module that module's number
// too, from 1.
func (s *page) place(stack []goja.StackFrame) (script, module, line, column int) {
	for _, f := range stack {
		at := f.Position()
		var n int
		if at.Line == 0 {
			continue
		}
		line, column = at.Line, at.Column
		begin, first := 0, 0
		if _, err := fmt.Sscanf(f.SrcName(), "script %d", &n); err == nil {
			script, begin, first = n, s.req.Scripts[n].Line, s.req.Scripts[n].Column
		} else if _, err := fmt.Sscanf(f.SrcName(), "module %d", &n); err == nil && line > ahead {
			script, module, line = s.made[n].owner, n+1, line-ahead
			begin, first = s.made[n].Line, s.made[n].Column
		} else if f.SrcName() == onLoadName && s.req.OnLoad != nil && line > 1 {
			script, line = OnLoad, line-1
			begin, first = s.req.OnLoad.Line, s.req.OnLoad.Column
		} else {
			continue
		}
		if begin > 0 {
			if line == 1 {
				column += max(0, first-1)
			}
			line += begin - 1
		}
		return script, module, line, column
	}
	return s.current, 0, 0, 0
}

// elsewhere are names that servers and loaders have and browsers have not.
var elsewhere = map[string]bool{"define": true, "module": true, "exports": true, "require": true, "process": true,
	"global": true, "Buffer": true, "importScripts": true}

// noFunction are the engine's words for a call of what is no function, called those before the bracket of a call.
var (
	noFunction = memo.Regexp(`^TypeError: (?:Object has no member '|Value is not an object: undefined$|` +
		`.* is not a function)`)
	called = memo.Regexp(`(?:[\w$]|\)|\])(?:[\w$]|\.)*$`)
)

// readOf are the engine's words for a member of nothing, which browsers say otherwise.
var readOf = memo.Regexp(`Cannot read property '([^']*)' of (undefined or null|undefined|null)`)

// calledThere is what stands before the bracket of the call that a stack of the engine speaks of, "" if it is no call
// of one of the page's scripts: a name, with what it is a member of as far as that is names.
func (s *page) calledThere(stack []goja.StackFrame) string {
	for _, f := range stack {
		var n int
		text := ""
		at := f.Position()
		if _, err := fmt.Sscanf(f.SrcName(), "script %d", &n); err == nil && at.Line > 0 {
			text = s.req.Scripts[n].Text
		} else if _, err := fmt.Sscanf(f.SrcName(), "module %d", &n); err == nil && at.Line > ahead {
			text = s.made[n].Text
			at.Line -= ahead
		} else {
			continue
		}
		lines := strings.SplitN(text, "\n", at.Line+1)
		if at.Line > len(lines) {
			return ""
		}
		line := lines[at.Line-1]
		if at.Column < 2 || at.Column > len(line) || line[at.Column-1] != '(' {
			return ""
		}
		before := line[max(0, at.Column-1-maxCalled) : at.Column-1]
		name := called().FindString(before)
		if name != "" && strings.ContainsAny(name[:1], ")]") {
			name = map[byte]string{')': "(...)", ']': "[...]"}[name[0]] + name[1:]
		}
		return name
	}
	return ""
}

// maxCalled is how much of a call's words is told, in bytes.
const maxCalled = 60

var notDefined = memo.Regexp(`^ReferenceError: (\S+) is not defined`)

// fault records an exception that nobody caught.
func (s *page) fault(err error) {
	var interrupted *goja.InterruptedError
	if errors.As(err, &interrupted) {
		panic(fmt.Sprint(interrupted.Value()))
	}
	var ex *goja.Exception
	f := Fault{Script: s.current, Running: s.current, When: s.when, Sure: s.sure()}
	if !errors.As(err, &ex) {
		f.Message = err.Error()
		var stack *goja.StackOverflowError
		f.Sure = f.Sure && errors.As(err, &stack)
		s.report(f)
		return
	}
	f.Script, f.Module, f.Line, f.Column = s.place(ex.Stack())
	f.Message = ex.Value().String()
	if name := s.calledThere(ex.Stack()); name != "" && noFunction().MatchString(f.Message) {
		f.Message = "TypeError: " + name + " is not a function" // as browsers say it
	}
	f.Message = readOf().ReplaceAllString(f.Message, "Cannot read properties of $2 (reading '$1')")
	if f.Script >= 0 && s.touched[f.Script] {
		f.Sure = false
	}
	if m := notDefined().FindStringSubmatch(f.Message); m != nil {
		f.Global = m[1]
		f.Sure = !s.doubt // what is not there is not there, whatever was touched on the way
	} else if strings.HasPrefix(f.Message, "TypeError") {
		// Something undefined was used; if the script has read a global that was not there, it is most likely that,
		// unless it only asked where it is.
		for _, r := range s.out.Reads {
			if r.Script == f.Script && !elsewhere[r.Global] {
				f.Global = r.Global
			}
		}
	}
	s.report(f)
}

// parse reads markup for the room: a text, or [tag, attributes, children, namespace].
func (s *page) parse(text, context string) []any {
	ctx := &html.Node{Type: html.ElementNode, Data: "body", DataAtom: atom.Body}
	if a := atom.Lookup([]byte(context)); a != 0 {
		ctx.Data, ctx.DataAtom = context, a
	}
	nodes, err := html.ParseFragment(strings.NewReader(text), ctx)
	if err != nil {
		return nil
	}
	var list []any
	for _, n := range nodes {
		if v := markup(n); v != nil {
			list = append(list, v)
		}
	}
	return list
}

// document reads a whole document for the room.
func (s *page) document(text string) []any {
	root, err := html.Parse(strings.NewReader(text))
	if err != nil {
		return nil
	}
	var list []any
	for c := range root.ChildNodes() {
		if v := markup(c); v != nil {
			list = append(list, v)
		}
	}
	return list
}

func markup(n *html.Node) any {
	switch n.Type {
	case html.TextNode:
		return n.Data
	case html.CommentNode:
		return []any{"!", n.Data}
	case html.ElementNode:
		var children []any
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if v := markup(c); v != nil {
				children = append(children, v)
			}
		}
		if children == nil {
			children = []any{}
		}
		return []any{n.Data, attributes(n), children, namespace(n)}
	}
	return nil
}

// attributes are names and values in turn, in their order.
func attributes(n *html.Node) []any {
	list := make([]any, 0, 2*len(n.Attr))
	for _, a := range n.Attr {
		list = append(list, a.Key, a.Val)
	}
	return list
}

func namespace(n *html.Node) string {
	switch n.Namespace {
	case "svg":
		return "http://www.w3.org/2000/svg"
	case "math":
		return "http://www.w3.org/1998/Math/MathML"
	}
	return ""
}
