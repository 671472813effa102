package style

import "bytes"

// Classes are the names of the classes that a stylesheet has rules for, each once, in their sequence. It skims the
// sheet, without reading declarations: of escapes in names it knows none, and leaves such names out.
func Classes(b []byte) []string {
	var list []string
	seen := map[string]bool{}
	prelude := 0 // where the text before the next brace begins
	for i := 0; i < len(b); i++ {
		switch b[i] {
		case '/':
			if i+1 < len(b) && b[i+1] == '*' {
				end := bytes.Index(b[i+2:], []byte("*/"))
				if end < 0 {
					return list
				}
				i += end + 3
			}
		case '"', '\'':
			i = endOfString(b, i)
		case '(':
			if i >= 3 && bytes.EqualFold(b[i-3:i], []byte("url")) {
				if end := bytes.IndexByte(b[i:], ')'); end > 0 && b[i+1] != '"' && b[i+1] != '\'' {
					i += end
				}
			}
		case ';', '}':
			prelude = i + 1
		case '{':
			if head := bytes.TrimLeft(b[prelude:i], " \t\r\n"); len(head) > 0 && head[0] != '@' {
				list = classesOf(head, seen, list)
			}
			prelude = i + 1
		}
	}
	return list
}

// endOfString is the place of the quote that ends a string, or of the end of its line.
func endOfString(b []byte, from int) int {
	for i := from + 1; i < len(b); i++ {
		switch b[i] {
		case '\\':
			i++
		case b[from], '\n':
			return i
		}
	}
	return len(b)
}

// classesOf adds the classes of a selector that were not seen yet.
func classesOf(selector []byte, seen map[string]bool, list []string) []string {
	for i := 0; i < len(selector); i++ {
		switch selector[i] {
		case '"', '\'':
			i = endOfString(selector, i)
		case '/':
			if i+1 < len(selector) && selector[i+1] == '*' {
				end := bytes.Index(selector[i+2:], []byte("*/"))
				if end < 0 {
					return list
				}
				i += end + 3
			}
		case '.':
			from := i + 1
			for i+1 < len(selector) && inName(selector[i+1]) {
				i++
			}
			name := selector[from : i+1]
			if len(name) == 0 || name[0] >= '0' && name[0] <= '9' || i+1 < len(selector) && selector[i+1] == '\\' ||
				seen[string(name)] {
				continue
			}
			seen[string(name)] = true
			list = append(list, string(name))
		}
	}
	return list
}

func inName(c byte) bool {
	return c == '-' || c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}
