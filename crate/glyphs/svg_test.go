package glyphs

import (
	"strings"
	"testing"
)

func TestParts(t *testing.T) {
	got := Parts(
		[]byte(
			`<?xml version="1.0"?><!DOCTYPE svg><svg xmlns="http://www.w3.org/2000/svg" id="all"><defs><style>#not{}</style>
<symbol id="buoy" viewBox="0 0 10 10" class="x"><title id="named">A buoy</title><path fill="red" d="M1  1
 h8"/></symbol></defs><g id="ring" viewBox="0 0 10 10"><path d="M1 1 h8"/></g><path id="flag" d="M0 0"/><g id="flag"/><circle id="dot" r="1"></svg>`))
	if len(got) != 6 || got["buoy"].Drawn == "" || got["buoy"] != got["ring"] || got["flag"].Drawn != "path d=M0 0" ||
		got["named"].Drawn != "" {
		t.Errorf("%q", got)
	}
	for _, text := range []string{"", "<html><p id=x>", "<svg><g id=a", "</svg>", strings.Repeat("<svg><g>", 400)} {
		if got := Parts([]byte(text)); len(got) != 0 {
			t.Errorf("%q has %q", text, got)
		}
	}
}

func FuzzParts(f *testing.F) {
	for _, s := range []string{`<svg><symbol id="a"><path d="M0 0"/></symbol></svg>`, `<svg id="&#x;"><title>`,
		"<svg><!-- --><![CDATA[", "<svg></title><g id=b></g>"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for name := range Parts([]byte(text)) {
			if name == "" {
				t.Error("a part without a name")
			}
		}
	})
}
