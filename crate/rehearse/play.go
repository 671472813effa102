package rehearse

import (
	"errors"
	"fmt"
	"net/url"
	"strings"

	"github.com/dop251/goja"
	"github.com/dop251/goja/parser"
	"golang.org/x/net/html"
	"merrycrate.example/merry/crate/memo"
)

// maxTime is how far the simulated clock goes, in milliseconds.
const maxTime = 2000

// run builds the page piece by piece, as a parser does, and runs each script where it stands: it finds what stands
// before it, and nothing else. Then come the deferred scripts, the events that tell that the page is ready and
// loaded, and timers up to a bound (HTML Standard, section 13.2.7).
func (s *page) run() error {
	s.units()
	root, err := html.Parse(strings.NewReader(s.req.HTML))
	if err != nil {
		return err
	}
	if n := countScripts(root); n != len(s.req.Scripts) {
		return fmt.Errorf("the page's scripts can't be told apart: %d elements, %d includes", n, len(s.req.Scripts))
	}
	quirks := true
	for c := root.FirstChild; c != nil; c = c.NextSibling {
		quirks = quirks && c.Type != html.DoctypeNode
	}
	s.engine.Set("quirks", quirks)
	s.elems = map[int]*goja.Object{}
	next := 0
	doc := s.engine.Get("document").ToObject(s.vm)
	s.grow(doc, root, &next)
	s.ready(doc, "interactive")
	s.scripts(Deferred)
	if !s.req.Late {
		s.scripts(AnyTime)
	}
	s.when = "ready"
	s.event(doc, "DOMContentLoaded", true)
	s.when = "load"
	s.handOnLoad() // where no script is in the body
	s.ready(doc, "complete")
	s.event(s.vm.GlobalObject(), "load", false)
	if s.req.Late {
		s.scripts(AnyTime)
	}
	s.when = "later"
	s.current = -1
	most := s.req.Steps
	if most == 0 {
		most = 200
	}
	s.timers(most, maxTime)
	s.lacking()
	s.clicks()
	return nil
}

// timers runs a number of timers at most, as far as they are due before a time.
func (s *page) timers(most, until int) {
	step, _ := goja.AssertFunction(s.engine.Get("step"))
	for range most {
		more, err := step(s.engine, s.vm.ToValue(until))
		if err != nil {
			s.fault(err)
			continue
		}
		if !more.ToBoolean() {
			break
		}
	}
}

// maxClicks is how many elements are clicked.
const maxClicks = 40

// clicks clicks once on each element that something comes of, and runs the timers that this sets.
func (s *page) clicks() {
	if !s.req.Clicks {
		return
	}
	s.when = "clicked"
	var list []goja.Value
	if err := s.vm.ExportTo(s.call(s.engine, "waiting"), &list); err != nil {
		return
	}
	click, _ := goja.AssertFunction(s.engine.Get("click"))
	for i, e := range list[:min(len(list), maxClicks)] {
		s.current = -1
		s.clicked, s.handler = s.call(s.engine, "tagOf", e).String(), s.call(s.engine, "handlerOf", e).String()
		if _, err := click(s.engine, e); err != nil {
			s.fault(err)
		}
		s.timers(20, maxTime+100*(i+1))
	}
	s.clicked, s.handler = "", ""
}

// scripts runs the page's scripts of one kind, in the order of the page.
func (s *page) scripts(when Turn) {
	for i := range s.req.Scripts {
		if s.req.Scripts[i].When == when {
			s.script(i)
		}
	}
}

func countScripts(n *html.Node) int {
	count := 0
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode || c.Data == "template" && c.Namespace == "" {
			continue
		}
		if c.Data == "script" {
			count++
		}
		count += countScripts(c)
	}
	return count
}

// grow adds the children of a parsed node to an element of the room, and runs the scripts among them.
func (s *page) grow(parent *goja.Object, n *html.Node, next *int) {
	build, _ := goja.AssertFunction(s.engine.Get("build"))
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type == html.ElementNode && (c.Data == "script" || countScripts(c) > 0) && !(c.Data == "template" &&
			c.Namespace == "") {
			s.must(build(s.engine, parent, s.vm.ToValue([]any{[]any{c.Data, attributes(c), []any{}, namespace(c)}})))
			made := parent.Get("lastChild").ToObject(s.vm)
			if c.Data == "script" {
				s.must(nil, made.DefineDataProperty("started", s.vm.ToValue(true), goja.FLAG_FALSE, goja.FLAG_FALSE,
					goja.FLAG_FALSE)) // the parser runs it, nobody else does
			}
			if c.Data == "body" {
				s.handOnLoad()
			}
			s.grow(made, c, next)
			if c.Data == "script" {
				i := *next
				*next++
				s.elems[i] = made
				if s.req.Scripts[i].When == InPlace {
					s.script(i)
				}
			}
			continue
		}
		if v := markup(c); v != nil {
			s.must(build(s.engine, parent, s.vm.ToValue([]any{v})))
		}
	}
}

