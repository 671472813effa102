package upgrade

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/style"
)

// pairs are a table's renames in the order of the old names.
func pairs(list map[string]string) string {
	var all []string
	for _, old := range slices.Sorted(maps.Keys(list)) {
		all = append(all, old+" "+list[old])
	}
	return strings.Join(all, "; ")
}

func TestReadRenames(t *testing.T) {
	for _, tt := range []struct{ table, want string }{
		{"bw-left bw-start", "bw-left bw-start"},
		{".bw-left → .bw-start\n.bw-right -> .bw-end\nbw-up=bw-top\nbw-down => bw-foot", "bw-down bw-foot; bw-left " +
			"bw-start; bw-right bw-end; bw-up bw-top"},
		{"\ufeff# a guide\n\n- `bw-left` → `bw-start`, since rows are flexible now\n* `bw-tag` → `bw-badge` (in " +
			"lists, too)", "bw-left bw-start; bw-tag bw-badge"},
		{"old,new,why\nbw-left,bw-start,because\n\"bw-right\",\"bw-end\",", "bw-left bw-start; bw-right bw-end"},
		{"bw-pic,,the shape is gone\nbw-left,bw-start", "bw-left bw-start"}, // an empty cell is no new name
		{"bw-left;bw-start\r\nbw-right;bw-end\r\n", "bw-left bw-start; bw-right bw-end"},
		{"from\tto\nbw-left\tbw-start", "bw-left bw-start"},
		{"| Old | New | Why |\n|:---|---:|---|\n| `.bw-left` | `.bw-start` | x |\n| bw-gone |  | used |\n",
			"bw-left bw-start"},
		{"| bw-hide | bw-none and bw-sm-block |", "bw-hide bw-none bw-sm-block"},
		{"| bw-hide | `bw-none`, `bw-sm-block` |", "bw-hide bw-none bw-sm-block"},
		{"| bw-hide | bw-none + bw-sm-block |", "bw-hide bw-none bw-sm-block"},
		{"bw-left", ""},
		{"", ""},
		{"bw-left bw-start\nold new", "bw-left bw-start; old new"}, // a head is a head in the first row alone
	} {
		got, err := ReadRenames([]byte(tt.table))
		if err != nil || pairs(got) != tt.want {
			t.Errorf("%q is read as %q, wanted %q; %v", tt.table, pairs(got), tt.want, err)
		}
	}
	for table, want := range map[string]string{"bw-left bw-start\n<b> x": `line 2: "<b>" is not a class`,
		"bw-left -> 3x": `line 1: "3x" is not a class`, ",bw-start": `line 1: "" is not a class`} {
		if _, err := ReadRenames([]byte(table)); err == nil || err.Error() != want {
			t.Errorf("of %q it is said %v, wanted %s", table, err, want)
		}
	}
}

// TestRenameTableIsRead: what compare writes repin reads, whatever the reasons say.
func TestRenameTableIsRead(t *testing.T) {
	c := &Compared{Library: "brinework", Old: "1.2.0", New: "2.0.0", Removed: []RemovedName{
		{Kind: "class", Name: "bw-left", Rename: &renames.Rename{Old: "bw-left", New: "bw-start", Sure: true,
			Score: 0.99, Because: []string{"CHANGES.md:3 says bw-left | bw-start"}}},
		{Kind: "class", Name: "bw-hide", Rename: &renames.Rename{Old: "bw-hide", New: "bw-none",
			And: []string{"bw-sm-block"}, Score: 0.6}},
		{Kind: "class", Name: "bw-gone", Uses: []Occurrence{{At: "index.html:3:4"}}},
		{Kind: "class", Name: "bw-unused"},
		{Kind: "member", Name: "oarlock.pull", Rename: &renames.Rename{New: "oarlock.row"}},
	}}
	table := c.RenameTable()
	got, err := ReadRenames([]byte(table))
	if err != nil || pairs(got) != "bw-hide bw-none bw-sm-block; bw-left bw-start" {
		t.Errorf("%s is read as %q; %v", table, pairs(got), err)
	}
	if !strings.Contains(table, "| bw-gone |  | unknown | used in index.html:3:4 |") ||
		strings.Contains(table, "bw-unused") {
		t.Errorf("the table is\n%s", table)
	}
}

func FuzzReadRenames(f *testing.F) {
	for _, s := range []string{"a b", "| a | b |", "a,b;c\td", "- `a` → `b`, c", "old,new\n,,", "|||\n|-|"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		list, err := ReadRenames(b)
		for old, new := range list {
			if err != nil || !className().MatchString(old) || strings.TrimSpace(new) == "" {
				t.Errorf("%q: %q is called %q, and %v", b, old, new, err)
			}
		}
	})
}

func TestTablesOfNames(t *testing.T) {
	for _, tt := range []struct{ text, want string }{
		{"old-name: new-name\nother: {name: late, prefix: x}\n", "1 old-name new-name; 2 other late; 2 other x; 2 " +
			"name late; 2 prefix x"},
		{`[["a", null, "b"], ["c", "d"], ["alone"]]`, "1 a b; 1 c d"},
		{`{"a": ["x", "y"], "b": 1}`, "1 x y; 1 b 1"},
		{"- a\n", ""},
		{"a: &x b\nc: *x\n", "1 a b"},
		{"", ""},
	} {
		var node yaml.Node
		if err := yaml.Unmarshal([]byte(tt.text), &node); err != nil {
			t.Fatal(err)
		}
		var got []string
		walkTable(&node, func(old, new string, line int) { got = append(got, fmt.Sprint(line, " ", old, " ", new)) })
		if strings.Join(got, "; ") != tt.want {
			t.Errorf("%q holds %q, wanted %q", tt.text, strings.Join(got, "; "), tt.want)
		}
	}
	if got := row().FindAllString(`var shims = [["anchor", null, "mooring"], ["buoy", "float"], [1, 2], ["x"]]`,
		-1); len(got) != 3 {
		t.Errorf("rows of a script: %q", got)
	}
	for css, want := range map[string]string{".bw-a{}.bw-b{}.own{}": "bw-", ".a-x{}.b-x{}": "", ".plain{}": "",
		"": ""} {
		if got := commonPrefix(style.Read([]byte(css))); got != want {
			t.Errorf("classes of %q begin with %q, wanted %q", css, got, want)
		}
	}
}
