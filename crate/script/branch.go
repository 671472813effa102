package script

import "github.com/tdewolff/parse/v2/js"

// ifElse runs the branch that a browser takes where that is known, else both, each knowing what the
// test says of the globals that it looks at.
func (f *follower) ifElse(s *js.IfStmt, this value) (value, bool) {
	cond, yes, no := f.test(s.Cond, this)
	switch cond.kind {
	case truth:
		return f.statement(s.Body, this)
	case falsehood, undefined:
		if s.Else != nil {
			return f.statement(s.Else, this)
		}
		return value{}, false
	}
	var a, b value
	var aEnds, bEnds bool
	f.either(yes, no, func() { a, aEnds = f.statement(s.Body, this) }, func() {
		if s.Else != nil {
			b, bEnds = f.statement(s.Else, this)
		}
	})
	switch {
	case throws(s.Body) && f.guarded == 0:
		// "if (!x) throw": what comes behind is for x alone.
		for _, n := range no {
			f.noteAs(n, f.strength, false)
		}
	case aEnds && s.Else == nil:
		// "if (!x) return": what comes behind in this block knows that x is there.
		f.present = append(f.present, names(no)...)
	}
	if a.kind == unknown {
		a = b
	}
	return a, aEnds && bEnds
}

// either follows two branches of which one is taken, each with what is surely there in it. What both give to a loader
// of modules is given whichever it is.
func (f *follower) either(yes, no []*Need, then, otherwise func()) {
	f.unsure++
	mark, before := len(f.present), f.mayExport
	f.mayExport = false
	f.present = append(f.present, names(yes)...)
	then()
	one := f.mayExport
	f.mayExport = false
	f.present = append(f.present[:mark], names(no)...)
	otherwise()
	f.present = f.present[:mark]
	f.unsure--
	f.usesExport = f.usesExport || one && f.mayExport && f.unsure == 0
	f.mayExport = before || one || f.mayExport
}

func names(needs []*Need) []string {
	var list []string
	for _, n := range needs {
		list = append(append(list, n.Name), n.Or...)
	}
	return list
}

func throws(s js.IStmt) bool {
	switch s := s.(type) {
	case *js.ThrowStmt:
		return true
	case *js.BlockStmt:
		return len(s.List) > 0 && throws(s.List[len(s.List)-1])
	}
	return false
}

// and follows X && Y: in Y is there what X asks for.
func (f *follower) and(x *js.BinaryExpr, this value) value {
	cond, yes, _ := f.test(x.X, this)
	switch cond.kind {
	case falsehood, undefined:
		return value{kind: falsehood}
	}
	mark := len(f.present)
	f.present = append(f.present, names(yes)...)
	if cond.kind != truth {
		f.unsure++
		defer func() { f.unsure-- }()
	}
	v := f.eval(x.Y, this)
	f.present = f.present[:mark]
	if cond.kind == truth || v.kind == global || v.kind == foreign {
		return v
	}
	return value{}
}

// unless follows X || Y where X is a question, as null == x || x(): in Y is there what makes it false.
func (f *follower) unless(x *js.BinaryExpr, this value) value {
	if not, ok := x.X.(*js.UnaryExpr); ok { // !X || Y does what X && Y does
		return f.and(&js.BinaryExpr{Op: js.AndToken, X: not.X, Y: x.Y}, this)
	}
	cond, _, no := f.test(x.X, this)
	if cond.kind == truth {
		return cond
	}
	mark := len(f.present)
	f.present = append(f.present, names(no)...)
	sure := cond.kind == falsehood || cond.kind == undefined
	if !sure {
		f.unsure++
		defer func() { f.unsure-- }()
	}
	v := f.eval(x.Y, this)
	f.present = f.present[:mark]
	if sure || v.kind == global || v.kind == foreign {
		return v
	}
	return value{}
}

// isQuestion tells an expression that is a question, and gives nothing else than its answer.
func isQuestion(e js.IExpr) bool {
	switch x := e.(type) {
	case *js.GroupExpr:
		return isQuestion(x.X)
	case *js.UnaryExpr:
		return x.Op == js.NotToken
	case *js.BinaryExpr:
		switch x.Op {
		case js.EqEqToken, js.EqEqEqToken, js.NotEqToken, js.NotEqEqToken:
			return true
		case js.AndToken:
			return isQuestion(x.X) && isQuestion(x.Y)
		case js.OrToken:
			return isQuestion(x.Y) // what is before it may stand in for it, and is true then
		}
		return (x.Op == js.LtToken || x.Op == js.GtToken) && spelledOut(x) != nil
	}
	return false
}