// onLoadName is how the engine calls the text of the body's onload attribute.
const onLoadName = "onload"

// handOnLoad makes the body's onload attribute the window's handler, as the parser of a browser does where it comes to
// the tag.
func (s *page) handOnLoad() {
	if s.req.OnLoad == nil || s.handed {
		return
	}
	s.handed = true
	program, err := compile(onLoadName, "(function onload(event) {\n"+s.req.OnLoad.Text+"\n})")
	if err != nil {
		// A browser reads it when it is to run, and says then what is wrong with it: nothing, where another handler
		// came in its place.
		s.vm.GlobalObject().Set("onload", func() {
			s.report(Fault{Script: OnLoad, Running: -1, When: "load", Sure: !s.doubt, Message: "SyntaxError: what " +
				"it says is " +
				"no script"})
		})
		return
	}
	if handler, err := s.vm.RunProgram(program); err == nil {
		s.vm.GlobalObject().Set("onload", handler)
	}
}

func (s *page) must(_ goja.Value, err error) {
	if err != nil {
		panic(err)
	}
}

func (s *page) ready(doc *goja.Object, state string) {
	doc.Set("readyState", state)
	s.event(doc, "readystatechange", false)
}

func (s *page) event(target *goja.Object, name string, bubbles bool) {
	s.current = -1
	fire, _ := goja.AssertFunction(s.engine.Get("fire"))
	ctor := s.engine.Get("Event")
	event, err := s.vm.New(ctor, s.vm.ToValue(name), s.vm.ToValue(map[string]any{"bubbles": bubbles}))
	if err == nil {
		_, err = fire(s.engine, target, event)
	}
	if err != nil {
		s.fault(err)
	}
}

// script runs one of the page's scripts.
func (s *page) script(i int) {
	sc := &s.req.Scripts[i]
	if sc.Skip != "" {
		s.doubt = s.doubt || sc.Unknown
		for _, g := range sc.Defines {
			s.stand(g)
		}
		return
	}
	s.ask(sc.Request)
	old := s.current
	s.current = i
	defer func() { s.current = old }()
	doc := s.engine.Get("document").ToObject(s.vm)
	doc.Set("currentScript", s.elems[i])
	defer doc.Set("currentScript", goja.Null())
	if sc.Module > 0 {
		doc.Set("currentScript", goja.Null())
		ended, known := s.module(sc.Module - 1)
		for _, g := range sc.Defines {
			if !known {
				s.stand(g)
			}
		}
		s.out.Ran[i] = ended
		return
	}
	s.out.Ran[i] = s.text(fmt.Sprintf("script %d", i), sc.Text)
	s.compareCopies(i)
}

// stand lets something that takes anything stand in for a global.
func (s *page) stand(name string) {
	f, _ := goja.AssertFunction(s.engine.Get("anything"))
	if v, err := f(goja.Undefined()); err == nil && s.vm.GlobalObject().Get(name) == nil {
		s.vm.GlobalObject().Set(name, v)
	}
}

// given is what stands in for an interface of the platform from now on.
func (s *page) given(name string) goja.Value {
	f, _ := goja.AssertFunction(s.engine.Get("standIn"))
	v, err := f(goja.Undefined(), s.vm.ToValue(name), s.vm.ToValue(platform()[name] != nil))
	if err != nil {
		return goja.Undefined()
	}
	s.vm.GlobalObject().DefineDataProperty(name, v, goja.FLAG_TRUE, goja.FLAG_TRUE, goja.FLAG_FALSE)
	s.standIns[name] = v
	return v
}

// compile reads a script. The engine would open the file that a source map's comment names, so it is reported not to.
func compile(name, text string) (*goja.Program, error) {
	tree, err := goja.Parse(name, text, parser.WithDisableSourceMaps)
	if err != nil {
		return nil, err
	}
	if strings.Contains(text, "arguments") {
		clearSurplus(tree)
	}
	return goja.CompileAST(tree, false)
}

// misread are parts of regular expressions that the engine takes for something else, instead of refusing them.
var misread = memo.Regexp(`\\[pP]\{`)

// markupComment are comments as HTML has them, at the begin of a line (ECMA-262, section B.1.1). The engine knows none.
var markupComment = memo.Regexp(`(?m)^(\s*)(?:<!--|-->)`)

// withoutMarkup writes such comments as others, each in its place.
func withoutMarkup(text string) string {
	return markupComment().ReplaceAllStringFunc(text, func(m string) string {
		space := strings.TrimRight(m, "<!->")
		return space + "//" + strings.Repeat(" ", len(m)-len(space)-2)
	})
}

