package csp

import (
	"context"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/cratetest"
)

// TestPolicies: the smallest policy allows what the page asks for and nothing else, and pages with the same one are
// reported together.
func TestPolicies(t *testing.T) {
	page :=
		`<!doctype html><head><style>.a{}</style></head><script src="js/own.js"></script><script ` +
			`src="https://cdn.example/a.js"></script><img src="https://img.example/a.png">`
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"a.html": page, "b.html": page,
		"c.html": "<!doctype html>", "js/own.js": "var own"})
	list, err := Policies(context.Background(), p, nil, string(p.Root))
	if err != nil || len(list) != 2 || len(list[0].Pages) != 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	for _, want := range []string{"default-src 'none'", "script-src 'self' https://cdn.example",
		"img-src https://img.example", "style-src 'sha"} {
		if !strings.Contains(list[0].Policy, want) {
			t.Errorf("%s lacks %s", list[0].Policy, want)
		}
	}
	if strings.Contains(list[0].Policy, "unsafe") || strings.Contains(list[1].Policy, "cdn.example") {
		t.Errorf("too much is allowed: %+v", list)
	}
}
