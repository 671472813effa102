package packages

import (
	"bytes"
	"path"
	"slices"
	"strings"
)

// serverEndings are those of programs and settings that a server would run or read, and programs of a machine. On a
// site they would be attacked, or shown.
var serverEndings = []string{".php", ".php3", ".php4", ".php5", ".php7", ".phps", ".pht", ".phtml", ".phar", ".inc",
	".asp", ".aspx", ".asax", ".ashx", ".asmx", ".ascx", ".cshtml", ".vbhtml", ".jsp", ".jspx", ".jspf",
	".cfm", ".cfc", ".cgi", ".fcgi", ".pl", ".pm", ".py", ".pyc", ".rb", ".erb", ".rhtml", ".lua", ".tcl", ".sh",
	".bash", ".zsh", ".bat", ".cmd", ".ps1", ".vbs", ".exe", ".dll", ".so", ".dylib", ".com", ".msi", ".jar", ".war",
	".htaccess", ".htpasswd", ".ini", ".env", ".conf", ".cnf", ".config", ".properties", ".sql", ".sqlite", ".db",
	".mdb", ".pem", ".key", ".p12", ".pfx", ".go", ".java", ".cs", ".class"}

var serverNames = []string{"makefile", "dockerfile", "procfile", "jenkinsfile", "vagrantfile", "web.config",
	"composer.json", "gemfile", "rakefile"}

// programHeads are what files begin with that a server or a machine runs.
var programHeads = [][]byte{[]byte("<?php"), []byte("<?="), []byte("#!"), []byte("<%@"), []byte("MZ\x90"),
	[]byte("\x7fELF"), []byte("\xca\xfe\xba\xbe"), []byte("\xcf\xfa\xed\xfe"), []byte("SQLite format 3\x00")}

// ForServer tells a program or settings for a server by its name and by how it begins. Head is the beginning of the
// file, at least 64 bytes if it has so many; a page in which a server fills something in counts as a program.
func ForServer(name string, head []byte) bool {
	base := strings.ToLower(path.Base(name))
	for part := base; part != ""; { // x.php.html is run as well, by servers that look at every ending
		ext := path.Ext(part)
		if ext == "" {
			break
		}
		if slices.Contains(serverEndings, ext) && (part == base || strings.HasPrefix(ext, ".ph")) {
			return true
		}
		part = strings.TrimSuffix(part, ext)
	}
	if slices.Contains(serverNames, base) {
		return true
	}
	text := bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")), " \t\r\n")
	for _, mark := range programHeads {
		if bytes.HasPrefix(text, mark) {
			return true
		}
	}
	return KindOf(name) != Script && bytes.Contains(head, []byte("<?php"))
}

// headSize is how much of a file is looked at for how it begins, in bytes.
const headSize = 512

// maxProgram is how large a file may be, in bytes, to be looked into: programs in text are small.
const maxProgram = 256 << 10

// findPrograms marks programs and settings for servers among the files that were not read.
func (d *Package) findPrograms() error {
	var buf []byte
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Document && f.Kind != Data && f.Kind != Other && f.Kind != Source {
			continue
		}
		if f.ForServer = ForServer(f.Path, nil); f.ForServer || f.Size == 0 || f.Size > maxProgram ||
			f.ExcludedBecause != "" {
			continue
		}
		b, err := d.tree.ReadInto(f.Path, buf)
		if err != nil {
			return err
		}
		buf = b
		f.ForServer = ForServer(f.Path, b[:min(len(b), headSize)])
	}
	return nil
}
