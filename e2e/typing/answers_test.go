package typing

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// place is a location in a file.
type place struct {
	URI   string
	Range merrytest.Range
}

type action struct {
	Title, Kind string
	Edit        *struct {
		Changes map[string][]merrytest.Edit
	}
	Command *struct {
		Command   string
		Arguments []any
	}
}

// actions asks what can be done at a finding, by title.
func actions(e *merrytest.Editor, file string, at merrytest.Range) map[string]action {
	var list []action
	e.Call("textDocument/codeAction", map[string]any{"textDocument": map[string]string{"uri": e.URI(file)}, "range": at,
		"context": map[string]any{"diagnostics": []any{}}}, &list)
	of := map[string]action{}
	for _, a := range list {
		of[a.Title] = a
	}
	return of
}

// TestRepairs: each repair that an edit can be is one, for the text that is not saved, and leaves a page without the
// finding.
func TestRepairs(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	page := s.Read("index.html")
	for _, tt := range []struct{ name, old, new, finding, action string }{
		{"a library that is not on the page", oarlockTag, "", "need-absent", "merry include oarlock --page index.html"},
		{"a wrong order", oarlockTag, "", "need-later",
			"merry order index.html --fix"},
		{"a name in another case", "js/oarlock.min.js", "js/Oarlock.min.js", "case-differs", "write js/oarlock.min.js"},
		{"a misspelt path", "css/club.css", "css/clubb.css", "file-missing", "write css/club.css"},
		{"the same twice", oarlockTag, oarlockTag + oarlockTag, "included-twice", "fix what is safe to fix on this " +
			"page"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			wrong := strings.Replace(page, tt.old, tt.new, 1)
			if tt.finding == "need-later" {
				wrong = strings.Replace(strings.Replace(page, oarlockTag, "", 1), "</body>", oarlockTag+"</body>", 1)
			}
			if wrong == page {
				t.Fatalf("the page has no %q", tt.old)
			}
			e := s.OpenEditor(nil)
			e.Open("index.html", wrong)
			f := e.Has("index.html", tt.finding)
			if text, err := os.ReadFile(strings.TrimPrefix(f.CodeDescription.Href, "file://")); err != nil ||
				!strings.Contains(string(text), tt.finding) {
				t.Errorf("%s is explained by %q: %v", tt.finding, f.CodeDescription.Href, err)
			}
			a, has := actions(e, "index.html", f.Range)[tt.action]
			if !has || a.Edit == nil {
				t.Fatalf("no edit %q among %v", tt.action, actions(e, "index.html", f.Range))
			}
			e.Type("index.html", merrytest.Apply(wrong, a.Edit.Changes[e.URI("index.html")]))
			e.Fine("index.html")
			if s.Read("index.html") != page {
				t.Error("the file was written")
			}
		})
	}
}

// TestTagActions: a tag that nobody recorded can be adopted, and one of a library switched to where it is not from.
func TestTagActions(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	e := s.OpenEditor(nil)
	page := s.Read("index.html")
	e.Open("index.html", page)
	at := strings.Index(page, "js/oarlock.min.js")
	titles := actions(e, "index.html", merrytest.Range{Start: merrytest.At(page, at), End: merrytest.At(page, at)})
	a, has := titles["switch oarlock to the CDN"]
	if !has || a.Command == nil { // an edit would mean that the CDN was asked before anybody chose
		t.Errorf("no command to switch among %v", titles)
	}
	tag := "<script src=\"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js\"></script>"
	text := strings.Replace(page, "</body>", tag+"</body>", 1)
	e.Type("index.html", text)
	at = strings.Index(text, tag) + 9
	titles = actions(e, "index.html", merrytest.Range{Start: merrytest.At(text, at), End: merrytest.At(text, at)})
	if _, has := titles["switch oarlock to the local copy"]; !has {
		if _, has := titles["adopt this tag"]; !has {
			t.Errorf("neither adopting nor switching is among %v", titles)
		}
	}
}

