package sealing

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
)

// TestPage: what a page demands of each file is compared with the file's bytes.
func TestPage(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "boat.js"), []byte("boat"), 0o644); err != nil {
		t.Fatal(err)
	}
	right, wrong := integrity.Of([]byte("boat")), integrity.Of([]byte("oar"))
	fetch := func(context.Context, string) ([]byte, error) { return []byte("boat"), nil }
	for _, tt := range []struct {
		tag  string
		want State
	}{
		{`<script src="boat.js" integrity="` + right + `"></script>`, Right},
		{`<script src="boat.js" integrity="` + wrong + `"></script>`, Wrong},
		{`<script src="boat.js"></script>`, Local},
		{`<script src="oar.js" integrity="` + right + `"></script>`, Unfetched},
		{`<script src="https://cdn.example/boat.js" integrity="` + right + `" crossorigin></script>`, Right},
		{`<script src="https://cdn.example/boat.js" integrity="` + wrong + `" crossorigin></script>`, Wrong},
		{`<script src="https://cdn.example/boat.js" integrity="` + right + `"></script>`, NoOrigin},
		{`<script src="https://cdn.example/boat.js"></script>`, None},
	} {
		list, err := Page(context.Background(), []byte("<!doctype html>\n"+tt.tag), dir, "index.html", fetch)
		if err != nil || len(list) != 1 || list[0].State != tt.want || list[0].Line != 2 {
			t.Errorf("%s: %+v, %v; want %s", tt.tag, list, err, tt.want)
		}
	}
	if _, err := Page(context.Background(), []byte("<\x00h\x00"), dir, "index.html", fetch); err == nil {
		t.Error("a page in UTF-16 is read")
	}
}

// TestTag: a tag demands the bytes of its file, of another site's with crossorigin; a module and a stylesheet have
// their own.
func TestTag(t *testing.T) {
	for _, tt := range []struct{ file, text, want string }{
		{"boat.js", "var boat", `<script src="boat.js" integrity="x"></script>`},
		{"https://cdn.example/boat.js", "var boat", `crossorigin="anonymous"`},
		{"boat.mjs", "export default 1", `type="module"`},
		{"boat.css", ".boat{}", `<link rel="stylesheet" href="boat.css" integrity="x">`},
	} {
		if got := Tag(Line{File: tt.file, Integrity: "x"}, []byte(tt.text)); !strings.Contains(got, tt.want) {
			t.Errorf("%s: %s lacks %s", tt.file, got, tt.want)
		}
	}
}
