package record

import (
	"bytes"
	"strings"
)

// AttributesFile is where git is reported how the records merge.
const AttributesFile = ".gitattributes"

// Attributes adds to the text of git's attributes that the records merge line by line: two people who each add a
// library then meet no conflict. It returns the text as it is where that is said, in whatever way.
func Attributes(src []byte) []byte {
	newline := "\n"
	if bytes.Contains(src, []byte("\r\n")) {
		newline = "\r\n"
	}
	out := src
	for _, name := range []string{ListFile, SealFile} {
		said := false
		for line := range strings.Lines(string(src)) {
			fields := strings.Fields(line)
			said = said || len(fields) > 0 && strings.TrimPrefix(fields[0], "/") == name
		}
		if said {
			continue
		}
		if len(out) > 0 && !bytes.HasSuffix(out, []byte("\n")) {
			out = append(out[:len(out):len(out)], newline...)
		}
		out = append(out[:len(out):len(out)], "/"+name+" merge=union"+newline...)
	}
	return out
}
