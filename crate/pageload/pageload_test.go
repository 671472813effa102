package pageload_test

import (
	"context"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/internal/cratetest"
	"merrycrate.example/merry/internal/tagstest"
)

// TestRequest: each script of a page is handed on in its turn, and what no browser would run is passed over, with the
// reason.
func TestRequest(t *testing.T) {
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{
		"index.html": `<!doctype html><head><meta http-equiv="Content-Security-Policy" content="script-src 'self' 'unsafe-inline'"></head><body>
<script src="js/own.js"></script>
<script defer src="js/own.js"></script>
<script async src="js/own.js"></script>
<script>var inline</script>
<script src="js/nowhere.js"></script>
<script src="https://cdn.example/a.js"></script>
<script type="text/template">x</script>
<script type="module">import "./js/part.js"</script>
<script src="js/part.js"></script>
</body>`, "js/own.js": "var own", "js/part.js": "export default 1",
	})
	site, err := p.Walk(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	s := &pageload.Loader{P: p, Scripts: tags.NewScripts(p), Policies: csp.New(p), Leads: references.New(p, site)}
	v := tagstest.Page(t, p, "index.html")
	req := s.Request(v)
	want := []struct {
		when rehearse.Turn
		text string
		skip string
	}{
		{rehearse.InPlace, "var own", ""}, {rehearse.Deferred, "var own", ""}, {rehearse.AnyTime, "var own", ""},
		{rehearse.InPlace, "var inline", ""},
		{rehearse.InPlace, "", "missing"}, {rehearse.InPlace, "", "policy"}, {rehearse.InPlace, "", "data"},
		{rehearse.Deferred, "", ""}, {rehearse.InPlace, "", "module"},
	}
	if len(req.Scripts) != len(want) || len(pageload.Scripts(v)) != len(want) ||
		req.Address != pageload.Site+"index.html" {
		t.Fatalf("%d scripts, %d by their places", len(req.Scripts), len(pageload.Scripts(v)))
	}
	for i, w := range want {
		got := req.Scripts[i]
		if got.When != w.when || got.Text != w.text || (got.Skip == "") != (w.skip == "") ||
			!strings.Contains(got.Skip, w.skip) {
			t.Errorf("script %d: %+v, want %+v", i, got, w)
		}
	}
	if req.Scripts[3].Line != 5 || req.Scripts[7].Module == 0 || len(req.Modules) != 2 {
		t.Errorf("places and modules: %+v, %d modules", req.Scripts[3], len(req.Modules))
	}
}
