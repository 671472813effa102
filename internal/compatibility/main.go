// Compatibility writes the table of what browsers have, which check compares with the browsers of a packing list, from
// published compatibility data.
//
//	go run ./internal/compatibility DATA.json > crate/support/features.txt
//
// DATA.json is a tree of features, in which an object named __compat says which browsers have one. Each line of the
// table is a feature: its kind, its name, ecma or web, the first version of each browser that has it, a dash for none,
// and the year from which the engines of the day all had it. What browsers have had since the first of them is left
// out, and so is what one has only under another name or behind a setting.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log"
	"maps"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// columns are the browsers of the table.
var columns = []string{"chrome", "edge", "firefox", "safari", "opera", "ie"}

// A data tree has features at its nodes, below their keys.
type tree map[string]json.RawMessage

type compat struct {
	Spec    any                        `json:"spec_url"`
	URL     string                     `json:"mdn_url"`
	About   string                     `json:"description"`
	Support map[string]json.RawMessage `json:"support"`
	Status  struct {
		Standard bool `json:"standard_track"`
	} `json:"status"`
}

type support struct {
	Added   any    `json:"version_added"`
	Removed any    `json:"version_removed"`
	Prefix  string `json:"prefix"`
	Other   string `json:"alternative_name"`
	Flags   []any  `json:"flags"`
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 2 {
		log.Fatal("usage: compatibility DATA.json")
	}
	b, err := os.ReadFile(os.Args[1])
	if err != nil {
		log.Fatal(err)
	}
	var data struct {
		Meta     struct{ Version, Timestamp string } `json:"__meta"`
		Browsers map[string]struct {
			Releases map[string]struct {
				Date string `json:"release_date"`
			}
		}
		API, CSS, HTML, JavaScript tree
	}
	if err := json.Unmarshal(b, &data); err != nil {
		log.Fatal(err)
	}
	w := &writer{years: map[string]map[string]int{}, lines: map[string]string{},
		members: map[string][]*compat{}, ecma: map[string]bool{}}
	for name, of := range data.Browsers {
		w.years[name] = map[string]int{}
		for version, r := range of.Releases {
			w.years[name][version], _ = strconv.Atoi(r.Date[:min(4, len(r.Date))])
		}
	}
	w.scripts(data.API, data.JavaScript)
	w.styles(data.CSS)
	w.pages(data.HTML)
	out := bufio.NewWriter(os.Stdout)
	defer out.Flush()
	fmt.Fprintf(out, "# From published compatibility data of browsers, version %s of %s.\n"+
		"# Written by internal/compatibility, which says what the columns are.\n# kind name of %s year\n",
		data.Meta.Version, data.Meta.Timestamp[:min(10, len(data.Meta.Timestamp))], strings.Join(columns, " "))
	for _, key := range slices.Sorted(maps.Keys(w.lines)) {
		fmt.Fprintln(out, w.lines[key])
	}
}

// A writer collects the lines of the table, by kind and name.
type writer struct {
	years   map[string]map[string]int // of each browser's versions
	lines   map[string]string
	members map[string][]*compat // of values, by name
	ecma    map[string]bool      // members of the language's own
}

// of reads a feature at a key of a tree, nil if there is none.
func (t tree) of(key string) *compat {
	var node struct {
		Compat *compat `json:"__compat"`
	}
	if json.Unmarshal(t[key], &node) != nil {
		return nil
	}
	return node.Compat
}

// below is the tree below a key.
func (t tree) below(key string) tree {
	var list tree
	json.Unmarshal(t[key], &list)
	delete(list, "__compat")
	return list
}

// keys are the keys of a tree, sorted.
func (t tree) keys() []string { return slices.Sorted(maps.Keys(t)) }

