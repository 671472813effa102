package paths

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"merrycrate.example/merry/crate/texts"
)

// The limits for names, in bytes and folders. They are far above any library's, and what the systems in use can hold.
const (
	MaxBytes     = 1024 // of a whole path
	MaxComponent = 255  // of one part of it
	MaxDepth     = 40   // parts
)

// Validate returns an error if a slash-separated path from outside can't be used as a file's path: it must stay below
// the folder that it is put into, and mean the same file on every system. The error is a clause whose subject is the
// file.
func Validate(name string) error {
	switch {
	case name == "":
		return errors.New("it has no name")
	case len(name) > MaxBytes:
		return fmt.Errorf("its name is longer than %d bytes", MaxBytes)
	case !utf8.ValidString(name):
		return errors.New("its name is not in UTF-8")
	case name[0] == '/':
		return errors.New("its name is an absolute path, which would be written outside the project")
	case strings.Contains(name, `\`):
		return errors.New("its name has a backslash, which separates folders on some systems only")
	case len(name) >= 2 && name[1] == ':':
		return errors.New("its name begins with a drive letter, which would be written outside the project")
	case strings.ContainsFunc(name, texts.IsUnsafe):
		return errors.New("its name has control characters")
	}
	if Reserved(name) {
		return errors.New("it is in a folder reserved for version control, merry or the system")
	}
	parts := strings.Split(name, "/")
	if len(parts) > MaxDepth {
		return fmt.Errorf("it is more than %d folders deep", MaxDepth)
	}
	for _, p := range parts {
		switch {
		case p == "..":
			return errors.New("its name leads out of the folder with \"..\"")
		case p == "" || p == ".":
			return errors.New("its name has an empty component")
		case len(p) > MaxComponent:
			return fmt.Errorf("a component of its name is longer than %d bytes", MaxComponent)
		case strings.ContainsAny(p, `<>:"|?*`):
			return errors.New("its name has a character that Windows does not allow in names")
		case strings.HasSuffix(p, ".") || strings.HasSuffix(p, " "):
			return errors.New("a component of its name ends in a dot or a space, which Windows removes")
		case device(p):
			return errors.New("its name is a device's on Windows")
		}
	}
	return nil
}

// Reserved reports whether a path is in a folder of version control, of this program or of the system. Files there are
// not read as files of the site, but run or obeyed, so nothing is ever written there.
func Reserved(name string) bool {
	for part := range strings.SplitSeq(name, "/") {
		switch lower := strings.ToLower(strings.TrimRight(part, ". ")); lower {
		case ".git", ".hg", ".svn", ".bzr", ".cvs", "cvs", "_darcs", ".jj", ".merry", "$recycle.bin",
			"system volume information", ".trash", ".trashes", "lost+found", ".fseventsd", ".ssh":
			return true
		default:
			// The short name that Windows gives to the folder, too.
			if short, ok := strings.CutPrefix(lower, "git~"); ok && strings.Trim(short, "0123456789") == "" &&
				short != "" {
				return true
			}
		}
	}
	return false
}

// Hidden reports whether a path has a part that begins with a dot. Such files set up servers, editors and other
// programs; a page needs none of them.
func Hidden(name string) bool { return strings.HasPrefix(name, ".") || strings.Contains(name, "/.") }

// IsVersion reports whether a text can be a library's version. It is wider than SemVer 2.0.0, since archives number
// their libraries as they like (r128, 3.1, 2024.05.01), and has nothing in it that means something in a path or an
// address.
func IsVersion(v string) bool {
	if v == "" || len(v) > 100 || strings.Contains(v, "..") {
		return false
	}
	for i := range len(v) {
		c := v[i]
		letter := 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9'
		if !letter && (i == 0 || !strings.ContainsRune(".+-_~", rune(c))) {
			return false
		}
	}
	return true
}

// device tells a name that Windows keeps for a device, whatever its ending. The superscript digits count as digits
// there.
func device(part string) bool {
	base, _, _ := strings.Cut(strings.ToLower(part), ".")
	switch base = strings.TrimRight(base, " "); base {
	case "con", "prn", "aux", "nul", "conin$", "conout$":
		return true
	}
	for _, port := range []string{"com", "lpt"} {
		if digit, ok := strings.CutPrefix(base, port); ok {
			switch digit {
			case "0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "¹", "²", "³":
				return true
			}
		}
	}
	return false
}
