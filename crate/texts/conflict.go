package texts

import "bytes"

// ConflictMarks returns where a text has the first mark of an unresolved merge, -1 if it has none: a line that begins
// with seven "<", one of seven "=" after it, and one that begins with seven ">" after that, as version control writes
// them.
func ConflictMarks(b []byte) int {
	begin := lineWith(b, 0, "<<<<<<<", true)
	if begin < 0 {
		return -1
	}
	middle := lineWith(b, begin, "=======", false)
	if middle < 0 || lineWith(b, middle, ">>>>>>>", true) < 0 {
		return -1
	}
	return begin
}

// lineWith is where the first line from an offset on begins with a mark, -1 if none does. Behind the mark there is the
// end of the line or, where that is allowed, a space.
func lineWith(b []byte, from int, mark string, space bool) int {
	for at := from; ; at++ {
		i := indexRun(b[at:], mark)
		if i < 0 {
			return -1
		}
		at += i
		end := at + len(mark)
		if (at == 0 || b[at-1] == '\n') && (end == len(b) || b[end] == '\n' || b[end] == '\r' || space &&
			b[end] == ' ') {
			return at
		}
	}
}

// indexRun is where a mark that is one byte several times stands in a text, -1 for nowhere. Any place of it has a byte
// at one of the offsets that lie as far from each other as it is long, so only these are looked at.
func indexRun(b []byte, mark string) int {
	for i := len(mark) - 1; i < len(b); i += len(mark) {
		if b[i] != mark[0] {
			continue
		}
		if at := bytes.Index(b[i-len(mark)+1:min(len(b), i+len(mark))], []byte(mark)); at >= 0 {
			return i - len(mark) + 1 + at
		}
	}
	return -1
}
