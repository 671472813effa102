package template

import "testing"

// FuzzRegions: regions lie in the page, each with what is inside it.
func FuzzRegions(f *testing.F) {
	for _, s := range []string{"{% if x %}a{% endif %}", "{{#each x}}a{{/each}}", "<?php if (a): ?>b<?php endif; ?>",
		"<?php if (a) { ?>b<?php } ?>", "<% if a %>b<% end %>", "@if (a) { b }", "<c:if test=x>a</c:if>",
		"<!--#if expr=x -->a<!--#endif -->", "{{ range x }}a{{ end }}"} {
		if list := Regions([]byte(s)); len(list) != 1 || list[0].Block || list[0].Start != 0 || list[0].End != len(s) {
			f.Errorf("%s has %+v", s, list)
		}
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		holes := find(b, atLanguage(b), dollarLanguage(b))
		if len(holes) > 0 && !MayHave(b) {
			t.Fatalf("%+v are not seen at a glance", holes)
		}
		for i, h := range holes {
			if h.Start < 0 || h.CodeStart < h.Start || h.CodeEnd < h.CodeStart || h.End < h.CodeEnd ||
				h.End > len(b) ||
				i > 0 && h.Start < holes[i-1].End {
				t.Fatalf("%+v after %+v", h, holes[max(0, i-1)])
			}
		}
		if masked := Mask(b, holes); len(masked) != len(b) {
			t.Fatal("the mask has another length")
		}
		for _, r := range Regions(b) {
			if r.Start < 0 || r.InnerStart < r.Start || r.InnerEnd < r.InnerStart || r.End < r.InnerEnd ||
				r.End > len(b) {
				t.Fatalf("%+v", r)
			}
		}
	})
}