// text runs a text. It reports whether that came to its end.
func (s *page) text(name, text string) bool {
	if misread().MatchString(text) {
		s.touched[s.current] = true
	}
	program, err := compile(name, withImports(text))
	if err != nil && markupComment().MatchString(text) {
		program, err = compile(name, withImports(withoutMarkup(text)))
	}
	var wrong *goja.CompilerSyntaxError
	if err != nil {
		// The engine may lack what browsers have; callers who parsed it know better.
		errors.As(err, &wrong)
		s.touched[s.current] = true
		s.doubt = true
		if s.current >= 0 {
			for _, g := range s.req.Scripts[s.current].Defines {
				s.stand(g)
			}
		}
		return false
	}
	if _, err := s.vm.RunProgram(program); err != nil {
		sure := s.sure()
		s.fault(err)
		s.doubt = s.doubt || !sure // in a browser the rest of it may have run
		return false
	}
	return true
}

// write is document.write: what it writes is after the script that wrote it, and scripts in it run at once.
func (s *page) write(text string) {
	if s.current < 0 || s.elems[s.current] == nil || s.depth > 10 {
		s.touched[-1] = true
		return
	}
	s.depth++
	defer func() { s.depth-- }()
	at := s.elems[s.current]
	holder, err := s.vm.New(s.vm.Get("DocumentFragment"))
	if err != nil {
		return
	}
	build, _ := goja.AssertFunction(s.engine.Get("build"))
	s.must(build(s.engine, holder, s.vm.ToValue(s.parse(text, "body"))))
	old := s.writing
	s.writing = true
	defer func() { s.writing = old }()
	if seen, ok := goja.AssertFunction(s.engine.Get("madeIn")); ok {
		s.must(seen(s.engine, holder, s.vm.ToValue(false), s.vm.ToValue(true)))
	}
	scripts := s.call(holder, "querySelectorAll", "script")
	s.call(at, "after", holder)
	if list := scripts.ToObject(s.vm); list != nil {
		for i := range int(list.Get("length").ToInteger()) {
			s.load(list.Get(fmt.Sprint(i)).ToObject(s.vm))
		}
	}
}

func (s *page) call(o *goja.Object, method string, args ...any) goja.Value {
	f, ok := goja.AssertFunction(o.Get(method))
	if !ok {
		return goja.Undefined()
	}
	values := make([]goja.Value, len(args))
	for i, a := range args {
		values[i] = s.vm.ToValue(a)
	}
	v, err := f(o, values...)
	if err != nil {
		return goja.Undefined()
	}
	return v
}

// scriptType is a media type of scripts (HTML Standard, section 4.12.1.1).
var scriptType = memo.Regexp(`^(?:text|application)/(?:x-)?(?:java|ecma|j|live)script[\d.]*$`)

// inserted is called for a script element that a script puts into the page.
func (s *page) inserted(e *goja.Object) {
	if s.depth > 10 {
		return
	}
	switch kind := strings.ToLower(strings.TrimSpace(s.attribute(e, "type"))); {
	case kind == "module":
		s.touched[-1] = true // what it does is not known
		return
	case kind != "" && !scriptType().MatchString(kind):
		return // data
	}
	s.depth++
	defer func() { s.depth-- }()
	if src := s.call(e, "getAttribute", "src"); !goja.IsNull(src) && !goja.IsUndefined(src) {
		_, known := s.req.Texts[s.resolve(src.String())]
		if !known || s.req.Policed {
			s.asks(s.resolve(src.String()), "script", s.attribute(e, "nonce"), s.attribute(e, "integrity"))
		}
		if !known {
			s.touched[-1] = true // it will load something that nobody knows
			return
		}
	}
	s.load(e)
}

// load runs a script element that did not come with the page.
func (s *page) load(e *goja.Object) {
	src := s.call(e, "getAttribute", "src")
	if s.writing && !goja.IsNull(src) && !goja.IsUndefined(src) && s.req.Policed {
		s.asks(s.resolve(src.String()), "script", s.attribute(e, "nonce"), s.attribute(e, "integrity"))
	}
	if goja.IsNull(src) || goja.IsUndefined(src) {
		if s.req.Policed {
			s.makes(string(MadeScript), e.Get("textContent").String(), s.attribute(e, "nonce"))
		}
		s.text("written", s.call(e, "cloneNode", true).ToObject(s.vm).Get("textContent").String())
		return
	}
	text, known := s.req.Texts[s.resolve(src.String())]
	if !known {
		text, known = s.req.Written[s.resolve(src.String())]
	}
	if !known {
		s.touched[-1] = true
		return
	}
	s.text("loaded "+src.String(), text)
}

// attribute is the value of an element's attribute, "" for none.
func (s *page) attribute(e *goja.Object, name string) string {
	if v := s.call(e, "getAttribute", name); !goja.IsNull(v) && !goja.IsUndefined(v) {
		return v.String()
	}
	return ""
}

func (s *page) resolve(ref string) string { return s.resolveFrom(s.req.Address, ref) }

func (s *page) resolveFrom(address, ref string) string {
	base, err := url.Parse(address)
	if err != nil {
		return ref
	}
	u, err := base.Parse(ref)
	if err != nil {
		return ref
	}
	return u.String()
}
