// Platform writes the table of the web platform's interfaces that the sandbox of rehearsals knows, from published
// definitions: files in Web IDL, one for each specification.
//
//	go run ./internal/platform FOLDER > crate/rehearse/platform.txt
//
// FOLDER holds the files, each named by its specification and ending in .idl, and may have a package.json with their
// version. Each line of the table is an interface that a page has: its name, the one that it inherits from behind a
// colon, and its members. Operations end in (), static members begin with a dot, and constants are left out.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
)

// An iface is an interface, mixin or namespace.
type iface struct {
	parent   string
	mixin    bool
	hidden   bool            // not for pages: for workers alone, or no object of its own
	members  map[string]bool // as the table has them
	includes []string
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 2 {
		log.Fatal("usage: platform FOLDER")
	}
	all, err := read(os.Args[1])
	if err != nil {
		log.Fatal(err)
	}
	var about struct{ Version string }
	if b, err := os.ReadFile(filepath.Join(os.Args[1], "package.json")); err == nil {
		json.Unmarshal(b, &about)
	}
	out := bufio.NewWriter(os.Stdout)
	defer out.Flush()
	fmt.Fprintf(out, "# From the published interface definitions (Web IDL) of the platform's specifications,\n"+
		"# %s, read on %s. Written by internal/platform.\n", about.Version, time.Now().Format(time.DateOnly))
	for _, line := range table(all) {
		fmt.Fprintln(out, line)
	}
}

func read(folder string) (map[string]*iface, error) {
	files, err := filepath.Glob(filepath.Join(folder, "*.idl"))
	if err != nil {
		return nil, err
	}
	all := map[string]*iface{}
	for _, name := range files {
		b, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		parse(string(b), all)
	}
	return all, nil
}

// table writes what pages have, by name, with the members of mixins among each interface's own.
func table(all map[string]*iface) []string {
	var list []string
	for _, name := range slices.Sorted(maps.Keys(all)) {
		it := all[name]
		if it.mixin || it.hidden {
			continue
		}
		members := maps.Clone(it.members)
		for _, mixin := range it.includes {
			if from := all[mixin]; from != nil {
				maps.Copy(members, from.members)
			}
		}
		line := name
		if it.parent != "" {
			line += ":" + it.parent
		}
		for _, m := range slices.Sorted(maps.Keys(members)) {
			line += " " + m
		}
		list = append(list, line)
	}
	return list
}

var (
	comment = regexp.MustCompile(`(?s)//[^\n]*|/\*.*?\*/`)
	header  = regexp.MustCompile(`^(partial )?(interface(?: mixin)?|namespace|callback interface) (\w+)` +
		`(?: ?: ?(\w+))?$`)
	includes = regexp.MustCompile(`^(\w+)\s+includes\s+(\w+)$`)
	exposed  = regexp.MustCompile(`\bExposed\s*=\s*(\*|\w+|\([^)]*\))`)
	unnamed  = regexp.MustCompile(`^(?:getter|setter|deleter|stringifier)\s+(?:\([^)]*\)|[\w<>]+)\??\s*\(`)
	constant = regexp.MustCompile(`^const\s`)
	attr     = regexp.MustCompile(`^(static\s+)?(?:stringifier\s+|inherit\s+|readonly\s+)*attribute\s+.*?(\w+)$`)
	method   = regexp.MustCompile(`(?s)^(static\s+)?.*?(\w+)\s*\(`)
	listlike = regexp.MustCompile(`^(?:async\s+)?(?:readonly\s+)?(async_iterable|iterable|maplike|setlike)\s*<`)
)

// parse adds what one file defines.
func parse(text string, all map[string]*iface) {
	for _, s := range statements(comment.ReplaceAllString(text, " ")) {
		extended, rest := attributes(s)
		if m := includes.FindStringSubmatch(rest); m != nil {
			of(all, m[1]).includes = append(of(all, m[1]).includes, m[2])
			continue
		}
		head, body, isBlock := strings.Cut(rest, "{")
		m := header.FindStringSubmatch(strings.Join(strings.Fields(head), " "))
		if !isBlock || m == nil {
			continue
		}
		it := of(all, m[3])
		switch {
		case strings.HasPrefix(m[2], "callback"):
			it.hidden = true
			continue
		case strings.HasSuffix(m[2], "mixin"):
			it.mixin = true
		}
		if m[4] != "" {
			it.parent = m[4]
		}
		where := exposed.FindStringSubmatch(extended)
		onPages := where == nil || where[1] == "*" || strings.Contains(where[1], "Window")
		if m[1] == "" && !onPages {
			it.hidden = true
		}
		if !onPages {
			continue
		}
		for _, member := range statements(strings.TrimSuffix(strings.TrimSpace(body), "}")) {
			it.add(member)
		}
	}
}

// add adds a member.
func (it *iface) add(s string) {
	extended, rest := attributes(s)
	if where := exposed.FindStringSubmatch(extended); where != nil && where[1] != "*" &&
		!strings.Contains(where[1], "Window") {
		return
	}
	dot := func(static string) string {
		if static != "" {
			return "."
		}
		return ""
	}
	rest = strings.Join(strings.Fields(rest), " ")
	switch m := attr.FindStringSubmatch(rest); {
	case constant.MatchString(rest), unnamed.MatchString(rest), strings.HasPrefix(rest, "constructor"):
	case m != nil:
		it.members[dot(m[1])+m[2]] = true
	case listlike.MatchString(rest):
		for _, name := range []string{"entries()", "forEach()", "keys()", "values()"} {
			it.members[name] = true
		}
		if kind := listlike.FindStringSubmatch(rest)[1]; kind != "iterable" && kind != "async_iterable" {
			for _, name := range []string{"has()", "size", "delete()", "clear()"} {
				it.members[name] = true
			}
			if kind == "maplike" {
				it.members["get()"], it.members["set()"] = true, true
			} else {
				it.members["add()"] = true
			}
		}
	default:
		if m := method.FindStringSubmatch(rest); m != nil && !isWord[m[2]] {
			it.members[dot(m[1])+m[2]+"()"] = true
		}
	}
}

// isWord tells words that stand before a bracket and name nothing: special operations have no name.
var isWord = map[string]bool{"getter": true, "setter": true, "deleter": true, "stringifier": true, "sequence": true,
	"Promise": true, "undefined": true}

func of(all map[string]*iface, name string) *iface {
	if all[name] == nil {
		all[name] = &iface{members: map[string]bool{}}
	}
	return all[name]
}

// statements splits a text at the semicolons that are in no brackets.
func statements(text string) []string {
	var list []string
	depth, start, quoted := 0, 0, false
	for i, c := range text {
		switch {
		case c == '"':
			quoted = !quoted
		case quoted:
		case strings.ContainsRune("{([", c):
			depth++
		case strings.ContainsRune("})]", c):
			depth--
		case c == ';' && depth == 0:
			if s := strings.TrimSpace(text[start:i]); s != "" {
				list = append(list, s)
			}
			start = i + 1
		}
	}
	return list
}

// attributes takes the extended attributes, in square brackets, off the beginning of a statement.
func attributes(s string) (extended, rest string) {
	if !strings.HasPrefix(s, "[") {
		return "", s
	}
	depth := 0
	for i, c := range s {
		switch c {
		case '[':
			depth++
		case ']':
			if depth--; depth == 0 {
				return s[:i], strings.TrimSpace(s[i+1:])
			}
		}
	}
	return "", s
}