// TestPlanFirst: what changes the project is a command that shows its plan, does nothing if that is refused, and then
// does it; a file that is not saved is left alone.
func TestPlanFirst(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	page := s.Read("tides.html")
	bare := strings.Replace(page, "  "+oarlockTag, "", 1)
	if bare == page {
		t.Fatal("the page has another tag")
	}
	s.Write("tides.html", bare)
	e := s.OpenEditor(nil)
	e.Open("js/oarlock.min.js", "// another text\n")
	e.Has("js/oarlock.min.js", "sealed-changed")
	e.Type("js/oarlock.min.js", s.Read("js/oarlock.min.js"))
	e.Fine("js/oarlock.min.js")

	params := map[string]any{"command": "merry.run", "arguments": []any{s.Dir, []string{"include", "oarlock", "--page",
		"tides.html"}}}
	e.Choose("Leave it")
	var done struct{ Done bool }
	e.Call("workspace/executeCommand", params, &done)
	if plans := e.Choose("Do it"); len(plans) != 1 || !strings.Contains(plans[0], "tides.html") || done.Done ||
		s.Read("tides.html") != bare {
		t.Fatalf("a plan that is refused: done %v, plans %q", done.Done, plans)
	}
	e.Open("tides.html", bare+"\n<!-- not saved -->\n")
	if err := e.Try("workspace/executeCommand", params, nil); err == nil || !strings.Contains(err.Error(),
		"tides.html") {
		t.Errorf("a file that is not saved: %v", err)
	}
	e.Type("tides.html", bare)
	e.Save("tides.html")
	e.Call("workspace/executeCommand", params, &done)
	if !done.Done || s.Read("tides.html") != page {
		t.Errorf("the plan was not carried out: %v", done)
	}
	if err := e.Try("workspace/executeCommand", map[string]any{"command": "merry.run", "arguments": []any{s.Dir,
		[]string{"check"}}}, nil); err == nil {
		t.Error("a command that is no repair is run")
	}
}

// TestCompletion: at each place what could stand there is suggested.
func TestCompletion(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("css/club.css", ":root { --club-blue: #036 }\n.club-boat { color: var(--club-blue) }\n#harbour { "+
		"margin: 0 }\n")
	for _, tt := range []struct{ name, file, old, new, behind, want string }{
		{"a script's path", "index.html", oarlockTag, oarlockTag + "<script src=\"\"></script>\n", "<script src=\"",
			"js/club.js"},
		{"a stylesheet's path", "crews/index.html", "</head>", "<link rel=\"stylesheet\" href=\"\">\n</head>",
			"<link rel=\"stylesheet\" href=\"", "../css/club.css"},
		{"a picture", "index.html", "</body>", "<img src=\"\"></body>", "<img src=\"", "img/gull.svg"},
		{"a class of the site", "index.html", "</body>", "<p class=\"cl\"></p></body>", "<p class=\"cl", "club-boat"},
		{"a library's class", "index.html", "</body>", "<p class=\"x bw\"></p></body>", "<p class=\"x bw", "bw-button"},
		{"an id", "index.html", "</body>", "<p id=\"\"></p></body>", "<p id=\"", "harbour"},
		{"a custom property", "index.html", "</body>", "<p style=\"color: " +
			"var(--)\"></p></body>", "var(--", "--club-blue"},
		{"a library", "index.html", "</head>", "oarl</head>", "oarl", "oarlock"},
		{"a library behind a bracket", "index.html", "</body>", "<brine\n</body>", "<brine", "brinework"},
		{"a file of a library", "index.html", "</head>", "oarlock.m</head>", "oarlock.m", "oarlock.min.js"},
		{"an attribute", "index.html", "</body>", "<p data- ></p></body>", "<p data-", "data-brinework"},
		{"a class in a selector", "css/club.css", "#harbour", ".clu {}\n#harbour", ".clu", "club-boat"},
		{"a property in a stylesheet", "css/club.css", "margin: 0", "color: var(--c)", "color: var(--c", "--club-blue"},
		{"a class in a script", "js/club.js", "", "document.querySelector('.bw-b');\n", "('.bw-b", "bw-button"},
		{"a global", "js/club.js", "", "oarl\n", "oarl", "oarlock"},
		{"a member", "js/club.js", "", "oarlock.ma\n", "oarlock.ma", "make"},
		{"a member of a member", "js/club.js", "", "oarlock.make.c\n", "oarlock.make.c", ""},
		{"a key", "crate.yaml", "libraries:", "bro\nlibraries:", "bro", "browsers: "},
		{"a library's key", "crate.yaml", "    version: 1.2.0", "    be\n    version: 1.2.0", "    be", "because: "},
		{"a value", "crate.yaml", "    version: 1.2.0", "    serve: \n    version: 1.2.0", "serve: ", "cdn"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			e := s.OpenEditor(nil)
			text := strings.Replace(s.Read(tt.file), tt.old, tt.new, 1)
			e.Open(tt.file, text)
			var list struct {
				Items []struct {
					Label    string
					TextEdit merrytest.Edit
				}
			}
			e.Call("textDocument/completion", e.In(tt.file, tt.behind), &list)
			var labels []string
			for _, i := range list.Items {
				labels = append(labels, i.Label)
			}
			for _, l := range labels {
				if typed := tt.behind[strings.LastIndexAny(tt.behind, " \"'.<(")+1:]; tt.file == "js/club.js" &&
					!strings.Contains(l, typed) {
					t.Errorf("%q has no %q", l, typed)
				}
			}
			if tt.want != "" && !slices.Contains(labels, tt.want) {
				t.Errorf("%q is not among %q", tt.want, labels)
			}
		})
	}
}

