package glyphs

import (
	"bytes"
	"encoding/xml"
	"slices"
	"strings"
)

// The bounds within which a picture is read.
const (
	maxBytes = 16 << 20
	maxDepth = 256
)

// shapes are the attributes that say how something is drawn, beside colours and the like, which a page gives it.
var shapes = []string{"cx", "cy", "d", "height", "href", "points", "r", "rx", "ry", "transform", "viewBox", "width",
	"x", "x1", "x2", "y", "y1", "y2"}

// silent are elements that draw nothing.
var silent = []string{"title", "desc", "metadata", "style", "script"}

// A Part is an element with a name.
type Part struct {
	Drawn string // what is drawn for it, the same for the same drawing; "" for what draws nothing
}

// Parts reads the named parts of a picture. It stops at anything that is too large or can't be read.
func Parts(b []byte) map[string]Part {
	list := map[string]Part{}
	if len(b) > maxBytes || !bytes.Contains(b, []byte("<svg")) {
		return list
	}
	r := &reader{list: list}
	d := xml.NewDecoder(bytes.NewReader(b))
	d.Strict, d.Entity = false, map[string]string{}
	for {
		token, err := d.RawToken()
		if err != nil || len(r.stack) > maxDepth {
			return list
		}
		switch t := token.(type) {
		case xml.StartElement:
			r.begin(t)
		case xml.EndElement:
			for open := r.has(t.Name.Local); open && r.end() != t.Name.Local; {
			}
		}
	}
}

// A reader is among elements that have begun and not ended.
type reader struct {
	list  map[string]Part
	stack []*element
}

type element struct {
	name, id string
	silent   bool // it draws nothing, or stands in what draws nothing
	drawn    strings.Builder
}

func (r *reader) begin(t xml.StartElement) {
	e := &element{name: t.Name.Local, silent: slices.Contains(silent, t.Name.Local)}
	if n := len(r.stack); n > 0 {
		e.silent = e.silent || r.stack[n-1].silent
	}
	for _, a := range t.Attr {
		if a.Name.Local == "id" && a.Name.Space != "xmlns" {
			e.id = a.Value
		}
	}
	if !e.silent {
		write(&e.drawn, t)
	}
	r.stack = append(r.stack, e)
}

// has reports whether an element of that name is open.
func (r *reader) has(name string) bool {
	return slices.ContainsFunc(r.stack, func(e *element) bool { return e.name == name })
}

// end ends the last element that began, and returns its name.
func (r *reader) end() string {
	e := r.stack[len(r.stack)-1]
	r.stack = r.stack[:len(r.stack)-1]
	drawn := e.drawn.String()
	if _, again := r.list[e.id]; e.id != "" && !again {
		r.list[e.id] = Part{drawn}
	}
	if len(r.stack) > 0 && drawn != "" {
		r.stack[len(r.stack)-1].drawn.WriteString("(" + drawn + ")")
	}
	return e.name
}

// write writes an element without its name in the picture, so that a symbol is the same drawing as a group with the
// same in it.
func write(out *strings.Builder, t xml.StartElement) {
	switch t.Name.Local {
	case "symbol", "g", "svg":
	default:
		out.WriteString(t.Name.Local)
	}
	attrs := slices.Clone(t.Attr)
	slices.SortFunc(attrs, func(a, b xml.Attr) int { return strings.Compare(a.Name.Local, b.Name.Local) })
	for _, a := range attrs {
		if slices.Contains(shapes, a.Name.Local) {
			out.WriteString(" " + a.Name.Local + "=" + strings.Join(strings.Fields(a.Value), " "))
		}
	}
}
