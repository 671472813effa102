package packages

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// A madeUp is one package of the corpus: made up, in the shape of a real one, with the files that pages should get.
type madeUp struct {
	name, manifest string
	files          []string
	readme         string
	want           []string
}

// corpus reads testdata/corpus.txt. A package begins with a line "== NAME". Below are lines: "manifest JSON"; "readme
// TEXT", a line of a block of code in the readme; "-" for the border of two such blocks; "wants PATH…"; and of files
// "PATH FORM SIZE [min] [defines A,B] [parts A,B] [needs A,B]", SIZE in hundreds of bytes. What a stylesheet defines is
// a class; without that it has one that scripts name. FORM is a script's, or css or font.
func corpus(t *testing.T) []madeUp {
	t.Helper()
	f, err := os.Open("testdata/corpus.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	var list []madeUp
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		word, rest, _ := strings.Cut(lines.Text(), " ")
		if word == "==" {
			list = append(list, madeUp{name: rest})
			continue
		}
		if word == "" || strings.HasPrefix(word, "#") {
			continue
		}
		m := &list[len(list)-1]
		switch word {
		case "manifest":
			m.manifest = rest
		case "readme":
			m.readme += rest + "\n"
		case "-":
			m.readme += "```\n\n```html\n"
		case "wants":
			m.want = strings.Fields(rest)
		default:
			m.files = append(m.files, lines.Text())
		}
	}
	if lines.Err() != nil {
		t.Fatal(lines.Err())
	}
	return list
}

// describe makes the package's files and reads them.
func (m *madeUp) describe(t *testing.T) *Package {
	t.Helper()
	return m.read(t, usual, nil)
}

