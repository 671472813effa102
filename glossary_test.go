package merry_test

import (
	"go/ast"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode"
)

// meanings are the packages and exported names in which a word of the glossary stands for what the glossary says. An
// exported name that has the word as one of its words must match; others use the word for something else.
var meanings = map[string]string{
	"crate":    `^(crate|cli|crate/(check|project))$`,
	"seal":     `^(crate|crate/(sealing|record|project|reconcile|libraries|check|tags|inventory))$`,
	"settle":   `^crate$`,
	"hold":     `^(crate|crate/(libraries|record|inventory|upgrade|project|problem))$`,
	"refill":   `^(crate|crate/libraries)$`,
	"repin":    `^(crate|crate/upgrade)$`,
	"peek":     `^(crate|crate/inventory)$`,
	"take":     `^(crate|crate/(libraries|reconcile|record|tags|source))$`,
	"bill":     `^(crate|crate/inventory)$`,
	"rehearse": `^crate/(inspect|facts)$`,
	"finding":  `^(crate|crate/(check|look|console|csp))$`,
	"role":     `^(crate/record|crate/libraries)$`,
	"facts":    `^(crate/record|crate/project|crate)$`,
}

// gone are words of the earlier, private language. No exported name has them.
var gone = regexp.MustCompile(`^(?:.*[a-z])?(Draft|Deed|Outcome|Keepsake|Lack|Aside|Supply|Whence|Guard|` +
	`Fault[A-Z]|Told|Said|Sort[A-Z]|Most[A-Z]|Desk|Delivery)(?:[A-Z].*)?$`)

// TestGlossary: every word of docs/glossary.md has its row, and exported names use these words for one thing.
func TestGlossary(t *testing.T) {
	b, err := os.ReadFile("docs/glossary.md")
	if err != nil {
		t.Fatal(err)
	}
	rows := regexp.MustCompile(`(?m)^\| ([a-z ]+) \| ([^|]+) \| ([^|]+) \| ([^|]+) \|$`).FindAllStringSubmatch(
		string(b), -1)
	words := map[string]bool{}
	for _, r := range rows[1:] {
		if words[r[1]] {
			t.Errorf("the glossary has %q twice", r[1])
		}
		words[r[1]] = true
	}
	if len(words) < 15 {
		t.Fatalf("the glossary has %d words", len(words))
	}
	seen := map[string]bool{}
	names := 0
	eachFile(t, func(fset *token.FileSet, f *ast.File) {
		dir := filepath.ToSlash(filepath.Dir(fset.Position(f.Pos()).Filename))
		if !strings.HasPrefix(dir, "crate") && !strings.HasPrefix(dir, "cli") {
			return
		}
		check := func(name string, at token.Pos) {
			if !ast.IsExported(name) {
				return
			}
			names++
			if m := gone.FindStringSubmatch(name); m != nil {
				t.Errorf("%s: %s has the word %s", fset.Position(at), name, m[1])
			}
			for _, w := range wordsOf(name) {
				if pattern, own := meanings[w]; own {
					seen[w] = true
					if !regexp.MustCompile(pattern).MatchString(dir) {
						t.Errorf("%s: %s uses %q for something else than the glossary says", fset.Position(at), name, w)
					}
				}
			}
		}
		for _, d := range f.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				check(d.Name.Name, d.Pos())
			case *ast.GenDecl:
				for _, s := range d.Specs {
					switch s := s.(type) {
					case *ast.TypeSpec:
						check(s.Name.Name, s.Pos())
					case *ast.ValueSpec:
						for _, n := range s.Names {
							check(n.Name, n.Pos())
						}
					}
				}
			}
		}
	})
	for w := range meanings {
		if !words[w] && !words[strings.TrimSuffix(w, "e")+"al"] {
			t.Errorf("the glossary lacks %q", w)
		}
		if !seen[w] && w != "crate" {
			t.Errorf("no exported name has the word %q", w)
		}
	}
	if names < 800 {
		t.Errorf("only %d exported names were seen", names)
	}
}

// wordsOf splits a name in mixed case into words in lower case: TakeRequest into take and request.
func wordsOf(name string) []string {
	var list []string
	begin := 0
	for i, r := range name {
		if i > begin && unicode.IsUpper(r) && !unicode.IsUpper(rune(name[i-1])) {
			list = append(list, strings.ToLower(name[begin:i]))
			begin = i
		}
	}
	return append(list, strings.ToLower(name[begin:]))
}
