package merry_test

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"
)

// The limits of what people read.
const (
	maxWords   = 25  // of a sentence
	maxColumns = 120 // of a line in a Go file; a tab counts 4
	tabWidth   = 4
)

// private are phrases of a language that readers must decode. Texts that people see, and documents, have none of them.
var private = regexp.MustCompile(`(?i)\b(of which|is none|are none|has not got|have not got|nothing of it|by itself|` +
	`in a word|at hand|held against|set apart|put right|taken back|carried out|whoever|somebody else's|as somebody|` +
	`for the desk|what is there|made sure of|is told of|are told of|takes this back|nobody keeps)\b`)

// systemTexts are texts of an operating system or of Go's libraries, which no message quotes.
var systemTexts = regexp.MustCompile(`(?i)no such file or directory|permission denied|errno|EACCES|ENOENT|` +
	`invalid argument|unexpected EOF|file exists\b|broken pipe`)

// sentenceEnds splits a text into sentences. A semicolon or a colon at a line's end separates clauses that stand alone.
var sentenceEnds = regexp.MustCompile(`[.!?](?:\s+|$)|;\s|:\s*\n|\n\s*\n`)

// TestSentencesAreShort: texts that people see have sentences of at most 25 words, and none of the private phrases.
func TestSentencesAreShort(t *testing.T) {
	seen := 0
	texts := func(where, text string) {
		seen++
		if m := private.FindString(text); m != "" {
			t.Errorf("%s says %q: %.120q", where, m, text)
		}
		for _, sentence := range sentenceEnds.Split(text, -1) {
			if n := len(strings.Fields(sentence)); n > maxWords {
				t.Errorf("%s has a sentence of %d words: %q", where, n, strings.Join(strings.Fields(sentence), " "))
			}
		}
	}
	for _, f := range shownTexts(t) {
		texts(f.where, f.text)
		if m := systemTexts.FindString(f.text); m != "" && !strings.Contains(f.where, "problem/plain.go") {
			t.Errorf("%s quotes the system: %q", f.where, f.text)
		}
	}
	for _, name := range []string{
		"README.md", "CHANGELOG.md", "docs/tour.md", "docs/questions.md", "docs/machines.md", "docs/glossary.md",
		"docs/CONTRIBUTING.md", "docs/DECISIONS.md", "docs/ARCHITECTURE.md", "docs/crate-yaml.md",
		"crate/check/findings.md",
	} {
		for _, p := range paragraphs(t, name) {
			texts(name, p)
		}
	}
	if seen < 1500 {
		t.Errorf("only %d texts were seen", seen)
	}
}

// paragraphs returns the prose of a document: no code, tables, pictures, headings, and no targets of links.
func paragraphs(t *testing.T, name string) []string {
	t.Helper()
	b, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	text := regexp.MustCompile("(?s)```.*?```").ReplaceAllString(string(b), "\n")
	text = regexp.MustCompile(`!?\[([^\]]*)\]\([^)]*\)`).ReplaceAllString(text, "$1")
	var list []string
	for _, p := range regexp.MustCompile(`\n\s*\n|\n- |\n\d+\. `).Split(text, -1) {
		p = strings.TrimSpace(p)
		if p == "" || strings.HasPrefix(p, "#") || strings.HasPrefix(p, "|") || strings.HasPrefix(p, "Pictures of") {
			continue
		}
		if strings.HasPrefix(p, "merry ") || strings.HasPrefix(p, "go ") || strings.HasPrefix(p, "cli ") ||
			strings.HasPrefix(p, "SOURCE →") {
			continue // an example
		}
		list = append(list, p)
	}
	return list
}

// A shown text is a string of the program that people see, with its place in the source.
type shown struct{ where, text string }

// shownTexts collects texts of at least four words from the sources of the command line and the core. Strings that are
// joined with + count as one.
func shownTexts(t *testing.T) []shown {
	t.Helper()
	var list []shown
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		name := filepath.ToSlash(fset.Position(f.Pos()).Filename)
		if !strings.HasPrefix(name, "cli/") && !strings.HasPrefix(name, "crate/") ||
			strings.HasPrefix(name, "crate/support/") {
			return
		}
		ast.Inspect(f, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BinaryExpr, *ast.BasicLit:
				text, ok := joined(n.(ast.Expr))
				if ok && isProse(text) {
					list = append(list, shown{fset.Position(n.Pos()).String(), text})
				}
				return !ok
			}
			return true
		})
	})
	return list
}

