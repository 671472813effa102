package packages

import "testing"

// TestForServer: programs and settings for servers are recognised by name or by content; files for pages are not taken
// for them.
func TestForServer(t *testing.T) {
	for _, tt := range []struct {
		name, head string
		want       bool
	}{
		{"upload.php", "", true}, {"lib/Upload.PHP5", "", true}, {"page.php.html", "<p>", true},
		{"config/web.config", "<x/>", true}, {"Dockerfile", "FROM x", true},
		{"bin/tool.js", "#!/usr/bin/env node\nrun()", true}, {"connector.js", "<?php echo 1; ?>", true},
		{"demo.html", "<p><?php echo 1 ?></p>", true}, {"run", "\x7fELF..", true},
		{"settings.ini", "[x]", true}, {"tool.py", "print()", true}, {"page.jsp", "", true}, {"data.sql", "", true},
		{"oarlock.js", "(function () {", false}, {"php.js", "var php = '<?php';", false},
		{"lang/py.js", "var a", false}, {"theme.css", ".a{}", false}, {"icons.svg", "<?xml version='1.0'?><svg>",
			false},
		{"demo.html", "<!doctype html>", false}, {"readme.md", "# x", false}, {"data.json", "{}", false},
		{"a.wasm", "\x00asm", false}, {"oarlock.ini.js", "var a", false},
	} {
		if got := ForServer(tt.name, []byte(tt.head)); got != tt.want {
			t.Errorf("%s beginning with %q: %v", tt.name, tt.head, got)
		}
	}
}

// TestResolve: only a scheme before the path makes an address that leads out; a colon elsewhere is part of a name.
func TestResolve(t *testing.T) {
	for url, want := range map[string]string{
		"sprite.svg#icon:home": "css/sprite.svg", "a.png?at=10:30": "css/a.png", "../img/a.png": "img/a.png",
		"x/a:b.png":                 "css/x/a:b.png",
		"https://cdn.example/a.png": "", "data:image/png;base64,AA": "", "/a.png": "", "../../a.png": "", "#part": "",
		"mailto:a": "", ":a.png": "css/:a.png",
	} {
		if got, ok := resolve("css/a.css", url); ok != (want != "") || ok && got != want {
			t.Errorf("%s is %q, %v; want %q", url, got, ok, want)
		}
	}
}