// read is describe for so much reading.
func (m *madeUp) read(t *testing.T, much reading, scripts ScriptReader) *Package {
	t.Helper()
	files := InMemory{"package.json": []byte(m.manifest)}
	if m.readme != "" {
		files["README.md"] = []byte("# " + m.name + "\n\n```html\n" + m.readme + "```\n")
	}
	for _, line := range m.files {
		fields := strings.Fields(line)
		name, form := fields[0], fields[1]
		size, err := strconv.Atoi(fields[2])
		if err != nil {
			t.Fatalf("%s: %s", m.name, line)
		}
		of := map[string][]string{}
		minified := false
		for i := 3; i < len(fields); i++ {
			if minified = minified || fields[i] == "min"; fields[i] != "min" {
				of[fields[i]] = strings.Split(fields[i+1], ",")
				i++
			}
		}
		files[name] = []byte(made(form, 100*size, minified, of))
	}
	d, err := files.describe(context.Background(), path.Base(m.name)+"-1.0.0.tgz", scripts, much)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// made is the text of a file of a form and a size, minified or not.
func made(form string, size int, minified bool, of map[string][]string) string {
	var lines []string
	for _, need := range of["needs"] {
		lines = append(lines, need+".use();")
	}
	for _, part := range of["parts"] {
		lines = append(lines, part+" = function () { return 1; };")
	}
	for _, name := range of["defines"] {
		lines = append(lines, "window."+name+" = { use: function () { return 1; } };")
	}
	if form == "universal" || form == "classic" || form == "module" {
		lines = append(lines, `/* made-up-rule */`) // the class that the made up stylesheets have
	}
	head, tail := "", ""
	switch form {
	case "font":
		return strings.Repeat("f", size)
	case "css":
		lines = nil
		for _, class := range append(of["defines"], "made-up-rule")[:1] {
			lines = append(lines, "."+class+" {", "  margin: 0;", "}")
		}
	case "universal":
		head = "(function (root, factory) {\n  if (typeof define === 'function' && define.amd) {\n    define([], " +
			"factory);\n" +
			"  } else {\n    factory();\n  }\n})(this, function () {\n"
		tail = "});\n"
	case "module":
		lines = append(lines, "export const one = 1;")
	case "importing": // a module that imports a package by its name
		lines = append(lines, "import { two } from 'somebody';", "export const one = two;")
	case "server-side":
		lines = []string{"var x = require('x');", "module.exports = x;"}
	case "amd":
		lines = []string{"define(['x'], function (x) {", "  return x;", "});"}
	}
	pad, filler := "  /* so that it is as long as the real one would be, which some rules ask for */", "\n"
	if minified {
		for i := range lines {
			lines[i] = strings.ReplaceAll(lines[i], " ", " ")
		}
		pad, filler = ";0;1;2;3;4;5;6;7;8;9", ""
		if form == "css" {
			pad = ".a{margin:0}.b{padding:0}.c{color:red}"
		}
	}
	text := head + strings.Join(lines, "\n") + "\n"
	if form == "module" || form == "importing" {
		text = strings.Join(lines, "\n") + "\n"
	}
	var body strings.Builder
	body.WriteString(text)
	for body.Len() < size {
		body.WriteString(pad + filler)
	}
	return body.String() + "\n" + tail
}

// onPages are the files of the suggestion that get tags, of a pair the readable one, sorted.
func onPages(d *Package) []string {
	var list []string
	s := d.Suggest()
	for _, c := range s.Choices {
		if f := d.File(c.Path); c.Page && !(f.Build == record.Minified && f.OtherBuild != "" && s.Has(f.OtherBuild)) {
			list = append(list, c.Path)
		}
	}
	slices.Sort(list)
	return list
}

// TestCorpus: of each made-up package the suggestion is the right answer. A wrong one is told with the features that
// decided, so that it shows what a change of a weight changes.
func TestCorpus(t *testing.T) {
	list := corpus(t)
	if len(list) < 150 {
		t.Errorf("the corpus has %d packages, and should have 150", len(list))
	}
	for _, m := range list {
		d := m.describe(t)
		got := onPages(d)
		if testing.Verbose() {
			t.Logf("%s: %s\n%s", m.name, strings.Join(got, " "), deciding(d, got))
		}
		if !slices.Equal(got, m.want) {
			t.Errorf("%s: the suggestion is %q, should be %q\n%s", m.name, got, m.want,
				deciding(d, slices.Concat(got, m.want)))
		}
	}
}

// A counted reader counts the scripts that it reads.
type counted struct{ n atomic.Int64 }

func (c *counted) Script(text []byte) *script.Report {
	c.n.Add(1)
	return script.Analyze(text)
}

// TestReadingLess: reading one build of a pair, or of a large package what is likely alone, gives the answer that
// reading everything gives, and reads less.
func TestReadingLess(t *testing.T) {
	for _, tt := range []struct {
		name string
		much reading
	}{
		{"one of a pair", usual},
		{"what is likely", reading{likely: usual.likely}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var few, all counted
			for _, m := range corpus(t) {
				want := onPages(m.read(t, everything, &all))
				if got := onPages(m.read(t, tt.much, &few)); !slices.Equal(got, want) {
					t.Errorf("%s: the suggestion is %q, and reading everything gives %q", m.name, got, want)
				}
			}
			if few.n.Load() >= all.n.Load() {
				t.Errorf("%d scripts are read, and %d where everything is", few.n.Load(), all.n.Load())
			}
			t.Logf("%d of %d scripts are read", few.n.Load(), all.n.Load())
		})
	}
}

// deciding lists files with their features and weights.
func deciding(d *Package, names []string) string {
	core, _ := d.main(Script)
	var out strings.Builder
	slices.Sort(names)
	for _, name := range slices.Compact(names) {
		if f := d.File(name); f != nil {
			r := d.rateName(f, core)
			fmt.Fprintf(&out, "  %4d %s: %s\n", r.score, name, strings.Join(r.features, ", "))
		}
	}
	return out.String()
}

// TestDecisions: of most of the corpus it is sure which file is the library's, and where it is not the next likely file
// is told.
func TestDecisions(t *testing.T) {
	sure, unsure := 0, 0
	for _, m := range corpus(t) {
		for _, x := range m.describe(t).Decisions() {
			switch {
			case x.Because == "":
				t.Errorf("%s: there is no reason for %s", m.name, x.File)
			case x.Sure:
				sure++
			case x.RunnerUp == "" || x.RunnerUp == x.File:
				t.Errorf("%s: it is not sure of %s, and tells no other", m.name, x.File)
			default:
				unsure++
				t.Logf("%s: %s (%s) or %s (%s)", m.name, x.File, x.Because, x.RunnerUp, x.RunnerUpBecause)
			}
		}
	}
	if unsure == 0 || unsure*4 > sure {
		t.Errorf("%d are sure, %d are not", sure, unsure)
	}
}
