package record

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
)

// A Key is one key of the packing list, as its documentation has it. The keys themselves, and what they hold, are those of the types that read
// the file; what a key is for is said by the text.
type Key struct {
	Path    string // such as libraries/NAME/version
	Holds   string // text, yes or no, list, mapping
	Example string
	Text    string
}

// texts say what each key is for, with an example behind a bar.
var texts = map[string]string{
	"format":                      "The number of the format of this file. | 1",
	"site":                        "The folder that is served at \"/\", from this file's own. Without it, that is the folder itself. | public",
	"pages":                       "Patterns of the files that are pages; one that begins with ! takes off again. | [\"**/*.html\", \"!drafts/**\"]",
	"folders":                     "Where files of each kind go, from the site's folder. | {scripts: js, styles: css, fonts: fonts, images: img, together: lib}",
	"folders/scripts":             "The folder for scripts. | js",
	"folders/styles":              "The folder for stylesheets. | css",
	"folders/fonts":               "The folder for fonts. | fonts",
	"folders/images":              "The folder for pictures. | img",
	"folders/together":            "The folder in which libraries have a folder each, where they are kept together. | lib",
	"arrange":                     "How files lie where a library says nothing: by-kind or together. | together",
	"names":                       "How files are called where a library says nothing: shipped, plain (without version) or versioned. | versioned",
	"browsers":                    "For which browsers the site is made: editions of the language, years, or engines with versions. | es2017",
	"headers":                     "Files, from the project's root, in which the server's headers are written; policies are read from them. | [public/_headers]",
	"modules":                     "How pages find what modules import by name. | {map: inline}",
	"modules/map":                 "Who writes pages' import maps: inline is merry, into the page; none is somebody else, and names are not missed then. | inline",
	"libraries":                   "What the site takes from others, by the names that commands use. | {oarlock: {version: 2.0.3, from: oarlock-2.0.3.zip}}",
	"libraries/NAME/version":      "The version that is pinned. | 2.0.3",
	"libraries/NAME/from":         "Where it came from: a download's name, an address, registry:PACKAGE. | registry:tidechart",
	"libraries/NAME/build":        "The build that pages use: minified or readable. | readable",
	"libraries/NAME/serve":        "From where pages have it: local or cdn. | cdn",
	"libraries/NAME/whole":        "All that its source has for a page is kept, in later versions too. | true",
	"libraries/NAME/into":         "A folder of its own, from the site's. | vendor/oarlock",
	"libraries/NAME/arrange":      "How its files lie, where that differs from the site's habit: by-kind or together. | together",
	"libraries/NAME/names":        "How its files are called, where that differs: shipped, plain or versioned. | plain",
	"libraries/NAME/needs":        "Libraries that must come before it on a page. | [oarlock]",
	"libraries/NAME/only":         "desk: it is for the developer alone and must not ship. | desk",
	"libraries/NAME/integrity":    "Local tags carry the integrity, too. | true",
	"libraries/NAME/hold":         "It stays at a version or below one. | {below: 2.1.0, because: the kiosk's browser has no classes}",
	"libraries/NAME/hold/at":      "The version at which it stays. | 2.0.3",
	"libraries/NAME/hold/below":   "The version below which it stays. | 2.1.0",
	"libraries/NAME/hold/because": "The reason. | 2.1 uses class syntax",
	"libraries/NAME/because":      "Why this library, or this version. | the menu is built on it",
	"libraries/NAME/forget":       "Names that it offered once and that check is not to miss; \"*\" is all. | [bw-bar]",
	"libraries/NAME/rename":       "Other names for its files, old to new. | {oarlock.js: page-helper.js}",
	"libraries/NAME/places":       "Places of their own for files or folders, by their paths in the source. | {img: pictures/brinework}",
	"libraries/NAME/keep":         "Files that lie beside and get no tags, by their paths in the source or by patterns. | [lang/*.js]",
	"libraries/NAME/take":         "Files that were chosen, by their paths in the source or by patterns. | [dist/oarlock.js, dist/oarlock.min.js]",
	"own":                         "What is known of the project's own files. | {order: [js/config.js, js/club.js]}",
	"own/order":                   "Own files in the order in which pages want them. | [js/config.js, js/club.js]",
	"cdns":                        "CDNs by name, each with the pattern of its addresses. | {harbour: \"https://cdn.harbour.example/lib/{name}/{version}/{path}\"}",
	"profiles":                    "Named ways to serve the libraries. | {live: {serve: cdn, build: minified, fallback: true}}",
	"share":                       "What the sites below this file's folder have in common, each where it says nothing itself. | {holds: {oarlock: {below: 2.1.0, because: the kiosk's browser has no classes}}}",
	"share/cdns":                  "CDNs by name, as under cdns. | {harbour: \"https://cdn.harbour.example/lib/{name}/{version}/{path}\"}",
	"share/profiles":              "Profiles by name, as under profiles. | {live: {serve: cdn, build: minified}}",
	"share/holds":                 "Holds by the names of libraries. | {oarlock: {below: 2.1.0}}",
	"profiles/NAME/serve":         "From where pages have libraries: local or cdn. | cdn",
	"profiles/NAME/build":         "The build: minified or readable. | minified",
	"profiles/NAME/cdn":           "Which CDN, where there are several. | harbour",
	"profiles/NAME/fallback":      "A local copy stands in where the CDN does not answer. | true",
	"profiles/NAME/then":          "CDNs that are asked before the local copy. | [quay]",
	"profiles/NAME/hints":         "Pages get preconnect, preload and modulepreload. | true",
	"profiles/NAME/without":       "What must not be on a page under this profile: libraries, and addresses in which * stands for anything. | [quickbrine]",
}