var (
	identifier = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9]*$`)
	keyword    = regexp.MustCompile(`^[a-z][a-z-]*$`)
	code       = regexp.MustCompile(`<code>(\w+)</code>`)
	camel      = regexp.MustCompile(`^[a-z]+[A-Z]`)
)

// methods are members of values that hardly anything else has, although their names are short.
var methods = strings.Fields("startsWith endsWith padStart padEnd flat flatMap replaceAll matchAll at append prepend " +
	"closest remove trimStart trimEnd")

// scripts writes what scripts use: globals, their static members, and members of values whose names tell.
func (w *writer) scripts(api, language tree) {
	builtins := language.below("builtins")
	for _, name := range builtins.keys() {
		if c := builtins.of(name); c != nil && identifier.MatchString(name) {
			w.add("global", name, true, c)
		}
		members := builtins.below(name)
		for _, member := range members.keys() {
			c := members.of(member)
			if c == nil || !identifier.MatchString(member) || member == name {
				continue
			}
			if strings.Contains(fmt.Sprint(c.Spec), ".prototype.") || strings.Contains(fmt.Sprint(c.Spec),
				"%prototype%") {
				w.method(member, true, c)
			} else {
				w.add("static", name+"."+member, true, c)
			}
		}
	}
	for _, name := range api.keys() {
		if c := api.of(name); c != nil && identifier.MatchString(name) {
			w.add("global", name, false, c)
		}
		members := api.below(name)
		for _, member := range members.keys() {
			c := members.of(member)
			static, isStatic := strings.CutSuffix(member, "_static")
			switch {
			case c == nil:
			case isStatic:
				w.add("static", name+"."+static, false, c)
				w.method(static, false, c)
			case !identifier.MatchString(member) || member == name:
			case name == "Window" || name == "WorkerGlobalScope" || name == "WindowOrWorkerGlobalScope":
				w.add("global", member, false, c)
				w.method(member, false, c)
			case name == "Navigator" || name == "Document" || name == "Crypto" || name == "Performance" ||
				name == "History":
				w.add("static", strings.ToLower(name)+"."+member, false, c)
				w.method(member, false, c)
			default:
				w.method(member, false, c)
			}
		}
	}
	w.allMethods()
}

// method notes a member of values. One name may be on several interfaces, and a value of any of them may be meant.
func (w *writer) method(name string, ecma bool, c *compat) {
	w.members[name] = append(w.members[name], c)
	w.ecma[name] = w.ecma[name] || ecma
}

// allMethods writes the members of values whose names hardly anything else has, each with the earliest versions.
func (w *writer) allMethods() {
	for _, name := range slices.Sorted(maps.Keys(w.members)) {
		if !slices.Contains(methods, name) && (!camel.MatchString(name) || len(name) < 8) {
			continue
		}
		earliest := make([]string, len(columns))
		for i, browser := range columns {
			earliest[i] = "-"
			for _, c := range w.members[name] {
				if v := first(c.Support[browser]); v != "-" && (earliest[i] == "-" || before(v, earliest[i])) {
					earliest[i] = v
				}
			}
		}
		w.write("method", name, w.ecma[name], earliest)
	}
}

// before reports whether one version comes before another.
func before(a, b string) bool {
	x, _ := strconv.ParseFloat(a, 64)
	y, _ := strconv.ParseFloat(b, 64)
	return x < y
}

// functional are selectors that are written with brackets.
var functional = strings.Fields(":has :is :where :not :nth-child :nth-last-child :nth-of-type :nth-last-of-type :dir " +
	":lang :host :host-context :state ::part ::slotted ::cue ::highlight :active-view-transition-type")

// styles writes what stylesheets say.
func (w *writer) styles(css tree) {
	selectors := css.below("selectors")
	for _, key := range selectors.keys() {
		c := selectors.of(key)
		if c == nil || !strings.Contains(c.URL, "/:") {
			continue
		}
		name := c.URL[strings.LastIndexByte(c.URL, '/')+1:]
		if slices.Contains(functional, name) {
			name += "()"
		}
		w.add("selector", name, false, c)
	}
	rules := css.below("at-rules")
	for _, key := range rules.keys() {
		w.add("at-rule", "@"+key, false, rules.of(key))
	}
	properties := css.below("properties")
	for _, property := range properties.keys() {
		w.add("property", property, false, properties.of(property))
		values := properties.below(property)
		for _, value := range values.keys() {
			if keyword.MatchString(value) && property != "font-family" { // of fonts the next in the list is taken
				w.add("value", property+":"+value, false, values.of(value))
			}
		}
	}
	types := css.below("types")
	w.functions(types)
	for _, key := range types.keys() {
		inner := types.below(key)
		w.functions(inner)
		if strings.HasPrefix(key, "length") {
			w.units(inner)
		}
	}
}

// functions writes the functions among the types of values.
func (w *writer) functions(types tree) {
	for _, key := range types.keys() {
		if c := types.of(key); c != nil && keyword.MatchString(key) && key != "rect" && ( // clip has it since ever
		strings.Contains(c.About, key+"()") ||
			strings.HasSuffix(c.URL, "/"+key) && strings.Contains(fmt.Sprint(c.Spec), "func")) {
			w.add("value", key+"()", false, c)
		}
	}
}

// units writes units of lengths, by the names in their descriptions.
func (w *writer) units(inner tree) {
	for _, key := range inner.keys() {
		c := inner.of(key)
		if c == nil {
			continue
		}
		for _, m := range code.FindAllStringSubmatch(c.About, -1) {
			w.add("unit", strings.ToLower(m[1]), false, c)
		}
	}
}

// pages writes elements, attributes, and kinds of scripts.
func (w *writer) pages(html tree) {
	elements := html.below("elements")
	for _, name := range elements.keys() {
		w.add("element", name, false, elements.of(name))
		attributes := elements.below(name)
		for _, attribute := range attributes.keys() {
			if keyword.MatchString(attribute) {
				w.add("attribute", name+"."+attribute, false, attributes.of(attribute))
			}
		}
	}
	global := html.below("global_attributes")
	for _, attribute := range global.keys() {
		if keyword.MatchString(attribute) {
			w.add("attribute", "*."+attribute, false, global.of(attribute))
		}
	}
	script := elements.below("script")
	types := script.below("type")
	w.add("script", "importmap", false, types.of("importmap"))
	w.add("script", "module", false, types.of("module"))
}

// add writes one feature, unless it is as old as browsers, none of the standards', or in no browser.
func (w *writer) add(kind, name string, ecma bool, c *compat) {
	if c == nil || !c.Status.Standard || strings.HasPrefix(name, "-") || strings.HasPrefix(name, ":-") ||
		strings.HasPrefix(name, "::-") {
		return
	}
	versions := make([]string, len(columns))
	for i, browser := range columns {
		versions[i] = first(c.Support[browser])
	}
	w.write(kind, name, ecma, versions)
}

// write writes a line, unless all browsers have had the feature for long, or none has it.
func (w *writer) write(kind, name string, ecma bool, versions []string) {
	of, old, year := "web", true, 0
	if ecma {
		of = "ecma"
	}
	for i, browser := range columns {
		version := versions[i]
		number, _ := strconv.Atoi(strings.SplitN(version, ".", 2)[0])
		switch {
		case version == "-":
			old = old && (browser == "opera" || browser == "edge")
		case browser == "ie":
			old = old && number <= 9
		case browser != "edge":
			old = old && number <= 12
		}
		switch y := w.years[browser][version]; {
		case browser == "ie" || browser == "opera":
		case version == "-":
			year = 2099
		default:
			year = max(year, y)
		}
	}
	key := kind + " " + name
	if nobody := strings.Trim(strings.Join(versions[:4], ""), "-") == ""; !nobody && !old && w.lines[key] == "" {
		w.lines[key] = fmt.Sprintf("%s %s %s %s %d", kind, name, of, strings.Join(versions, " "), year)
	}
}

// first is the first version that has a feature by its own name and without a setting, a dash for none.
func first(raw json.RawMessage) string {
	var list []support
	if json.Unmarshal(raw, &list) != nil {
		var one support
		if json.Unmarshal(raw, &one) != nil {
			return "-"
		}
		list = []support{one}
	}
	// One entry may go on where another ends: the support became whole then.
	start := "-"
	ends := map[string]string{}
	for _, s := range list {
		added, known := s.Added.(string)
		if !known || added == "preview" || s.Prefix != "" || s.Other != "" || len(s.Flags) > 0 {
			continue
		}
		added = strings.TrimPrefix(added, "≤")
		if removed, ended := s.Removed.(string); ended {
			ends[removed] = added
		} else if start == "-" || before(added, start) {
			start = added
		}
	}
	for earlier, goesOn := ends[start]; goesOn && before(earlier, start); earlier, goesOn = ends[start] {
		start = earlier
	}
	return start
}
