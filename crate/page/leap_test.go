package page

import (
	"fmt"
	"strings"
	"testing"
)

// TestManyAttributes: of a tag with more attributes than are compared one by one, the first of each name counts, as of
// others.
func TestManyAttributes(t *testing.T) {
	var tag strings.Builder
	tag.WriteString("<!doctype html><body><p")
	for i := range 3 * manyAttrs {
		fmt.Fprintf(&tag, " data-a%d=x.js", i)
	}
	tag.WriteString(` background=first.png data-a0=second.js background=second.png>`)
	for name, read := range map[string]func(visit func(Reference)){
		"quickly": func(visit func(Reference)) {
			p, err := Read([]byte(tag.String()))
			if err != nil {
				t.Fatal(err)
			}
			p.ReferencesBeside(nil, visit)
		},
		"thoroughly": func(visit func(Reference)) { References([]byte(tag.String()), visit) },
	} {
		seen := map[string]int{}
		read(func(r Reference) { seen[r.Ref]++ })
		if seen["first.png"] != 1 || seen["second.png"] != 0 || seen["second.js"] != 0 || seen["x.js"] != 3*manyAttrs {
			t.Errorf("%s: %v", name, seen)
		}
	}
	p, err := Read([]byte(strings.Replace(tag.String(), "<p", "<script", 1) + "</script>"))
	if err != nil || len(p.Includes) != 1 || len(p.Includes[0].Attrs) != 3*manyAttrs+1 {
		t.Errorf("%d includes, %v", len(p.Includes), err)
	}
}