// Keys lists the keys that are read, in the order of the types that read them.
func Keys() []Key {
	var list []Key
	var walk func(prefix string, t reflect.Type)
	walk = func(prefix string, t reflect.Type) {
		for i := range t.NumField() {
			name, _, _ := strings.Cut(t.Field(i).Tag.Get("yaml"), ",")
			if name == "-" || name == "" {
				continue
			}
			at := prefix + name
			k := Key{Path: at, Holds: holds(t.Field(i).Type)}
			text, ok := texts[at]
			if !ok { // what is shared is said as it is where it is not
				shared := strings.NewReplacer("share/holds/NAME/", "libraries/NAME/hold/", "share/", "")
				text = texts[shared.Replace(at)]
			}
			k.Text, k.Example, _ = strings.Cut(text, " | ")
			list = append(list, k)
			switch of := inner(t.Field(i).Type); {
			case of == nil:
			case t.Field(i).Type.Kind() == reflect.Map || t.Field(i).Type.Kind() == reflect.Slice:
				walk(at+"/NAME/", of)
			default:
				walk(at+"/", of)
			}
		}
	}
	walk("", reflect.TypeFor[List]())
	return list
}

// inner is the type of this package that a field holds, or holds many of; nil for none.
func inner(t reflect.Type) reflect.Type {
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Map || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	if t.Kind() == reflect.Struct {
		return t
	}
	return nil
}

func holds(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Bool:
		return "yes or no"
	case reflect.Int:
		return "number"
	case reflect.Slice:
		if inner(t) != nil {
			return "mapping"
		}
		return "list"
	case reflect.Map, reflect.Struct, reflect.Pointer:
		return "mapping"
	}
	return "text"
}

// KeysText is the documentation of the packing list, in Markdown.
func KeysText() string {
	var b strings.Builder
	b.WriteString("# crate.yaml, the packing list\n\nWhat the project wants of others, written by merry and by people alike. All keys but format may be left out. NAME stands for a name that you give. All are of format 1.\n\n")
	for _, k := range Keys() {
		fmt.Fprintf(&b, "## %s\n\n%s (%s)\n\n    %s: %s\n\n", k.Path, k.Text, k.Holds, k.Path[strings.LastIndexByte(k.Path, '/')+1:], k.Example)
	}
	return strings.TrimRight(b.String(), "\n") + "\n"
}

// SchemaFile is where the packing list's schema lies in a project, from its root, for editors: the first line of a new packing list names it.
const SchemaFile = ".merry/crate.schema.json"

// SchemaLine is the line by which editors find the schema.
const SchemaLine = "# yaml-language-server: $schema=" + SchemaFile + "\n"

// A schema is a JSON Schema, of the 2020-12 draft, as far as the packing list needs one.
type schema struct {
	Draft   string             `json:"$schema,omitempty"`
	Text    string             `json:"description,omitempty"`
	Type    any                `json:"type,omitempty"`
	Keys    map[string]*schema `json:"properties,omitempty"`
	Others  any                `json:"additionalProperties,omitempty"`
	Always  []string           `json:"required,omitempty"`
	Example []string           `json:"examples,omitempty"`
}

// Schema is the packing list's JSON Schema, made of the same table that documents it.
func Schema() []byte {
	top := &schema{Draft: "https://json-schema.org/draft/2020-12/schema", Text: "The packing list: what a site takes from others.", Type: "object", Always: []string{"format"}, Others: false}
	for _, k := range Keys() {
		at := top
		steps := strings.Split(k.Path, "/")
		for _, s := range steps[:len(steps)-1] {
			if s == "NAME" {
				others, made := at.Others.(*schema)
				if !made {
					others = &schema{Type: "object"}
					at.Others = others
				}
				at = others
				continue
			}
			at = at.Keys[s]
		}
		if at.Keys = orEmpty(at.Keys); at.Others == nil {
			at.Others = false // a key that there is not
		}
		types := map[string]any{"yes or no": "boolean", "number": "integer", "list": "array", "mapping": "object", "text": []string{"string", "number"}}
		at.Keys[steps[len(steps)-1]] = &schema{Text: k.Text, Type: types[k.Holds], Example: []string{k.Example}}
	}
	b, err := json.MarshalIndent(top, "", "  ")
	if err != nil {
		panic(err) // it is made of texts alone
	}
	return append(b, '\n')
}

func orEmpty(m map[string]*schema) map[string]*schema {
	if m == nil {
		return map[string]*schema{}
	}
	return m
}