// test evaluates a condition. It also returns the globals that are surely there where it is true, and
// where it is false.
func (f *follower) test(e js.IExpr, this value) (cond value, yes, no []*Need) {
	switch x := e.(type) {
	case *js.GroupExpr:
		return f.test(x.X, this)
	case *js.CommaExpr:
		return f.test(f.lastOf(x, this), this)
	case *js.UnaryExpr:
		if x.Op == js.NotToken {
			c, y, n := f.test(x.X, this)
			return opposite(c), n, y
		}
	case *js.BinaryExpr:
		switch x.Op {
		case js.AndToken:
			a, ay, _ := f.test(x.X, this)
			if a.kind == falsehood || a.kind == undefined {
				return value{kind: falsehood}, nil, nil
			}
			mark := len(f.present)
			f.present = append(f.present, names(ay)...)
			b, by, bn := f.second(a, x.Y, this)
			f.present = f.present[:mark]
			if a.kind == truth {
				return b, append(ay, by...), bn
			}
			if b.kind == falsehood || b.kind == undefined {
				return value{kind: falsehood}, nil, nil
			}
			return value{}, append(ay, by...), nil
		case js.OrToken:
			a, _, an := f.test(x.X, this)
			if a.kind == truth || a.kind == browser || a.kind == function || a.kind == global {
				return value{kind: truth}, nil, nil
			}
			mark := len(f.present)
			f.present = append(f.present, names(an)...)
			b, _, bn := f.second(a, x.Y, this)
			f.present = f.present[:mark]
			if a.kind == falsehood || a.kind == undefined {
				return b, nil, bn
			}
			if b.kind == truth {
				return b, nil, nil
			}
			return value{}, nil, append(an, bn...)
		case js.EqEqToken, js.EqEqEqToken, js.NotEqToken, js.NotEqEqToken:
			return f.asked(x, this)
		case js.LtToken, js.GtToken:
			if long := spelledOut(x); long != nil {
				return f.asked(long, this)
			}
		}
	}
	return f.answer(e, this)
}

// answer evaluates what a question asks for in the end.
func (f *follower) answer(e js.IExpr, this value) (cond value, yes, no []*Need) {
	var v value
	switch x := e.(type) {
	case *js.CallExpr: // what it does inside is not part of the question
		v = f.eval(e, this)
	case *js.DotExpr: // nor is what a member is of
		v = f.orElse(x, this)
	default:
		f.guarded++
		v = f.eval(e, this)
		f.guarded--
	}
	switch v.kind {
	case foreign:
		f.guarded++
		f.use(v)
		f.guarded--
		return value{}, []*Need{v.need}, nil
	case function, browser, global, container, truth:
		return value{kind: truth}, nil, nil
	case text:
		if v.text != "" {
			return value{kind: truth}, nil, nil
		}
		return value{kind: falsehood}, nil, nil
	case undefined, falsehood:
		return value{kind: falsehood}, nil, nil
	}
	return value{}, nil, nil
}

// second evaluates the second part of a question: whether it is asked at all may depend on the first.
func (f *follower) second(first value, e js.IExpr, this value) (cond value, yes, no []*Need) {
	if first.kind == unknown {
		f.unsure++
		defer func() { f.unsure-- }()
	}
	return f.test(e, this)
}

// lastOf evaluates all of a row but the last, which alone is the question, and returns that.
func (f *follower) lastOf(x *js.CommaExpr, this value) js.IExpr {
	last := len(x.List) - 1
	for _, before := range x.List[:last] {
		f.eval(before, this)
	}
	return x.List[last]
}

// asked compares for a question.
func (f *follower) asked(x *js.BinaryExpr, this value) (cond value, yes, no []*Need) {
	f.guarded++
	defer func() { f.guarded-- }()
	return f.compare(x, this)
}

// orElse evaluates what something else stands in for: a.b.c in a.b.c || d asks for c alone, so that b must be there.
func (f *follower) orElse(x js.IExpr, this value) value {
	member, ok := x.(*js.DotExpr)
	var on value
	if ok = ok && !member.Optional; ok {
		on = f.eval(member.X, this)
		f.use(on)
	}
	f.guarded++
	defer func() { f.guarded-- }()
	var v value
	if ok {
		name, at := dotName(member)
		v = f.member(on, name, at)
	} else {
		v = f.eval(x, this)
	}
	f.use(v)
	return v
}