// TestTemplates: where a server puts pages together, what the whole page has counts in each of its files, and a repair
// is made in the file that has the place.
func TestTemplates(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	for name, text := range map[string]string{
		"templates/base.html": "<!doctype html>\n<html>\n<head><meta charset=\"utf-8\">" +
			"<meta name=\"viewport\" content=\"width=device-width\"><title>x</title>\n{% include \"head.html\" %}\n" +
			"<script>\nvar harbour = 1;\n</script>\n</head>\n<body>\n{% block body %}{% endblock %}\n" +
			"<script src=\"/js/own.js\"></script>\n</body>\n</html>\n",
		"templates/head.html": "<link rel=\"stylesheet\" href=\"/css/own.css\">\n",
		"templates/index.html": "{% extends \"base.html\" %}\n{% block body %}<p class=\"boat {{ kind }}\">x</p>{% " +
			"endblock %}\n",
		"css/own.css": ".boat { margin: 0 }\n", "js/own.js": "harbour;\n",
		"crate.yaml": "format: 1\npages: [\"templates/**/*.html\"]\n",
	} {
		s.Write(name, text)
	}
	e := s.OpenEditor(nil)
	for _, name := range []string{"templates/base.html", "templates/index.html", "templates/head.html", "js/own.js"} {
		e.Open(name, s.Read(name))
		e.Fine(name)
	}
	var list struct{ Items []struct{ Label string } }
	e.Call("textDocument/completion", e.In("templates/index.html", "class=\"bo"), &list)
	if len(list.Items) != 1 || list.Items[0].Label != "boat" {
		t.Errorf("of the whole page's classes it suggests %v", list.Items)
	}
	var places []place
	e.Call("textDocument/definition", e.In("js/own.js", "harb"), &places)
	if len(places) != 1 || places[0].URI != e.URI("templates/base.html") || places[0].Range.Start.Line != 5 {
		t.Errorf("a global of the layout comes from %v", places)
	}
	e.Type("templates/head.html", strings.Replace(e.Text("templates/head.html"), "own.css", "owm.css", 1))
	f := e.Has("templates/head.html", "file-missing")
	a, has := actions(e, "templates/head.html", f.Range)["write /css/own.css"]
	if !has || a.Edit == nil {
		t.Fatalf("no edit among %v", actions(e, "templates/head.html", f.Range))
	}
	e.Type("templates/head.html", merrytest.Apply(e.Text("templates/head.html"),
		a.Edit.Changes[e.URI("templates/head.html")]))
	e.Fine("templates/head.html")
}

