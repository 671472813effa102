package packages

import (
	"context"
	"strings"
	"testing"
)

// TestPairsOverFolders: a minified build in another folder belongs to a readable script that defines the same, and not
// to one that defines something else.
func TestPairsOverFolders(t *testing.T) {
	script := func(global string) []byte {
		return []byte("window." + global + " = {\n  lift: function () {\n    return 1;\n  }\n};\n" +
			strings.Repeat("// A line that says something about it.\n", 20))
	}
	minified := []byte("window.Davit={lift:function(){return 1}};" + strings.Repeat("window.Davit.a=1;", 30))
	for global, want := range map[string]string{"Davit": "dist/davit.min.js", "Crane": ""} {
		files := InMemory{"davit.js": script(global), "dist/davit.min.js": minified}
		d, err := files.describe(context.Background(), "davit-1.0.0.tgz", nil, usual)
		if err != nil {
			t.Fatal(err)
		}
		if other := d.File("davit.js").OtherBuild; other != want {
			t.Errorf("the other build of a script that defines %s is %q, should be %q", global, other, want)
		}
	}
}
