package e2e

import (
	"bytes"
	"encoding"
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	schemas "github.com/invopop/jsonschema"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"merrycrate.example/merry/cli"
	"merrycrate.example/merry/internal/merrytest"
)

// answered are commands whose answers are compared with the schema of that name, in the order in which they are typed.
var answered = []struct{ name, run string }{
	{"start", "start"}, {"help", "help take"}, {"version", "--version"}, {"completion", "completion bash"},
	{"peek", "peek ../downloads/brinework-1.2.0.zip"}, {"peek-downloads", "peek --downloads ../downloads"},
	{"peek-texts", "peek ../downloads/brinework-1.2.0.zip --notes"},
	{"take", "take oarlock@2.0.3 --page index.html"}, {"include", "include oarlock --page tides.html"},
	{"take", "take brinework@1.2.0 --with-needs --page index.html --dry-run"},
	{"take", "take brinework@1.2.0 --with-needs --page index.html"}, {"contents", "contents"},
	{"sites", "contents --all-sites"},
	{"check", "check"}, {"check-explain", "check --explain=need-later"}, {"check-explain-all", "check --explain"},
	{"check-fix", "check --fix"}, {"check-fix-plan", "check --fix --dry-run"},
	{"check-policy", "check --policy index.html"},
	{"order", "order **"}, {"order-fix", "order index.html --fix --dry-run"},
	{"order-graph", "order index.html --graph dot"},
	{"switch", "switch --readable"}, {"undo-list", "undo --list"}, {"undo", "undo"}, {"undo-finish", "undo --finish"},
	{"undo-abandon", "undo --abandon"}, {"move", "move js/club.js js/own/"}, {"compare", "compare brinework 2.0.0"},
	{"versions", "versions brinework"}, {"versions-newer", "versions --newer"}, {"cache", "cache"},
	{"repin", "repin brinework@2.0.0 --rename-sure --dry-run"}, {"repin", "repin brinework@2.0.0 --rename-sure"},
	{"hold", "hold oarlock --below 3 --because kiosk"}, {"undo-several", "undo 2"}, {"settle", "settle"},
	{"refill", "refill"}, {"seal", "seal js/oarlock.min.js"}, {"seal-html", "seal --html js/oarlock.min.js"},
	{"seal-check", "seal --check index.html"}, {"sources", "sources"}, {"sources-measure", "sources --measure"},
	{"sources-set", "sources set downloads ../downloads"},
	{"sources-set-host", "sources set host cdn.harbour.example 127.0.0.1:9"},
	{"sources-set-cdn", "sources set cdn harbour https://cdn.harbour.example/{name}/{version}/{path}"},
	{"sources-try", "sources try --offline"}, {"bill", "bill"}, {"adopt", "adopt --all --dry-run"},
	{"omit", "omit brinework --page index.html"}, {"drop", "drop brinework"}, {"error", "take nothing.zip"},
	{"error", "omit --nothing"}, {"sources-set-registry", "sources set registry https://registry.harbour.example"},
	{"demo-bare", "demo --to ../bare --bare"},
}

