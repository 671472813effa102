package merry_test

import (
	"crypto/sha256"
	"flag"
	"fmt"
	"go/scanner"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write the hashes of sources into the constants")

// cacheKeys are constants by which results are kept in the user's cache, each with the packages that compute the
// result. A constant is a hash of their code, so that a result of other code is never used.
var cacheKeys = []struct {
	file, constant string
	packages       []string
}{
	{"crate/facts/sources.go", "scriptSources", []string{"crate/script", "crate/ecma"}},
	{"crate/facts/sources.go", "rehearsalSources", []string{"crate/rehearse", "crate/ecma"}},
	{"crate/origin/sources.go", "packageSources", []string{"crate/packages", "crate/manifest", "crate/style",
		"crate/module"}},
	{"crate/source/sources.go", "archiveSources", []string{"crate/archive"}},
}

// TestCacheKeys: each key is the hash of the sources that it stands for. With -update the constants are written again.
func TestCacheKeys(t *testing.T) {
	for _, k := range cacheKeys {
		b, err := os.ReadFile(k.file)
		if err != nil {
			t.Fatal(err)
		}
		constant := regexp.MustCompile(`(\b` + k.constant + ` +=) "([0-9a-f]*)"`)
		m := constant.FindSubmatch(b)
		if m == nil {
			t.Errorf("%s has no %s", k.file, k.constant)
			continue
		}
		want := sourceHash(t, k.packages)
		if string(m[2]) == want {
			continue
		}
		if !*update {
			t.Errorf("%s: %s does not match its sources; write it again with go test . -run CacheKeys -update", k.file,
				k.constant)
			continue
		}
		if err := os.WriteFile(k.file, constant.ReplaceAll(b, []byte(`$1 "`+want+`"`)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// sourceHash hashes the tokens of the packages' code and the bytes of files that they embed; comments do not count.
func sourceHash(t *testing.T, packages []string) string {
	t.Helper()
	sum := sha256.New()
	for _, dir := range packages {
		names, err := filepath.Glob(filepath.Join(dir, "*.*"))
		if err != nil || len(names) == 0 {
			t.Fatalf("%s: %v", dir, err)
		}
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			b, err := os.ReadFile(name)
			if err != nil {
				t.Fatal(err)
			}
			fmt.Fprintln(sum, filepath.Base(name))
			if !strings.HasSuffix(name, ".go") {
				sum.Write(b)
				continue
			}
			fset := token.NewFileSet()
			var s scanner.Scanner
			s.Init(fset.AddFile("", fset.Base(), len(b)), b, nil, 0)
			for {
				_, tok, text := s.Scan()
				if tok == token.EOF {
					break
				}
				if tok != token.SEMICOLON {
					fmt.Fprintln(sum, tok, text)
				}
			}
		}
	}
	return fmt.Sprintf("%x", sum.Sum(nil))[:16]
}
