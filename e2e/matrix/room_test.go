package matrix

import (
	"encoding/json"
	"flag"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

var update = flag.Bool("update", false, "write what the browser answers into crate/rehearse/testdata")

// TestRoomAgrees: what the sandbox's document is held against is what a browser answers. Each line of the file is an
// expression and its value.
func TestRoomAgrees(t *testing.T) {
	merrytest.Long(t)
	const folder = "../../crate/rehearse/testdata/"
	page, err := os.ReadFile(folder + "room.html")
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(folder + "room.txt")
	if err != nil {
		t.Fatal(err)
	}
	var expressions, want []string
	for line := range strings.Lines(string(text)) {
		expression, value, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " → ")
		expressions, want = append(expressions, expression), append(want, value)
	}
	list, err := json.Marshal(expressions)
	if err != nil {
		t.Fatal(err)
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/tides/index.html", func(w http.ResponseWriter, _ *http.Request) { w.Write(page) })
	server := httptest.NewServer(mux)
	defer server.Close()
	ctx := merrytest.Browser(t, merrytest.Hosts{"club.example": server.Listener.Addr().String()})
	_, _, value := merrytest.Visit(t, ctx, "http://club.example/tides/index.html", string(list)+`.map(e => { try { `+
		`return `+
		`String((0, eval)(e)).replace(/\n/g, "\\n") } catch (x) { return "threw " + x.name } })`)
	got, ok := value.([]any)
	if !ok || len(got) != len(expressions) {
		t.Fatalf("the browser answers %v", value)
	}
	var out strings.Builder
	for i, e := range expressions {
		out.WriteString(e + " → " + got[i].(string) + "\n")
		if !*update && got[i] != want[i] {
			t.Errorf("%s is %v in the browser, not %s", e, got[i], want[i])
		}
	}
	if *update {
		if err := os.WriteFile(folder+"room.txt", []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
