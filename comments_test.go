package merry_test

import (
	"go/ast"
	"go/constant"
	"go/parser"
	"go/token"
	"go/types"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

// eachFile parses every Go file of the repository that is no test.
func eachFile(t *testing.T, visit func(fset *token.FileSet, f *ast.File)) {
	t.Helper()
	fset := token.NewFileSet()
	err := filepath.WalkDir(".", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() && (strings.HasPrefix(e.Name(), ".") && name != "." || e.Name() == "testdata") {
			return fs.SkipDir
		}
		if e.IsDir() || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return nil
		}
		f, err := parser.ParseFile(fset, name, nil, parser.ParseComments)
		if err == nil {
			visit(fset, f)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// TestCommentsBeginWithTheName: the comment of an exported identifier says what that identifier is, and is there.
func TestCommentsBeginWithTheName(t *testing.T) {
	exported := 0
	check := func(fset *token.FileSet, name string, doc *ast.CommentGroup, at token.Pos) {
		if !ast.IsExported(name) {
			return
		}
		exported++
		text := strings.TrimSpace(doc.Text())
		for _, article := range []string{"A ", "An ", "The "} {
			text = strings.TrimPrefix(text, article)
		}
		rest, ok := strings.CutPrefix(text, name)
		if next, _ := utf8.DecodeRuneInString(rest); !ok || next == '_' || next >= 'a' && next <= 'z' || next >= 'A' &&
			next <= 'Z' {
			t.Errorf("%s: the comment of %s does not begin with its name: %q", fset.Position(at), name,
				firstLine(doc.Text()))
		}
	}
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		for _, d := range f.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				if d.Recv == nil || exportedReceiver(d.Recv) {
					check(fset, d.Name.Name, d.Doc, d.Pos())
				}
			case *ast.GenDecl:
				for _, s := range d.Specs {
					if ts, ok := s.(*ast.TypeSpec); ok && len(d.Specs) == 1 {
						check(fset, ts.Name.Name, d.Doc, ts.Pos())
					}
					if vs, ok := s.(*ast.ValueSpec); ok && len(d.Specs) == 1 && len(vs.Names) == 1 {
						check(fset, vs.Names[0].Name, d.Doc, vs.Pos())
					}
				}
			}
		}
	})
	if exported < 300 {
		t.Errorf("only %d exported identifiers were looked at", exported)
	}
}

func exportedReceiver(r *ast.FieldList) bool {
	typ := r.List[0].Type
	if star, ok := typ.(*ast.StarExpr); ok {
		typ = star.X
	}
	if index, ok := typ.(*ast.IndexListExpr); ok {
		typ = index.X
	}
	id, ok := typ.(*ast.Ident)
	return ok && ast.IsExported(id.Name)
}

func firstLine(s string) string {
	line, _, _ := strings.Cut(s, "\n")
	return line
}

// The limits of size, in lines. What is over them says why, in a comment with the words "longer than".
const (
	maxPackage  = 3000
	maxOfChoice = 4400 // what is read of a package depends on what may be chosen (docs/DECISIONS.md)
	maxInCLI    = 7500 // a file a command, and every command has its flags and its answer
	maxFile     = 600
	maxFunction = 80
)

func TestNothingIsTooLong(t *testing.T) {
	packages := map[string]int{}
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		name := fset.Position(f.Pos()).Filename
		lines := fset.File(f.Pos()).LineCount()
		packages[filepath.Dir(name)] += lines
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		if lines > maxFile && !strings.Contains(string(text), "This file is longer than") {
			t.Errorf("%s has %d lines, over %d, and says no reason", name, lines, maxFile)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || fn.Body == nil {
				continue
			}
			n := fset.Position(fn.End()).Line - fset.Position(fn.Pos()).Line + 1
			if n > maxFunction && !strings.Contains(fn.Doc.Text(), "longer than") {
				t.Errorf("%s: %s has %d lines, over %d, and says no reason", fset.Position(fn.Pos()), fn.Name.Name, n,
					maxFunction)
			}
		}
	})
	for dir, n := range packages {
		most := maxPackage
		switch dir {
		case "cli":
			most = maxInCLI
		case "crate/packages":
			most = maxOfChoice
		}
		if n > most {
			t.Errorf("package %s has %d lines, over %d", dir, n, most)
		}
	}
}

// TestSecurityNamesItsTests: each test that docs/SECURITY.md names as holding a promise is there.
func TestSecurityNamesItsTests(t *testing.T) {
	text, err := os.ReadFile("docs/SECURITY.md")
	if err != nil {
		t.Fatal(err)
	}
	var all strings.Builder
	err = filepath.WalkDir(".", func(name string, e fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(name, "_test.go") {
			b, rerr := os.ReadFile(name)
			all.Write(b)
			return rerr
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	names := regexp.MustCompile("`((?:Test|Fuzz)[A-Za-z]+)`").FindAllStringSubmatch(string(text), -1)
	if len(names) < 20 {
		t.Errorf("only %d tests are named", len(names))
	}
	for _, n := range names {
		if !strings.Contains(all.String(), "func "+n[1]+"(") {
			t.Errorf("there is no %s", n[1])
		}
	}
}

// TestExpressionsCompile: an expression that is compiled when it is first asked for is one, and none is compiled
// before.
func TestExpressionsCompile(t *testing.T) {
	compiled := 0
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		for _, d := range f.Decls {
			of, ok := d.(*ast.GenDecl)
			if !ok || of.Tok != token.VAR {
				continue
			}
			ast.Inspect(of, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok {
					return true
				}
				switch name, _ := call.Fun.(*ast.SelectorExpr); {
				case name == nil || strings.HasPrefix(fset.Position(n.Pos()).Filename, "internal/"):
				case name.Sel.Name == "MustCompile" && types.ExprString(name) == "regexp.MustCompile":
					t.Errorf("%s: every command would compile this; let lazy.Regexp do it", fset.Position(n.Pos()))
				case name.Sel.Name == "Regexp":
					value, err := types.Eval(fset, nil, token.NoPos, types.ExprString(call.Args[0]))
					if err != nil {
						t.Fatalf("%s: %v", fset.Position(n.Pos()), err)
					}
					if _, err := regexp.Compile(constant.StringVal(value.Value)); err != nil {
						t.Errorf("%s: %v", fset.Position(n.Pos()), err)
					}
					compiled++
				}
				return true
			})
		}
	})
	if compiled < 50 {
		t.Errorf("only %d expressions were seen", compiled)
	}
}