// TestLibraryCompleted: choosing a library puts its tags in their right places and takes the word off.
func TestLibraryCompleted(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	page := s.Read("index.html")
	bare := strings.Replace(page, oarlockTag, "", 1)
	text := strings.Replace(bare, "<title>", "oarl<title>", 1)
	e := s.OpenEditor(nil)
	e.Open("index.html", text)
	var list struct{ Items []map[string]any }
	e.Call("textDocument/completion", e.In("index.html", "oarl"), &list)
	if len(list.Items) == 0 {
		t.Fatal("nothing is suggested")
	}
	var item struct {
		TextEdit            merrytest.Edit
		AdditionalTextEdits []merrytest.Edit
	}
	e.Call("completionItem/resolve", list.Items[0], &item)
	if got := merrytest.Apply(text, append([]merrytest.Edit{item.TextEdit}, item.AdditionalTextEdits...)); got != page {
		t.Errorf("the page becomes\n%s\nand should be\n%s", got, page)
	}
}

// TestHoverAndWays: what a tag, a class and a global are, where they come from, and where they are used.
func TestHoverAndWays(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("css/club.css", ".bw-button { color: red }\n.club-boat { margin: 0 }\n")
	s.Replace("index.html", "<body>", "<body class=\"club-boat\">")
	s.Replace("tides.html", "<body>", "<body class=\"club-boat\">")
	e := s.OpenEditor(map[string]any{"sizes": true})
	for _, name := range []string{"index.html", "js/club.js"} {
		e.Open(name, s.Read(name))
	}
	for _, tt := range []struct {
		name, file, behind string
		words              []string
	}{
		{"a tag", "index.html", "src=\"js/oarlock", []string{"oarlock 2.0.3", "MIT", "on the " +
			"wire", "`oarlock`", "same bytes"}},
		{"an own class", "index.html", "club-bo", []string{"css/club.css, line 2", "margin: 0"}},
		{"a global", "js/club.js", "oarlo", []string{"js/oarlock.min.js of oarlock"}},
	} {
		var answer struct{ Contents struct{ Value string } }
		e.Call("textDocument/hover", e.In(tt.file, tt.behind), &answer)
		for _, word := range tt.words {
			if !strings.Contains(answer.Contents.Value, word) {
				t.Errorf("of %s it says nothing of %q: %s", tt.name, word, answer.Contents.Value)
			}
		}
	}
	for _, tt := range []struct{ name, method, file, behind, in string }{
		{"a tag's file", "definition", "index.html", "src=\"js/club", "js/club.js"},
		{"a class's rule", "definition", "index.html", "club-bo", "css/club.css"},
		{"a global's script", "definition", "js/club.js", "oarlo", "js/oarlock.min.js"},
		{"uses of a library", "references", "index.html", "src=\"js/oarlock", "tides.html"},
		{"uses of a file", "references", "index.html", "src=\"js/club", "crews/index.html"},
		{"uses of a class", "references", "index.html", "club-bo", "tides.html"},
	} {
		var list []place
		e.Call("textDocument/"+tt.method, e.In(tt.file, tt.behind), &list)
		if !slices.ContainsFunc(list, func(p place) bool { return p.URI == e.URI(tt.in) }) {
			t.Errorf("%s: %s is not among %v", tt.name, tt.in, list)
		}
	}
	var symbols []struct{ Name string }
	e.Call("textDocument/documentSymbol", e.In("index.html", "<"), &symbols)
	var names []string
	for _, x := range symbols {
		names = append(names, x.Name)
	}
	if at := slices.Index(names, "js/oarlock.min.js"); at < 0 || at > slices.Index(names, "js/club.js") {
		t.Errorf("the page's tags are %q", names)
	}
	var hints []struct{ Label string }
	e.Call("textDocument/inlayHint", e.In("index.html", "<"), &hints)
	if len(hints) == 0 {
		t.Error("no sizes are shown")
	}
}

