package relocate

import (
	"context"
	"os"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/internal/cratetest"
)

// TestDraft: own files and libraries move, what refers to them follows, and what can't be is refused with nothing
// changed.
func TestDraft(t *testing.T) {
	files := map[string]string{
		"index.html":    `<!doctype html><script src="js/oarlock.min.js"></script><script src="js/own.js"></script>`,
		"js/own.js":     "var own",
		"js/oarlock.js": "readable", "js/oarlock.min.js": "minified",
	}
	for _, tt := range []struct {
		what, to, page, fault string
	}{
		{"js/own.js", "scripts/", `<!doctype html><script src="js/oarlock.min.js"></script><script ` +
			`src="scripts/own.js"></script>`, ""},
		{"oarlock", "vendor/oarlock", `<!doctype html><script src="vendor/oarlock/oarlock.min.js"></script><script ` +
			`src="js/own.js"></script>`, ""},
		{"js/nowhere.js", "scripts/", "", "nowhere"},
		{"js/own.js", "../out/", "", "out"},
	} {
		p := cratetest.WithPages(t, cratetest.Harbour, files)
		set, err := change.Begin(context.Background(), p.Disk, "move", change.Options{Key: func() ([]byte, error) {
			return []byte("key"), nil
		}})
		if err != nil {
			t.Fatal(err)
		}
		d := reconcile.New(p, set)
		err = Plan(context.Background(), d, Request{What: []string{tt.what}, To: tt.to, Dir: string(p.Root)})
		if err == nil {
			_, _, err = d.Apply(context.Background())
		}
		set.Close()
		page, rerr := os.ReadFile(string(p.Root.Join("index.html")))
		if rerr != nil {
			t.Fatal(rerr)
		}
		switch {
		case tt.fault != "":
			if err == nil || !strings.Contains(err.Error(), tt.fault) || string(page) != files["index.html"] {
				t.Errorf("%s to %s: %v\n%s", tt.what, tt.to, err, page)
			}
		case err != nil || string(page) != tt.page:
			t.Errorf("%s to %s: %v\n%s", tt.what, tt.to, err, page)
		}
	}
}
