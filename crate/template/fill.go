package template

import (
	"bytes"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"

	"merrycrate.example/merry/crate/ecma"
	"merrycrate.example/merry/crate/memo"
)

// A Script is the text of a script whose holes were filled in so that it parses, if that can be. The text has the same
// length, and each line its place.
type Script struct {
	Text []byte
	// Loose says that a hole stands where whole statements may come.
	Loose bool
	// Wrong says that nothing in the holes makes the script parse: what is wrong is outside of them.
	Wrong bool
}

// Unknown reports whether a name is one that stands for the value of a hole.
func Unknown(name string) bool { return unknown().MatchString(name) }

var unknown = memo.Regexp(`^_\$+$`)

// maxTries is how many fillings of one script are tried at most.
const maxTries = 60

// A filling is what takes the place of a hole.
type filling int

const (
	asName      filling = iota // a name, for a value
	asNothing                  // nothing, for statements or what is left out
	asDigits                   // a number, beside digits
	asText                     // a text in quotes
	asBlock                    // an object or a block
	asOperator                 // an operator
	asOneLine                  // a name without line breaks, in a text that may have none
	asAlternate                // of a condition's alternatives only the first is there
	fillings
)

// FillScript fills in the holes of a script. A hole in the place of a value becomes a name that Unknown tells; of the
// alternatives of a condition those are kept with which the script parses.
func FillScript(text []byte, holes []Hole) Script {
	chosen := make([]filling, len(holes))
	out := Script{}
	for i := range holes {
		chosen[i] = out.first(text, holes, i)
	}
	for _, kept := range alternatives(text, holes) {
		filled, at := tryAll(text, holes, chosen, kept)
		if at < 0 {
			out.Text, out.Wrong = filled, false
			return out
		}
		if out.Text == nil {
			out.Text, out.Wrong = filled, beyond(text, holes, at)
		}
	}
	return out
}

// tryAll tries fillings, one hole after the other: of the holes before a place where the script does not parse the last
// one is filled in otherwise. It returns the place that no filling gets beyond, -1 if one parses.
func tryAll(text []byte, holes []Hole, chosen []filling, dropped []Span) ([]byte, int) {
	chosen = append([]filling(nil), chosen...)
	best, furthest := []byte(nil), -1
	tried := make([]filling, len(holes))
	for range maxTries {
		filled := fill(text, holes, chosen, dropped)
		at := failsAt(filled)
		if at < 0 {
			return filled, -1
		}
		if at > furthest {
			best, furthest = filled, at
		}
		i := len(holes) - 1
		for i >= 0 && (holes[i].Start > at && !sameLine(text, at, holes[i].Start) || tried[i] == fillings-2) {
			i--
		}
		if i < 0 {
			break
		}
		tried[i]++
		chosen[i] = (chosen[i] + 1) % (fillings - 1)
		for k := i + 1; k < len(holes); k++ {
			if tried[k] > 0 { // try the later holes again from the start
				var s Script
				chosen[k], tried[k] = s.first(text, holes, k), 0
			}
		}
	}
	return best, furthest
}

// sameLine reports whether no line ends between two places: a text in quotes is wrong from its beginning.
func sameLine(text []byte, from, to int) bool { return bytes.IndexByte(text[from:to], '\n') < 0 }

// first is how a hole is filled in at first, by what stands beside it.
func (s *Script) first(text []byte, holes []Hole, i int) filling {
	h := holes[i]
	if h.Kind != Value {
		if h.Syntax == Code || h.Syntax == Angle || h.Syntax == At {
			s.Loose = s.Loose ||
				h.Kind == Statement && !conditional().Match(bytes.TrimSpace(text[h.CodeStart:h.CodeEnd]))
		}
		return asNothing
	}
	before := bytes.TrimRight(text[:h.Start], " \t\r\n")
	behind := bytes.TrimLeft(text[h.End:], " \t\r\n")
	if len(before) > 0 && bytes.IndexByte([]byte("=([,:?+-*/%&|!<>~^.\"'`#"), before[len(before)-1]) >= 0 ||
		lastWord().Match(before) || h.Start > 0 && isAlnum(text[h.Start-1]) && text[h.Start-1] > '9' {
		return asName
	}
	if h.Start > 0 && '0' <= text[h.Start-1] && text[h.Start-1] <= '9' {
		return asDigits
	}
	if len(behind) > 0 && bytes.IndexByte([]byte(".([=)],:?+-*/%&|\"'`"), behind[0]) >= 0 &&
		h.End == len(text)-len(behind) {
		return asName
	}
	s.Loose = true
	return asNothing
}