// TestAnswersHaveSchemas: docs/schemas is made from the types of the answers, says what each property is, and describes
// what the commands answer. With -update the schemas are written again.
func TestAnswersHaveSchemas(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	const folder = "../docs/schemas"
	reflector := &schemas.Reflector{
		AllowAdditionalProperties: true, Anonymous: true, CommentMap: comments(t),
		Mapper: func(of reflect.Type) *schemas.Schema {
			if of.Implements(reflect.TypeFor[encoding.TextMarshaler]()) {
				return &schemas.Schema{Type: "string"}
			}
			return nil
		},
	}
	compiled := map[string]*jsonschema.Schema{}
	for name, answer := range cli.Answers {
		made := schemaOf(t, reflector, name, answer)
		file := filepath.Join(folder, name+".json")
		if *update {
			if err := os.WriteFile(file, made, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		kept, err := os.ReadFile(file)
		if err != nil || !bytes.Equal(kept, made) {
			t.Errorf("%s does not match the answer's type; write it again with go test ./e2e -run Schemas -update",
				file)
		}
		parsed, err := jsonschema.UnmarshalJSON(bytes.NewReader(made))
		if err != nil {
			t.Fatal(err)
		}
		c := jsonschema.NewCompiler()
		if err := c.AddResource(name+".json", parsed); err != nil {
			t.Fatal(err)
		}
		if compiled[name], err = c.Compile(name + ".json"); err != nil {
			t.Fatal(err)
		}
	}
	s, _ := merrytest.Registered(t)
	for _, a := range answered {
		r := s.Try(append(strings.Fields(a.run), "--json")...)
		answer, err := jsonschema.UnmarshalJSON(strings.NewReader(r.Out))
		if err != nil {
			t.Errorf("merry %s --json: %v\n%s%s", a.run, err, r.Out, r.Err)
			continue
		}
		if err := compiled[a.name].Validate(answer); err != nil {
			t.Errorf("merry %s --json answers\n%s\n%v", a.run, r.Out, err)
		}
		if _, wrong := answer.(map[string]any)["error"]; wrong && a.name != "error" {
			t.Errorf("merry %s --json answers\n%s", a.run, r.Out)
		}
	}
	entries, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		if compiled[strings.TrimSuffix(e.Name(), ".json")] == nil {
			t.Errorf("%s belongs to no answer", e.Name())
		}
	}
}

// nextSchema describes the key next of every answer.
var nextSchema = map[string]any{
	"type": "array", "description": "what to do next, in order of preference",
	"items": map[string]any{"type": "object", "properties": map[string]any{
		"command": map[string]any{"type": "string", "description": "what to type; missing if it is something to " +
			"do by hand"},
		"text": map[string]any{"type": "string", "description": "what the command does, or what to do by hand"},
	}},
}

// schemaOf makes the schema of an answer, and reports properties without a description and keys in upper case.
func schemaOf(t *testing.T, reflector *schemas.Reflector, name string, answer any) []byte {
	t.Helper()
	b, err := json.Marshal(reflector.Reflect(answer))
	if err != nil {
		t.Fatal(err)
	}
	var root map[string]any
	if err := json.Unmarshal(b, &root); err != nil {
		t.Fatal(err)
	}
	defs, _ := root["$defs"].(map[string]any)
	top := defs[strings.TrimPrefix(root["$ref"].(string), "#/$defs/")].(map[string]any)
	if top["properties"].(map[string]any)["next"] == nil {
		top["properties"].(map[string]any)["next"] = nextSchema
	}
	for of, def := range defs {
		properties, _ := def.(map[string]any)["properties"].(map[string]any)
		for key, p := range properties {
			property, isMap := p.(map[string]any)
			if key == "next" && isMap && property["type"] == "string" {
				properties[key] = nextSchema
				continue
			}
			if !isMap {
				properties[key] = map[string]any{}
			}
			if text, _ := property["description"].(string); text == "" {
				t.Errorf("schema %s: %s.%s has no description", name, of, key)
			}
			if key != strings.ToLower(key) {
				t.Errorf("schema %s: the key %s is not in lower case", name, key)
			}
		}
	}
	b, err = json.MarshalIndent(root, "", "  ")
	if err != nil {
		t.Fatal(err)
	}
	return append(b, '\n')
}

// spaces are line breaks and indentation of a comment.
var spaces = regexp.MustCompile(`\s+`)

// comments maps package.Type and package.Type.Field to their comments in the source.
func comments(t *testing.T) map[string]string {
	t.Helper()
	m := map[string]string{}
	for _, pattern := range []string{"../crate/*.go", "../crate/*/*.go", "../cli/*.go"} {
		names, err := filepath.Glob(pattern)
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range names {
			f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ParseComments)
			if err != nil {
				t.Fatal(err)
			}
			prefix := "merrycrate.example/merry/" + filepath.ToSlash(filepath.Dir(strings.TrimPrefix(name, "../"))) +
				"."
			ast.Inspect(f, func(n ast.Node) bool {
				spec, isType := n.(*ast.TypeSpec)
				if !isType {
					return true
				}
				fields, isStruct := spec.Type.(*ast.StructType)
				if !isStruct {
					return true
				}
				for _, field := range fields.Fields.List {
					text := field.Doc.Text()
					if text == "" {
						text = field.Comment.Text()
					}
					for _, id := range field.Names {
						m[prefix+spec.Name.Name+"."+id.Name] = strings.TrimSpace(spaces.ReplaceAllString(text, " "))
					}
				}
				return true
			})
		}
	}
	return m
}
