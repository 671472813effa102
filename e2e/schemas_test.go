package e2e

import (
	"bytes"
	"encoding"
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	schemas "github.com/invopop/jsonschema"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/internal/merrytest"
)

// fault is what any command answers under --json where it went wrong.
type fault struct {
	Error string   `json:"error"`
	Code  string   `json:"code" jsonschema_description:"a stable name of what went wrong"`
	Class string   `json:"class" jsonschema:"enum=refused,enum=misused,enum=outside,enum=internal"`
	Next  []string `json:"next" jsonschema_description:"what to type next"`
}

// answered are the commands whose answers have a schema, each with the type that it answers with and a run of it.
var answered = []struct {
	name string
	of   any
	run  string
}{
	{"start", crate.Started{}, "start"}, {"peek", crate.Peeked{}, "peek ../downloads/brinework-1.2.0.zip"}, {"take", crate.Taken{}, "take oarlock@2.0.3 --page index.html"},
	{"include", crate.Included{}, "include oarlock --page tides.html"}, {"take", crate.Taken{}, "take brinework@1.2.0 --with-needs --page index.html --dry-run"}, {"take", crate.Taken{}, "take brinework@1.2.0 --with-needs --page index.html"},
	{"contents", crate.Contents{}, "contents"}, {"check", crate.Checked{}, "check"}, {"order", []crate.Ordered{}, "order **"}, {"switch", crate.Switched{}, "switch --readable"}, {"undo-list", []crate.PastChange{}, "undo --list"}, {"undo", crate.Undone{}, "undo"},
	{"move", crate.Moved{}, "move js/club.js js/own/"}, {"compare", crate.Compared{}, "compare brinework 2.0.0"}, {"versions", crate.Versions{}, "versions brinework"}, {"versions-newer", []crate.UpgradeLine{}, "versions --newer"},
	{"repin", crate.Repinned{}, "repin brinework@2.0.0 --rename-sure"}, {"hold", crate.Held{}, "hold oarlock --below 3 --because kiosk"}, {"settle", crate.Settled{}, "settle"}, {"refill", crate.Refilled{}, "refill"},
	{"seal", []crate.SealLine{}, "seal js/oarlock.js"}, {"sources", []crate.SourceState{}, "sources"}, {"bill", crate.Bill{}, "bill"}, {"adopt", crate.Adopted{}, "adopt --all --dry-run"}, {"omit", crate.Included{}, "omit brinework --page index.html"},
	{"drop", crate.Dropped{}, "drop brinework"}, {"error", fault{}, "take nothing.zip"}, {"error", fault{}, "omit --nothing"},
}

// TestAnswersHaveSchemas: docs/schemas is made from the types that commands answer with, and what they answer is as it says. With -update it is made anew.
func TestAnswersHaveSchemas(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	const folder = "../docs/schemas"
	reflector := &schemas.Reflector{AllowAdditionalProperties: true, Anonymous: true, Mapper: func(of reflect.Type) *schemas.Schema {
		if of.Implements(reflect.TypeFor[encoding.TextMarshaler]()) {
			return &schemas.Schema{Type: "string"}
		}
		return nil
	}}
	s, _ := merrytest.Registered(t)
	seen := map[string]bool{}
	for _, a := range answered {
		made, err := json.MarshalIndent(reflector.Reflect(a.of), "", "  ")
		if err != nil {
			t.Fatal(err)
		}
		made = append(made, '\n')
		name := filepath.Join(folder, a.name+".json")
		if *update {
			if err := os.WriteFile(name, made, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		kept, err := os.ReadFile(name)
		if err != nil || !bytes.Equal(kept, made) {
			t.Errorf("%s is not what the program answers with; go test ./e2e -run Schemas -update makes it anew", name)
		}
		seen[filepath.Base(name)] = true
		for _, key := range regexp.MustCompile(`"([^"]*)": \{`).FindAllStringSubmatch(string(made), -1) {
			if key[1] != strings.ToLower(key[1]) && !strings.Contains(string(made), `"#/$defs/`+key[1]+`"`) && key[1] != "additionalProperties" {
				t.Errorf("of %s the key %s is not in lower case", a.name, key[1])
			}
		}
		parsed, err := jsonschema.UnmarshalJSON(bytes.NewReader(made))
		if err != nil {
			t.Fatal(err)
		}
		c := jsonschema.NewCompiler()
		if err := c.AddResource("answer.json", parsed); err != nil {
			t.Fatal(err)
		}
		schema, err := c.Compile("answer.json")
		if err != nil {
			t.Fatal(err)
		}
		r := s.Try(append(strings.Fields(a.run), "--json")...)
		answer, err := jsonschema.UnmarshalJSON(strings.NewReader(r.Out))
		if err != nil {
			t.Errorf("merry %s --json: %v\n%s%s", a.run, err, r.Out, r.Err)
			continue
		}
		if err := schema.Validate(answer); err != nil {
			t.Errorf("merry %s --json answers\n%s\n%v", a.run, r.Out, err)
		}
	}
	entries, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		if !seen[e.Name()] {
			t.Errorf("%s is of no command", e.Name())
		}
	}
}