var (
	conditional = memo.Regexp(
		`^[@}]?\s*(?:if|else|elseif|elsif|elif|end\w*|for|foreach|while|unless|switch|case|default|break)\b|^\}`,
	)
	lastWord = memo.Regexp(
		`\b(?:return|typeof|case|in|of|new|await|throw|void|delete|function|var|let|const|class)$`,
	)
)

// fill writes fillings into the places of holes, and blanks over the parts that are dropped.
func fill(text []byte, holes []Hole, chosen []filling, dropped []Span) []byte {
	out := bytes.Clone(text)
	for _, d := range dropped {
		blank(out[d.Start:d.End])
	}
	for i, h := range holes {
		gap := out[h.Start:h.End]
		blank(gap)
		within(dropped, h, func(inside bool) {
			if !inside {
				put(gap, chosen[i])
			}
		})
	}
	return out
}

func within(dropped []Span, h Hole, then func(inside bool)) {
	for _, d := range dropped {
		if d.Start <= h.Start && h.End <= d.End {
			then(true)
			return
		}
	}
	then(false)
}

// blank writes spaces over a text, and keeps its lines.
func blank(b []byte) {
	for i, c := range b {
		if c != '\n' && c != '\r' {
			b[i] = ' '
		}
	}
}

// put writes what fills a hole in into the first line of its place that has room.
func put(gap []byte, as filling) {
	line := gap
	if as == asOneLine {
		for i := range gap {
			gap[i] = '$'
		}
		gap[0] = '_'
		return
	}
	if i := bytes.IndexAny(gap, "\r\n"); i >= 2 {
		line = gap[:i]
	} else if i >= 0 {
		return
	}
	n := len(line)
	with := ""
	switch as {
	case asName:
		with = "_" + strings.Repeat("$", n-1)
	case asDigits:
		with = strings.Repeat("1", n)
	case asText:
		with = `"` + strings.Repeat("_", n-2) + `"`
	case asBlock:
		with = "{" + strings.Repeat(" ", n-2) + "}"
	case asOperator:
		with = "+" + strings.Repeat(" ", n-1)
	default:
		return
	}
	copy(line, with)
}

// Parses reports whether a script parses as it is written.
func Parses(text []byte) bool { return failsAt(text) < 0 }

// failsAt is the offset at which a script does not parse, -1 if it does.
func failsAt(text []byte) int {
	_, err := ecma.Parse(append(make([]byte, 0, len(text)+1), text...))
	if err == nil {
		return -1
	}
	pe, ok := err.(*parse.Error)
	if !ok {
		return len(text)
	}
	at := 0
	for range pe.Line - 1 {
		i := bytes.IndexByte(text[at:], '\n')
		if i < 0 {
			break
		}
		at += i + 1
	}
	return min(len(text), at+max(0, pe.Column-1))
}

// beyond reports whether a place at which a script fails is not the affair of the holes before it: there is none, or
// other statements stand between.
func beyond(text []byte, holes []Hole, at int) bool {
	end := 0
	for _, h := range holes {
		if h.Start <= at {
			end = h.End
		} else if sameLine(text, at, h.Start) {
			return false
		}
	}
	return end == 0 || end < at && bytes.ContainsAny(text[end:at], ";}")
}