// TestRename: a class is renamed across the site, a file moves with all references to it, and a library's class stays.
func TestRename(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("css/club.css", ".club-boat { margin: 0 }\n")
	for _, name := range []string{"index.html", "tides.html"} {
		s.Replace(name, "<body>", "<body class=\"club-boat\">")
	}
	s.Write("js/club.js", s.Read("js/club.js")+"document.querySelector('.club-boat');\n")
	e := s.OpenEditor(nil)
	e.Open("index.html", s.Read("index.html"))
	at := func(behind, to string) map[string]any {
		params := e.In("index.html", behind)
		params["newName"] = to
		return params
	}
	var edit struct {
		Changes         map[string][]merrytest.Edit
		DocumentChanges []struct {
			Kind, OldURI, NewURI string
			TextDocument         struct{ URI string }
			Edits                []merrytest.Edit
		}
	}
	e.Call("textDocument/rename", at("club-bo", "club-crew"), &edit)
	for _, name := range []string{"index.html", "tides.html", "css/club.css", "js/club.js"} {
		if got := merrytest.Apply(s.Read(name), edit.Changes[e.URI(name)]); strings.Contains(got, "club-boat") ||
			!strings.Contains(got, "club-crew") {
			t.Errorf("%s becomes\n%s", name, got)
		}
	}
	if err := e.Try("textDocument/rename", at("bw-ba", "x"), nil); err == nil || !strings.Contains(err.Error(),
		"brinework") {
		t.Errorf("a library's class: %v", err)
	}
	edit.DocumentChanges = nil
	e.Call("workspace/willRenameFiles", map[string]any{"files": []any{map[string]string{"oldUri": e.URI("js/club.js"),
		"newUri": e.URI("js/boats.js")}}}, &edit)
	followed := 0
	for _, c := range edit.DocumentChanges {
		if name := strings.TrimPrefix(c.TextDocument.URI, e.URI("")); c.Kind != "" ||
			!strings.Contains(merrytest.Apply(s.Read(name), c.Edits), "js/boats.js") {
			t.Errorf("%s does not follow: %v", name, c)
		}
		followed++
	}
	if followed != 3 {
		t.Errorf("%d pages follow a file that is renamed, and three have it", followed)
	}
	edit.DocumentChanges = nil
	e.Call("textDocument/rename", at("src=\"js/club", "crew.js"), &edit)
	files := map[string]string{}
	for _, c := range edit.DocumentChanges {
		if c.Kind == "rename" {
			files["from"], files["to"] = c.OldURI, c.NewURI
			continue
		}
		files[c.TextDocument.URI] = merrytest.Apply(s.Read(strings.TrimPrefix(c.TextDocument.URI, e.URI(""))), c.Edits)
	}
	if files["from"] != e.URI("js/club.js") || files["to"] != e.URI("js/crew.js") ||
		!strings.Contains(files[e.URI("crews/index.html")], "js/crew.js") {
		t.Errorf("the file moves so: %v", files)
	}
}

// TestRealEditor: an editor without a screen shows a finding as it is typed, and applies its repair.
func TestRealEditor(t *testing.T) {
	program, err := exec.LookPath("nvim")
	if err != nil {
		t.Skip("this machine has no nvim")
	}
	t.Parallel()
	s := merrytest.Started(t)
	script, err := filepath.Abs("testdata/editor.lua")
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(program, "--headless", "-u", "NONE", "-c", "luafile "+script, "index.html")
	cmd.Dir = s.Dir
	cmd.Env = append(s.Command("editor").Env, "MERRY="+merrytest.Program(t), "TERM=dumb")
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, line := range []string{"found need-absent", "repaired true", "left 0"} {
		if !strings.Contains(string(out), line) {
			t.Errorf("it does not say %q: %s", line, out)
		}
	}
}
