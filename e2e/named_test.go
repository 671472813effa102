package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestNamedOtherwise: what a page names beside its tags, in a template, an attribute of its own or a conditional
// comment, is on no leftover list; the same is reported when nothing was read again, and what no page names is a
// leftover.
func TestNamedOtherwise(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	for _, name := range []string{"waits", "template", "old", "loads", "lost"} {
		s.Write("js/"+name+".js", "var "+name+" = 1;\n")
	}
	s.Write("log.html", "<!doctype html>\n<html lang=\"en\"><head><meta "+
		"charset=\"utf-8\"><title>Log</title></head><body>\n<b data-src=\"js/waits.js\">b</b>\n"+
		"<template><script src=\"js/template.js\"></script></template>\n<!--[if lt IE 9]><script "+
		"src=\"js/old.js\"></script><![endif]-->\n<script>load(\"js/loads.js\");\nfunction load() {}</script>\n"+
		"</body></html>\n")
	for range 2 {
		out := s.Try("check").Out
		for name, left := range map[string]bool{"waits": false, "template": false, "old": false, "loads": false,
			"lost": true} {
			if got := strings.Contains(out, "js/"+name+".js  note: on-no-page"); got != left {
				t.Errorf("%s is a leftover: %v\n%s", name, got, out)
			}
		}
	}
}

// TestNeedThatNothingStopsAt: a need is an error where the script stops for want of it, and a warning where a rehearsal
// of the page shows that it comes to its end.
func TestNeedThatNothingStopsAt(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("js/late.js", "(function (g, make) {\n  g.late = make(g.hawser);\n})(window, function (hawser) {\n"+
		"  return function () { return hawser.pull(); };\n});\n")
	s.Write("js/stops.js", "hawser.pull();\n")
	page := func(script string) string {
		return "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Log</title></head><body>\n" +
			"<script src=\"js/" + script + "\"></script>\n</body></html>\n"
	}
	s.Write("log.html", page("stops.js"))
	s.Fail(1, []string{"error: need-absent", "uses hawser"}, "check", "log.html")
	s.Write("log.html", page("late.js"))
	if out := s.Try("check", "log.html").Out; strings.Contains(out, "error:") ||
		!strings.Contains(out, "warning: need-absent") {
		t.Errorf("of one that comes to its end check says\n%s", out)
	}
}
