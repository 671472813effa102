// Package ecma parses scripts as browsers do, and returns the edition of ECMAScript that a script needs (ECMA-262).
package ecma

import (
	"bytes"
	"strings"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// Parse parses a script. Three things the parser takes for mistakes that are none: --x ** 2 (ECMA-262, section 13.6),
// an arrow function's parameter that is taken apart and has a default with something in it, ({a} = {a: 1}) => a
// (section 15.3), and import attributes (section 16.2.2). They are written over then, at the same places: the power by
// a product, the default by an empty one, the attributes by blanks. What is read here does not depend on them, but for
// the type of what is imported, which is read from the script as it was.
func Parse(buf []byte) (*js.AST, error) {
	const most = 100
	emptied := false
	for n := 0; ; n++ {
		ast, err := js.Parse(parse.NewInputBytes(buf), js.Options{})
		pe, ok := err.(*parse.Error)
		switch {
		case !ok || n == most:
			return ast, err
		case strings.HasPrefix(pe.Message, "unexpected ** in expression"):
			if !multiply(buf, pe) {
				return ast, err
			}
		case strings.HasSuffix(pe.Message, "in with statement"):
			if !blankAttributes(buf, pe.Line, pe.Column) {
				return ast, err
			}
		case strings.HasPrefix(pe.Message, "unexpected => in") && !emptied:
			emptied = true
			if !emptyDefaults(buf) {
				return ast, err
			}
		default:
			return ast, err
		}
	}
}

// multiply makes a product of the power that the parser stopped at, where that is the power of a step up or down.
func multiply(buf []byte, pe *parse.Error) bool {
	at := 0
	for range pe.Line - 1 {
		at += bytes.IndexByte(buf[at:], '\n') + 1
	}
	at = max(0, min(at+pe.Column-4, len(buf)))
	power := bytes.Index(buf[at:], []byte("**"))
	before := bytes.TrimRight(buf[:max(0, at+power)],
		"\t )]}_$0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ.")
	if power < 0 || power > 8 || !bytes.HasSuffix(before, []byte("--")) && !bytes.HasSuffix(before, []byte("++")) {
		return false
	}
	copy(buf[at+power:], "* ")
	return true
}

// maxParameters is how far back from an arrow its parameters are looked for, in bytes.
const maxParameters = 4 << 10

// emptyDefaults empties the defaults of parameters that are taken apart, of all arrow functions: ({a} = {}) => a. It
// tells whether there were any.
func emptyDefaults(buf []byte) bool {
	found := false
	for at := 0; ; at += 2 {
		i := bytes.Index(buf[at:], []byte("=>"))
		if i < 0 {
			return found
		}
		at += i
		end := len(bytes.TrimRight(buf[:at], " \t\r\n"))
		if end == 0 || buf[end-1] != ')' {
			continue
		}
		if begin := opens(buf, end-1, max(0, end-maxParameters)); begin >= 0 {
			found = emptyIn(buf[begin+1:end-1]) || found
		}
	}
}

// opens finds the bracket that the one at an end closes, not before least; -1 if there is none. Texts in quotes are
// passed over.
func opens(buf []byte, end, least int) int {
	depth := 0
	for i := end; i >= least; i-- {
		switch c := buf[i]; c {
		case ')', ']', '}':
			depth++
		case '(', '[', '{':
			if depth--; depth == 0 {
				return i
			}
		case '"', '\'', '`':
			for i--; i >= least && (buf[i] != c || i > 0 && buf[i-1] == '\\'); i-- {
			}
		}
	}
	return -1
}

// emptyIn empties the defaults of patterns in a list of parameters.
func emptyIn(params []byte) bool {
	found := false
	for i := len(params) - 1; i >= 0; i-- {
		if params[i] != '}' && params[i] != ']' {
			continue
		}
		begin := opens(params, i, 0)
		if begin < 0 {
			break
		}
		before := bytes.TrimRight(params[:begin], " \t\r\n")
		if pattern, ok := bytes.CutSuffix(before, []byte("=")); ok {
			if pattern = bytes.TrimRight(pattern, " \t\r\n"); bytes.HasSuffix(pattern, []byte("}")) ||
				bytes.HasSuffix(pattern, []byte("]")) {
				for j := begin + 1; j < i; j++ {
					if params[j] != '\n' && params[j] != '\r' {
						params[j] = ' '
						found = true
					}
				}
			}
		}
		i = begin
	}
	return found
}

// Offset returns where in src a slice of it begins, -1 if it is no slice of src. The syntax tree has the names' bytes,
// but not their offsets.
func Offset(src, part []byte) int {
	if len(part) == 0 || len(src) == 0 {
		return -1
	}
	offset := int(uintptr(unsafe.Pointer(unsafe.SliceData(part))) - uintptr(unsafe.Pointer(unsafe.SliceData(src))))
	if offset < 0 || offset >= len(src) {
		return -1
	}
	return offset
}
