package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"strconv"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// A fleet is made-up libraries and files of which some need others: each defines a global, and reads those of others while it
// loads.
type fleet struct {
	s     *merrytest.Site
	r     *rand.Rand
	libs  []string
	own   []string
	pages []string
}

// launch makes a site with pages of several shapes, libraries beside it, own scripts, and libraries that nobody recorded.
func launch(t *testing.T, seed int64) *fleet {
	f := &fleet{s: merrytest.Empty(t), r: rand.New(rand.NewSource(seed)), pages: []string{"index.html", "crews/index.html"}}
	order := f.r.Perm(7) // who may need whom: the earlier
	globals := map[int]string{}
	for place, i := range order {
		name := fmt.Sprintf("%s%d", []string{"winch", "cleat", "bow", "stern", "keel", "rudder", "thwart"}[i], i)
		global := strings.ToUpper(name[:1]) + name[1:]
		var reads []string
		for _, before := range order[:place] {
			if f.r.Intn(3) == 0 {
				reads = append(reads, globals[before])
			}
		}
		var text strings.Builder
		text.WriteString("(function () {\n")
		for n, g := range reads {
			fmt.Fprintf(&text, "  var used%d = %s.turn(%d);\n", n, g, n)
			if f.r.Intn(3) == 0 {
				fmt.Fprintf(&text, "  %s.%s = {\n    at: used%d\n  };\n", g, name, n)
			}
		}
		fmt.Fprintf(&text, "  window.%s = {\n    turn: function (n) {\n      return n + 1;\n    }\n  };\n})();\n", global)
		globals[i] = global
		switch {
		case place == 1:
			f.s.Write("old/"+name+".js", text.String()) // a library that nobody recorded
			f.own = append(f.own, "old/"+name+".js")
		default:
			f.s.Archive(name+"-1.0.0.zip", map[string]string{"package.json": `{"name": "` + name + `", "version": "1.0.0", "main": "` + name + `.js"}`, name + ".js": text.String(), name + ".css": "." + name + " {\n  color: red;\n}\n"})
			f.libs = append(f.libs, name)
		}
	}
	for n := range 3 {
		g := globals[order[f.r.Intn(len(order))]]
		f.s.Write(fmt.Sprintf("js/own%d.js", n), fmt.Sprintf("var own%d = %s.turn(%d);\n", n, g, n))
		f.own = append(f.own, fmt.Sprintf("js/own%d.js", n))
	}
	shapes := []string{
		"<!doctype html>\n<html>\n<head>\n  <meta charset=\"utf-8\">\n  <title>x</title>\n</head>\n<body>\n  <p>Hello</p>\n</body>\n</html>\n",
		"<!doctype html>\n<html>\n<head>\n  <meta charset=\"utf-8\">\n  <title>x</title>\n  <script>var early = 1;</script>\n</head>\n<body>\n  <p>Hello</p>\n  <script>var late = 1;</script>\n</body>\n</html>\n",
		"<!doctype html>\n<html>\n<head>\n  <meta charset=\"utf-8\">\n  <title>x</title>\n  <script src=\"/js/first.js\" defer></script>\n</head>\n<body>\n  <p>Hello</p>\n</body>\n</html>\n",
	}
	f.s.Write("js/first.js", "var first = 1;\n")
	for _, p := range f.pages {
		f.s.Write(p, shapes[f.r.Intn(len(shapes))])
	}
	f.s.Run("start")
	return f
}

// command is one of a person's commands.
func (f *fleet) command() []string {
	pick := func(list []string) string { return list[f.r.Intn(len(list))] }
	archive := func(lib string) string { return "../downloads/" + lib + "-1.0.0.zip" }
	page := pick(f.pages)
	switch f.r.Intn(11) {
	case 0, 1:
		return []string{"take", archive(pick(f.libs)), "--page", page}
	case 2:
		return []string{"take", archive(pick(f.libs)), archive(pick(f.libs)), archive(pick(f.libs)), "--page", page}
	case 3:
		return []string{"include", pick(f.libs), "--page", page}
	case 4:
		return []string{"include", pick(f.libs), pick(f.libs), pick(f.own), "--page", page}
	case 5, 6:
		return []string{"include", pick(f.own), "--page", page}
	case 8:
		return []string{"include", "js/" + pick(f.libs) + ".js", "--page", page}
	case 9:
		return []string{"move", pick([]string{"js", "vendor", "js/own1.js", "vendor/js/own1.js"}), pick([]string{"vendor", "js"})}
	case 7:
		return []string{"omit", pick(append(f.own, f.libs...)), "--page", page}
	}
	return []string{"include", pick(f.own), pick(f.own), "--page", "**"}
}

// TestRandomNeeds: whatever is taken and included in whichever sequence, order has nothing to say of the pages afterwards.
func TestRandomNeeds(t *testing.T) {
	seeds := int64(10)
	if many := os.Getenv("MERRY_RANDOM"); many != "" {
		seeds, _ = strconv.ParseInt(many, 10, 64)
	}
	for seed := range seeds {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			f := launch(t, seed)
			var done []string
			for range 10 {
				c := f.command()
				result := f.s.Try(c...)
				done = append(done, fmt.Sprintf("%s (%d)", strings.Join(c, " "), result.Status))
				if strings.Contains(result.Err, "fault of merry itself") {
					t.Fatalf("%s\n%s", strings.Join(done, "\n"), result.Err)
				}
				var pages []struct {
					Page        string
					Constraints []struct{ State, Reason string }
				}
				if err := json.Unmarshal([]byte(f.s.Run("order", "**", "--json")), &pages); err != nil {
					t.Fatal(err)
				}
				for _, p := range pages {
					for _, c := range p.Constraints {
						if c.State != "kept" {
							t.Fatalf("after\n%s\n%s: %s: %s\n%s", strings.Join(done, "\n"), p.Page, c.State, c.Reason, f.s.Read(p.Page))
						}
					}
				}
			}
		})
	}
}