// joined returns the text of string literals that are joined with +.
func joined(e ast.Expr) (string, bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		if e.Kind != token.STRING {
			return "", false
		}
		text, err := strconv.Unquote(e.Value)
		return text, err == nil
	case *ast.BinaryExpr:
		left, ok := joined(e.X)
		if !ok || e.Op != token.ADD {
			return "", false
		}
		right, ok := joined(e.Y)
		return left + right, ok
	}
	return "", false
}

// isProse reports whether a text is a sentence rather than code, a pattern or a list of names.
func isProse(text string) bool {
	if strings.ContainsAny(text, "<\\{") || strings.Contains(text, "function") || strings.HasPrefix(text, "  merry ") ||
		strings.HasPrefix(text, "(") {
		return false
	}
	words, common := 0, 0
	for _, w := range strings.Fields(strings.ToLower(text)) {
		if regexp.MustCompile(`^[a-z']+[,.;:]?$`).MatchString(w) {
			words++
		}
		switch w {
		case "the", "a", "an", "is", "are", "it", "of", "to", "in", "and", "or", "not", "no", "this", "that", "with",
			"for", "on", "from":
			common++
		}
	}
	return words >= 4 && common > 0
}

// TestRefusalsHaveANextStep: each refusal, misuse and fault that is written with a text for its next step has one.
func TestRefusalsHaveANextStep(t *testing.T) {
	refusals := 0
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		ast.Inspect(f, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			sel, ok := call.Fun.(*ast.SelectorExpr)
			if !ok {
				return true
			}
			pkg, _ := sel.X.(*ast.Ident)
			if pkg == nil || pkg.Name != "problem" {
				return true
			}
			next := 1 // the argument with the next step
			switch sel.Sel.Name {
			case "Refuse", "Fault":
			case "Misuse":
				next = 0
			default:
				return true
			}
			refusals++
			if text, ok := joined(call.Args[next]); ok && strings.TrimSpace(text) == "" && sel.Sel.Name != "Misuse" {
				t.Errorf("%s: the error has no next step", fset.Position(call.Pos()))
			}
			return true
		})
	})
	if refusals < 200 {
		t.Errorf("only %d refusals were seen", refusals)
	}
}

// TestLinesAreShort: lines of Go files end by column 120, but for the lines inside a raw string.
func TestLinesAreShort(t *testing.T) {
	err := filepath.WalkDir(".", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && (strings.HasPrefix(e.Name(), ".") && name != "." || e.Name() == "testdata") {
			return fs.SkipDir
		}
		if e.IsDir() || !strings.HasSuffix(name, ".go") {
			return nil
		}
		b, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		raw := rawLines(b)
		for i, line := range strings.Split(string(b), "\n") {
			if n := utf8.RuneCountInString(line) + (tabWidth-1)*strings.Count(line, "\t"); n > maxColumns && !raw[i+1] {
				t.Errorf("%s:%d: the line has %d columns", name, i+1, n)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// rawLines returns the lines, from 1, that a raw string of several lines begins on or goes on in.
func rawLines(src []byte) map[int]bool {
	lines := map[int]bool{}
	fset := token.NewFileSet()
	file := fset.AddFile("", fset.Base(), len(src))
	var s scanner.Scanner
	s.Init(file, src, nil, 0)
	for {
		pos, tok, text := s.Scan()
		if tok == token.EOF {
			return lines
		}
		if tok == token.STRING && strings.Contains(text, "\n") {
			first := file.Line(pos)
			for n := range strings.Count(text, "\n") + 1 {
				lines[first+n] = true
			}
		}
	}
}

// TestHelpsBeginWithAVerb: the first line of every command's help is at most ten words long and begins with a verb.
func TestHelpsBeginWithAVerb(t *testing.T) {
	fset := token.NewFileSet()
	files, err := filepath.Glob("cli/*.go")
	if err != nil {
		t.Fatal(err)
	}
	verbs := regexp.MustCompile(`^(Add|Apply|Check|Change|Drop|Find|Hold|Keep|Learn|List|Look|Make|Move|Open|Play|` +
		`Print|Put|` +
		`Record|Revert|Serve|Set|Show|Switch|Take|Upgrade) `)
	shorts := 0
	for _, name := range files {
		f, err := parser.ParseFile(fset, name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(f, func(n ast.Node) bool {
			kv, ok := n.(*ast.KeyValueExpr)
			if !ok {
				return true
			}
			key, _ := kv.Key.(*ast.Ident)
			text, isText := joined(kv.Value)
			if key == nil || key.Name != "Short" || !isText {
				return true
			}
			shorts++
			if !verbs.MatchString(text) || len(strings.Fields(text)) > 11 {
				t.Errorf("%s: %q", fset.Position(kv.Pos()), text)
			}
			return true
		})
	}
	if shorts < 25 {
		t.Errorf("only %d helps were seen", shorts)
	}
}