// alternatives lists what to leave out of a script so that of each condition's alternatives one is left: nothing first,
// then all but the first ones, then all but the second ones, and all conditions.
func alternatives(text []byte, holes []Hole) [][]Span {
	list := [][]Span{nil}
	var first, second, all []Span
	for _, r := range RegionsOf(text, holes) {
		parts := partsOf(text, holes, r)
		all = append(all, Span{r.InnerStart, r.InnerEnd})
		for n, p := range parts {
			if n > 0 {
				first = append(first, p)
			}
			if n != min(1, len(parts)-1) {
				second = append(second, p)
			}
		}
	}
	if len(first) > 0 {
		list = append(list, first)
	}
	if len(second) > 0 {
		list = append(list, second)
	}
	if len(all) > 0 {
		list = append(list, all)
	}
	return list
}

// partsOf are the alternatives of a region.
func partsOf(text []byte, holes []Hole, r Region) []Span {
	var list []Span
	at, depth := r.InnerStart, 0
	for _, h := range Between(holes, r.InnerStart, r.InnerEnd) {
		code := strings.TrimSpace(string(text[h.CodeStart:h.CodeEnd]))
		switch {
		case opens().MatchString(code) && h.Kind == Statement:
			depth++
		case closesWord().MatchString(code) && h.Kind == Statement:
			depth--
		case depth == 0 && alternative().MatchString(code) && h.Kind == Statement:
			list = append(list, Span{at, h.Start})
			at = h.End
		}
	}
	return append(list, Span{at, r.InnerEnd})
}

var (
	opens       = memo.Regexp(`^(?:#|\^\w|if\b|unless\b|for\b|foreach\b|range\b|with\b|while\b|case\b.*[^:]$)`)
	closesWord  = memo.Regexp(`^(?:/|end)`)
	alternative = memo.Regexp(`^\}?\s*(?:else|elif|elsif|elseif|when)\b|^\^$`)
)

// Empty is a text with nothing in its holes: of a condition's alternatives the first one is there. Its lines stay.
func Empty(b []byte, holes []Hole) []byte {
	var gone []Span
	for _, h := range holes {
		gone = append(gone, Span{h.Start, h.End})
	}
	for _, r := range RegionsOf(b, holes) {
		if parts := partsOf(b, holes, r); len(parts) > 1 {
			gone = append(gone, Span{parts[0].End, r.InnerEnd})
		}
	}
	slices.SortFunc(gone, func(x, y Span) int { return x.Start - y.Start })
	var out []byte
	at := 0
	for _, g := range gone {
		if g.Start > at {
			out = append(out, b[at:g.Start]...)
		}
		for range bytes.Count(b[max(at, g.Start):max(at, g.End)], []byte("\n")) {
			out = append(out, '\n')
		}
		at = max(at, g.End)
	}
	return append(out, b[min(at, len(b)):]...)
}

// FillStyle covers the holes of a stylesheet: a value by a name, all else by blanks.
func FillStyle(text []byte, holes []Hole) []byte {
	out := bytes.Clone(text)
	for _, h := range holes {
		gap := out[h.Start:h.End]
		blank(gap)
		before := bytes.TrimRight(text[:h.Start], " \t\r\n")
		if h.Kind == Value && len(before) > 0 && bytes.IndexByte([]byte("{};"), before[len(before)-1]) < 0 {
			put(gap, asName)
			for i, c := range gap {
				if c == '$' {
					gap[i] = '_'
				}
			}
		}
	}
	return out
}

// FillJSON covers the holes of JSON: a value between texts by letters or a text, all else by blanks.
func FillJSON(text []byte, holes []Hole) []byte {
	out := bytes.Clone(text)
	for _, h := range holes {
		gap := out[h.Start:h.End]
		inside := bytes.Count(text[:h.Start], []byte(`"`))%2 == 1
		blank(gap)
		switch {
		case inside:
			for i := range gap {
				gap[i] = '_'
			}
		case h.Kind == Value && mapKey().Match(text[:h.Start]):
			put(gap, asBlock)
		case h.Kind == Value:
			put(gap, asText)
		}
	}
	return out
}

var mapKey = memo.Regexp(`"(?:imports|scopes|integrity)"\s*:\s*$|^\s*$`)
