package graph

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/internal/cratetest"
)

// graphOf is the graph of a page in a project with some files below js.
func graphOf(t *testing.T, head string, files map[string]string) *Graph {
	t.Helper()
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	for name, text := range files {
		at := filepath.Join(string(p.Root), "js", name)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return Of(tags.NewScripts(p), pageOf(t, p, head))
}

func pageOf(t *testing.T, p *project.Project, head string) *tags.Page {
	t.Helper()
	v, err := tags.Read(p, paths.Found("index.html"), []byte("<!doctype html>\n<title>x</title>\n"+head))
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// order is the order in which the modules of files run.
func order(g *Graph) string {
	var names []string
	for _, n := range g.Nodes {
		name := filepath.Base(n.Target.String())
		if n.Late {
			name += " (late)"
		}
		names = append(names, name)
	}
	return strings.Join(names, ", ")
}

func TestOrderOfEvaluation(t *testing.T) {
	for _, tt := range []struct {
		head  string
		files map[string]string
		want  string
	}{
		{`<script type="module" src="js/crew.mjs"></script><script type="module" src="js/boat.mjs"></script>`,
			map[string]string{"crew.mjs": "import './oar.mjs'; import './boat.mjs';", "oar.mjs": "import './wood.mjs'",
				"boat.mjs": "import './wood.mjs'", "wood.mjs": ""},
			"wood.mjs, oar.mjs, boat.mjs, crew.mjs"},
		// a circle
		{`<script type="module" src="js/a.mjs"></script>`, map[string]string{"a.mjs": "import './b.mjs'",
			"b.mjs": "import './a.mjs'"}, "b.mjs, a.mjs"},
		{`<script type="module" src="js/a.mjs"></script>`, map[string]string{"a.mjs": "button.onclick = () => " +
			"import('./later.mjs'); import './b.mjs'", "b.mjs": "", "later.mjs": ""}, "b.mjs, a.mjs, later.mjs (late)"},
		{`<script type="importmap">{"imports": {"wood": "./js/wood.mjs"}}</script><script type="module" ` +
			`src="js/a.mjs"></script>`, map[string]string{"a.mjs": "import 'wood'", "wood.mjs": ""}, "wood.mjs, a.mjs"},
		// one that is not there has a place, and no text
		{`<script type="module" src="js/a.mjs"></script>`,
			map[string]string{"a.mjs": "import 'wood'; import './gone.mjs'"}, "gone.mjs, a.mjs"},
	} {
		if got := order(graphOf(t, tt.head, tt.files)); got != tt.want {
			t.Errorf("of %q run\n%s, wanted\n%s", tt.files, got, tt.want)
		}
	}
}

func TestExportsThroughOthers(t *testing.T) {
	g := graphOf(t, `<script type="module" src="js/a.mjs"></script>`, map[string]string{
		"a.mjs": "export * from './b.mjs'; export * as oars from './c.mjs'; export default 1",
		"b.mjs": "export * from './a.mjs'; export const row = 1; export default 2", "c.mjs": "export const pull = 1"})
	a := g.Tag(0)
	if a == nil {
		t.Fatal("the tag has no module")
	}
	for name, want := range map[string]bool{"row": true, "oars": true, "default": true, "pull": false, "gone": false} {
		if has, known := a.Exports(name); has != want || !known {
			t.Errorf("exports %s: %v, and that is known: %v", name, has, known)
		}
	}
	for _, n := range g.Nodes {
		if strings.HasSuffix(n.Target.String(), "c.mjs") {
			if !a.Waits(n) || n.Waits(a) {
				t.Error("who waits for whom is wrong")
			}
		}
	}
}
