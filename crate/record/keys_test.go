package record

import (
	"bytes"
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"go.yaml.in/yaml/v3"
)

var updateKeys = flag.Bool("update", false, "write docs/crate-yaml.md anew")

// TestKeysAreDocumented: every key that is read has a text and an example, no other has, and the document in docs is
// what is made of them.
func TestKeysAreDocumented(t *testing.T) {
	known := map[string]bool{}
	for _, k := range Keys() {
		known[k.Path] = true
		if k.Text == "" || k.Example == "" {
			t.Errorf("%s has no text or no example", k.Path)
		}
		var v any
		if err := yaml.Unmarshal([]byte(k.Example), &v); err != nil {
			t.Errorf("the example of %s: %v", k.Path, err)
		}
	}
	for path := range texts {
		if !known[path] {
			t.Errorf("there is a text for %s, which nobody reads", path)
		}
	}
	const file = "../../docs/crate-yaml.md"
	if *updateKeys {
		if err := os.WriteFile(file, []byte(KeysText()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if b, err := os.ReadFile(file); err != nil || string(b) != KeysText() {
		t.Errorf("%s is not what go test ./crate/record -update writes: %v", file, err)
	}
}

// TestExamplesAreRead: the examples together are a packing list.
func TestExamplesAreRead(t *testing.T) {
	var b strings.Builder
	for _, k := range Keys() {
		if !strings.Contains(k.Path, "/") {
			b.WriteString(k.Path + ": " + k.Example + "\n")
		}
	}
	for _, k := range Keys() {
		text := b.String()
		if rest, ok := strings.CutPrefix(k.Path, "libraries/NAME/"); ok && !strings.Contains(rest, "/") &&
			rest != "version" && rest != "from" {
			text = strings.Replace(text, "{oarlock: {version: 2.0.3, from: oarlock-2.0.3.zip}}", "{oarlock: {version: "+
				"2.0.3, from: oarlock-2.0.3.zip, "+rest+": "+k.Example+"}, tidechart: {version: 1.0.0, from: x.zip}}",
				1)
		}
		if _, err := ReadList([]byte(text)); err != nil {
			t.Errorf("%s: %v\n%s", k.Path, err, text)
		}
	}
}

// TestSchema: what the packing list may say, its schema allows; a key that there is not, it does not.
func TestSchema(t *testing.T) {
	parsed, err := jsonschema.UnmarshalJSON(bytes.NewReader(Schema()))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("crate.json", parsed); err != nil {
		t.Fatal(err)
	}
	schema, err := c.Compile("crate.json")
	if err != nil {
		t.Fatal(err)
	}
	for text, fine := range map[string]bool{
		SchemaLine + "format: 1\nsite: .\npages: [\"**/*.html\"]\nlibraries:\n  oarlock:\n    version: 2.0\n" +
			"    needs: [a]\n    hold: {below: 3.0.0, because: x}\nown: {order: [a.js]}\nprofiles: {live: {serve: " +
			"cdn, fallback: true}}\nmodules: {map: none}\n": true,
		"format: 1\npagse: []\n": false, "site: .\n": false, "format: one\n": false, "format: 1\n" +
			"libraries: {oarlock: {versoin: 1}}\n": false, "format: 1\nfolders: {scripst: x}\n": false,
	} {
		var v any
		if err := yaml.Unmarshal([]byte(text), &v); err != nil {
			t.Fatal(err)
		}
		b, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		v, err = jsonschema.UnmarshalJSON(bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		if err := schema.Validate(v); (err == nil) != fine {
			t.Errorf("%v of\n%s", err, text)
		}
		if _, err := ReadList([]byte(text)); fine && err != nil {
			t.Errorf("the packing list itself is refused: %v", err)
		}
	}
}
