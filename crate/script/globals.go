package script

import (
	"slices"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

func (f *follower) define(name string, at []byte, v value) {
	if f.strength == Later {
		return // what is defined only later is of no use to those who load next
	}
	if absent[name] {
		if (name == "module" || name == "exports") && f.strength == Hard && !f.declared[name] {
			f.usesExport = true
		}
		return
	}
	if _, builtIn := browserNames()[name]; builtIn || strings.HasPrefix(name, "on") && name == strings.ToLower(name) {
		return
	}
	f.globals[name] = v
	if _, ok := f.defines[name]; !ok {
		f.defines[name] = f.place(name, at)
	}
}

// read returns the value of a name. Free names are globals.
func (f *follower) read(x *js.Var) value {
	r := root(x)
	if r.Decl != js.NoDecl {
		if v, ok := f.vars[r]; ok {
			return v
		}
		return value{}
	}
	return f.readGlobal(string(r.Data), x.Data, true)
}

// readGlobal reads a global, as a free name or as a property of the global object. A free name that is
// not there is an error in a browser; a property is undefined.
func (f *follower) readGlobal(name string, at []byte, free bool) value {
	if v, ok := f.globals[name]; ok {
		return v
	}
	if free && f.imported[name] {
		return value{kind: container}
	}
	if alias[name] {
		return value{kind: global}
	}
	if absent[name] {
		f.sawAMD = f.sawAMD || name == "define"
		f.sawServer = f.sawServer || name != "define"
		f.elsewhere = f.elsewhere || free && f.safe == 0 && f.strength == Hard && name != "define"
		if free && f.guarded == 0 && f.strength == Hard {
			switch name {
			case "define":
				f.callsDefine = true
			case "module", "exports", "require", "__dirname", "process":
				f.usesModule = f.usesModule || f.unsure == 0 // what an unknown question leads to proves nothing
			}
		}
		return value{kind: undefined}
	}
	if gone[name] {
		return value{kind: undefined}
	}
	if _, ok := browserNames()[name]; ok || len(name) > 2 && strings.HasPrefix(name, "on") &&
		name == strings.ToLower(name) || strings.HasPrefix(name, "HTML") || strings.HasPrefix(name, "SVG") {
		return value{kind: browser, text: name}
	}
	if name == "undefined" || name == "NaN" {
		return value{kind: undefined}
	}
	n := &Need{Global: f.place(name, at), loaded: f.strength == Hard && f.guarded == 0 &&
		!slices.Contains(f.present, name)}
	if free && f.safe == 0 {
		f.noteFree(n)
	} else if free {
		f.note(n, false)
	} else if f.guarded > 0 || f.strength == Later {
		f.note(n, false)
	}
	return value{kind: foreign, need: n}
}

// keep notes that a value is kept in an object: what is not there is kept as undefined, and missed only later.
func (f *follower) keep(v value) {
	if v.kind == foreign {
		s := f.strength
		if s == Hard {
			s = Later
		}
		f.noteAs(v.need, s, false)
	}
}

// use notes that a value's being there is counted on.
func (f *follower) use(v value) {
	if v.kind == foreign {
		f.note(v.need, false)
	}
	// A member that is used must be there; who gives it to the global may be another script.
	if v.part != "" && f.strength == Hard && f.guarded == 0 && f.unsure == 0 &&
		!slices.Contains(f.present, v.need.Name) {
		if _, own := f.parts[v.part]; !own {
			if _, said := f.partNeeds[v.part]; !said {
				f.partNeeds[v.part] = f.place(v.part, v.at)
			}
		}
	}
}

func (f *follower) member(v value, name string, at []byte) value {
	switch v.kind {
	case global:
		return f.readGlobal(name, at, false)
	case foreign:
		f.use(v)
		f.uses(partOf(v, name), at)
		return value{kind: unknown, need: v.need, part: partOf(v, name), at: at}
	case browser:
		if v.text == "document" && name == "defaultView" {
			return value{kind: global}
		}
		if v.text == "Function" && name == "constructor" {
			return v
		}
		return value{kind: browser}
	case container:
		if p, ok := v.prop[name]; ok {
			return p
		}
	case function:
		if p, ok := v.prop[name]; ok {
			return p
		}
		return value{}
	case unknown:
		f.use(v)
		if strings.HasSuffix(v.part, ".fn") {
			f.uses(partOf(v, name), at)
		}
		return value{kind: unknown, need: v.need, part: partOf(v, name), at: at}
	}
	return value{}
}

// uses notes that a member of somebody else's global is used, now or later; one that is asked for in a test is not
// counted on.
func (f *follower) uses(part string, at []byte) {
	if part == "" {
		return
	}
	if f.guarded > 0 || f.safe > 0 {
		f.askedFor[part] = true
		return
	}
	if _, said := f.members[part]; !said && len(f.members) < maxUses {
		f.members[part] = f.place(part, at)
	}
}

// maxUses is how many members of others' globals are noted.
const maxUses = 400

// partOf names a member of somebody else's global: Race.Boat. Deeper than three dots nobody looks.
func partOf(v value, name string) string {
	switch {
	case v.kind == foreign && v.need != nil && name != "":
		return v.need.Name + "." + name
	case v.part != "" && name != "" && strings.Count(v.part, ".") < 3:
		return v.part + "." + name
	}
	return ""
}

// definePart notes a member that the script gives to somebody else's global.
func (f *follower) definePart(part string, at []byte) {
	if _, ok := f.parts[part]; !ok && part != "" && f.strength != Later {
		f.parts[part] = f.place(part, at)
	}
}

func textOf(l *js.LiteralExpr) (string, bool) {
	if l.TokenType != js.StringToken || len(l.Data) < 2 {
		return "", false
	}
	s := string(l.Data[1 : len(l.Data)-1])
	if strings.Contains(s, `\`) {
		if u, err := strconv.Unquote(`"` + strings.ReplaceAll(strings.ReplaceAll(s, `\'`, `'`), `"`, `\"`) +
			`"`); err == nil {
			return u, true
		}
	}
	return s, true
}