func opposite(v value) value {
	switch v.kind {
	case truth:
		return value{kind: falsehood}
	case falsehood, undefined:
		return value{kind: truth}
	}
	return value{}
}

// spelledOut writes out how minifiers ask whether something is there: typeof x<"u" and "u">typeof x are true but for
// "undefined", which alone of all answers comes behind "u" by the alphabet. It returns nil for other comparisons.
func spelledOut(x *js.BinaryExpr) *js.BinaryExpr {
	isU := func(e js.IExpr) bool {
		l, ok := e.(*js.LiteralExpr)
		if !ok {
			return false
		}
		s, ok := textOf(l)
		return ok && s == "u"
	}
	isTypeof := func(e js.IExpr) bool {
		u, ok := e.(*js.UnaryExpr)
		return ok && u.Op == js.TypeofToken
	}
	defined := func(is bool) js.TokenType {
		if is {
			return js.NotEqEqToken
		}
		return js.EqEqEqToken
	}
	undefined := &js.LiteralExpr{TokenType: js.StringToken, Data: []byte(`"undefined"`)}
	switch {
	case isTypeof(x.X) && isU(x.Y):
		return &js.BinaryExpr{Op: defined(x.Op == js.LtToken), X: x.X, Y: undefined}
	case isU(x.X) && isTypeof(x.Y):
		return &js.BinaryExpr{Op: defined(x.Op == js.GtToken), X: x.Y, Y: undefined}
	}
	return nil
}

// compare knows the comparisons by which scripts find out where they are.
func (f *follower) compare(x *js.BinaryExpr, this value) (cond value, yes, no []*Need) {
	negated := x.Op == js.NotEqToken || x.Op == js.NotEqEqToken
	if f.asksForMaker(x.X, x.Y, this) || f.asksForMaker(x.Y, x.X, this) {
		if negated {
			return value{kind: truth}, nil, nil
		}
		return value{kind: falsehood}, nil, nil
	}
	a, b := f.eval(x.X, this), f.eval(x.Y, this)
	if a.kind == text && b.kind != text || b.kind == foreign {
		a, b = b, a
	}
	same := value{}
	var there bool // the comparison is true where the global is there
	switch {
	case a.kind == text && b.kind == text:
		same = value{kind: falsehood}
		if a.text == b.text {
			same = value{kind: truth}
		}
	case a.kind == undefined && b.kind == undefined:
		same = value{kind: truth}
	case (a.kind == undefined || b.kind == undefined) && known(a) && known(b):
		same = value{kind: falsehood}
	case a.kind == foreign && (b.kind == text || b.kind == undefined || b.kind == falsehood):
		// typeof X gives the foreign value itself: "undefined" or the like on the other side.
		there = !(b.kind == undefined || b.text == "undefined" || b.kind == falsehood)
		f.use(a)
		if there != negated {
			return value{}, []*Need{a.need}, nil
		}
		return value{}, nil, []*Need{a.need}
	case a.kind == global && b.kind == global:
		same = value{kind: truth}
	}
	if negated {
		same = opposite(same)
	}
	return same, nil, nil
}

// asksForMaker tells a question whether the window was made by a script's own function, which it never was: by its
// constructor or its prototype, as functions ask that may be called without "new".
func (f *follower) asksForMaker(maker, own js.IExpr, this value) bool {
	var of js.IExpr
	switch m := maker.(type) {
	case *js.DotExpr:
		if name, _ := dotName(m); name != "constructor" && name != "__proto__" {
			return false
		}
		of = m.X
	case *js.CallExpr:
		dot, ok := m.X.(*js.DotExpr)
		if !ok || len(m.Args.List) != 1 {
			return false
		}
		if name, _ := dotName(dot); name != "getPrototypeOf" {
			return false
		}
		of = m.Args.List[0].Value
	default:
		return false
	}
	if dot, ok := own.(*js.DotExpr); ok {
		if name, _ := dotName(dot); name == "prototype" {
			own = dot.X
		}
	}
	return f.quiet(of, this).kind == global && f.quiet(own, this).kind == function
}

func known(v value) bool { return v.kind != unknown && v.kind != foreign }
