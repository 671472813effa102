package record

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
)

// A Key is one key of the packing list, as its documentation has it. The keys themselves, and what they hold, are those
// of the types that read the file; what a key is for is said by the text.
type Key struct {
	Path    string // such as libraries/NAME/version
	Holds   string // text, yes or no, list, mapping
	Example string
	Text    string
}

// texts say what each key is for, with an example after a bar.
var texts = map[string]string{
	"format": "The number of this file's format. | 1",
	"site": "The folder that is served at \"/\", relative to this file. The default is the " +
		"folder of this file. | public",
	"pages": "Patterns of the files that are pages. A pattern that begins with ! excludes " +
		"files. | [\"**/*.html\", \"!drafts/**\"]",
	"exclude": "Patterns of files and folders that no command counts, changes or suggests, such as generated " +
		"output. | [\"_site/**\"]",
	"folders": "The folders for files of each kind, relative to the site's folder. | {scripts: " +
		"js, styles: css, fonts: fonts, images: img, together: lib}",
	"folders/scripts":  "The folder for scripts. | js",
	"folders/styles":   "The folder for stylesheets. | css",
	"folders/fonts":    "The folder for fonts. | fonts",
	"folders/images":   "The folder for pictures. | img",
	"folders/together": "The folder in which a library that stays together gets a folder of its own. | lib",
	"arrange": "How to arrange files, unless a library says otherwise: kind or together. " +
		"| together",
	"names": "How to name files, unless a library says otherwise: shipped, plain (no version) " +
		"or versioned. | versioned",
	"browsers": "The browsers that the site supports: language editions, years, or engines with " +
		"versions. | es2017",
	"headers": "Files with the server's headers, relative to the project's root. Policies are " +
		"read from them. | [public/_headers]",
	"modules": "How pages resolve the names that modules import. | {map: inline}",
	"modules/map": "inline: Merry writes import maps into the pages. none: something else writes " +
		"them, and missing names are not reported. | inline",
	"libraries": "The third-party libraries this project uses, by the names that commands use. | " +
		"{oarlock: {version: 2.0.3, from: oarlock-2.0.3.zip}}",
	"libraries/NAME/version": "The pinned version. | 2.0.3",
	"libraries/NAME/from": "The source: a download's file name, an address, or registry:PACKAGE. | " +
		"registry:tidechart",
	"libraries/NAME/build":     "The build that pages use: minified or readable. | readable",
	"libraries/NAME/serve":     "Where pages load it from: local or cdn. | cdn",
	"libraries/NAME/whole":     "Keep everything that the source has for a page, in later versions too. | true",
	"libraries/NAME/maps":      "Also take the files' source maps, in later versions too. | true",
	"libraries/NAME/into":      "A folder of its own, relative to the site's folder. | vendor/oarlock",
	"libraries/NAME/arrange":   "How to arrange its files: kind or together. | together",
	"libraries/NAME/names":     "How to name its files: shipped, plain or versioned. | plain",
	"libraries/NAME/needs":     "Libraries that must come before it on a page. | [oarlock]",
	"libraries/NAME/only":      "desk: it is for development only and must not ship. | desk",
	"libraries/NAME/integrity": "Tags of local files have an integrity, too. | true",
	"libraries/NAME/hold": "The version that it must stay at or below, with the reason. | {below: 2.1.0, " +
		"because: the kiosk's browser has no classes}",
	"libraries/NAME/hold/at":      "The version that it must stay at. | 2.0.3",
	"libraries/NAME/hold/below":   "The version that it must stay below. | 2.1.0",
	"libraries/NAME/hold/because": "The reason. | 2.1 uses class syntax",
	"libraries/NAME/because":      "Why the project uses this library, or this version. | the menu is built on it",
	"libraries/NAME/forget": "Names that earlier versions had and that check does not report as removed; \"*\" " +
		"means all. | [bw-bar]",
	"libraries/NAME/rename": "Other names for its files: old name to new name. | {oarlock.js: page-helper.js}",
	"libraries/NAME/places": "Paths for single files or folders: path in the source to path in the site. | " +
		"{img: pictures/brinework}",
	"libraries/NAME/keep": "Files that are kept without tags: paths in the source, or patterns. | [lang/*.js]",
	"libraries/NAME/take": "Files that were chosen: paths in the source, or patterns. | [dist/oarlock.js, " +
		"dist/oarlock.min.js]",
	"own":       "What the project says about its own files. | {order: [js/config.js, js/club.js]}",
	"own/order": "Own files in the order that pages need. | [js/config.js, js/club.js]",
	"cdns": "CDNs by name, each with its address pattern. | {harbour: " +
		"\"https://cdn.harbour.example/lib/{name}/{version}/{path}\"}",
	"profiles": "Named ways to serve the libraries. | {live: {serve: cdn, build: minified, " +
		"fallback: true}}",
	"share": "Values that the sites below this folder share, unless they set their own. | " +
		"{holds: {oarlock: {below: 2.1.0, because: the kiosk's browser has no classes}}}",
	"share/cdns": "CDNs by name, as under cdns. | {harbour: " +
		"\"https://cdn.harbour.example/lib/{name}/{version}/{path}\"}",
	"share/profiles":         "Profiles by name, as under profiles. | {live: {serve: cdn, build: minified}}",
	"share/holds":            "Holds by the names of libraries. | {oarlock: {below: 2.1.0}}",
	"profiles/NAME/serve":    "Where pages load libraries from: local or cdn. | cdn",
	"profiles/NAME/build":    "The build: minified or readable. | minified",
	"profiles/NAME/cdn":      "The CDN, if there are several. | harbour",
	"profiles/NAME/fallback": "If the CDN does not answer, pages load the local copy. | true",
	"profiles/NAME/then":     "CDNs to try before the local copy. | [quay]",
	"profiles/NAME/hints":    "Pages get preconnect, preload and modulepreload hints. | true",
	"profiles/NAME/without": "What must not be on a page under this profile: libraries, or addresses in which * " +
		"matches anything. | [quickbrine]",
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
	b.WriteString("# crate.yaml, the packing list\n\nThe third-party libraries this project uses. People and Merry " +
		"edit this file. Every key except format is optional. NAME stands for a name of your choice. The format " +
		"number is 1.\n\n")
	for _, k := range Keys() {
		fmt.Fprintf(&b, "## %s\n\n%s (%s)\n\n    %s: %s\n\n", k.Path, k.Text, k.Holds,
			k.Path[strings.LastIndexByte(k.Path, '/')+1:], k.Example)
	}
	return strings.TrimRight(b.String(), "\n") + "\n"
}

// SchemaFile is where the packing list's schema is in a project, from its root, for editors: the first line of a new
// packing list names it.
const SchemaFile = ".merry/crate.schema.json"

// SchemaLine is the line by which editors find the schema.
const SchemaLine = "# yaml-language-server: $schema=" + SchemaFile + "\n"

// A schema is a JSON Schema, of the 2020-12 plan, as far as the packing list needs one.
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
	top := &schema{Draft: "https://json-schema.org/draft/2020-12/schema", Text: "The packing list: the third-party " +
		"libraries that a site uses.", Type: "object", Always: []string{"format"}, Others: false}
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
		types := map[string]any{"yes or no": "boolean", "number": "integer", "list": "array", "mapping": "object",
			"text": []string{"string", "number"}}
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
