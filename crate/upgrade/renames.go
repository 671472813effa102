package upgrade

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// className is a class as pages have it, without what would need an escape.
var className = memo.Regexp(`^-?[A-Za-z_][\w-]*$`)

// ReadRenames reads a table of classes: in each line an old name and a new one, in text (blanks or an arrow between
// them), CSV or Markdown. One that became two has both, with a blank or "and" between. Lines that begin with #, heads
// and rules of tables are passed over, and so is what has no new name. The error is that of a line which is none of
// these.
func ReadRenames(b []byte) (map[string]string, error) {
	list := map[string]string{}
	n := 0
	for line := range strings.Lines(strings.TrimPrefix(string(b), "\ufeff")) {
		n++
		text := strings.TrimSpace(line)
		if text == "" || strings.HasPrefix(text, "#") || strings.Trim(text, "|-: ") == "" {
			continue
		}
		cells := cellsOf(text)
		old := plainName(cells[0])
		var new []string
		if len(cells) > 1 {
			for word := range strings.FieldsSeq(cells[1]) {
				if word != "and" && word != "+" {
					new = append(new, plainName(word))
				}
			}
		}
		if len(new) == 0 || len(list) == 0 && heads(old, new) {
			continue
		}
		for _, name := range append([]string{old}, new...) {
			if !className().MatchString(name) {
				return nil, fmt.Errorf("line %d: %q is not a class", n, name)
			}
		}
		list[old] = strings.Join(new, " ")
	}
	return list, nil
}

// arrow is what stands between an old name and a new one in a line of text.
var arrow = memo.Regexp(`\s*(?:→|->|=>|=)\s*`)

// cellsOf are the cells of a table's line; of a line of text the two names alone, without what is said of them.
func cellsOf(text string) []string {
	if strings.HasPrefix(text, "|") {
		return strings.Split(strings.Trim(text, "|"), "|")
	}
	item := strings.TrimLeft(text, "-* ")
	if at := arrow().FindStringIndex(item); at != nil {
		new := item[at[1]:]
		if end := strings.IndexAny(new, ",;(:"); end >= 0 {
			new = new[:end]
		}
		return []string{item[:at[0]], new}
	}
	for _, between := range []string{"\t", ";", ","} {
		if strings.Contains(text, between) {
			return strings.Split(text, between) // an empty cell is one, too
		}
	}
	old, new, _ := strings.Cut(item, " ")
	return []string{old, new}
}

// RenameTable writes what comparing told of classes as a table in Markdown, which ReadRenames reads: what is gone and
// used is there even where no new name is known.
func (c *Compared) RenameTable() string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s, %s to %s: removed classes. Correct the second column; a line without a new name changes "+
		"nothing.\n\n| old | new | confidence | why |\n| --- | --- | --- | --- |\n", c.Library, c.Old, c.New)
	for _, l := range c.Removed {
		switch {
		case l.Kind != "class" || l.Rename == nil && len(l.Uses) == 0:
		case l.Rename == nil:
			fmt.Fprintf(&b, "| %s |  | unknown | used in %s |\n", l.Name, l.Uses[0].At)
		default:
			how := "probable"
			if l.Rename.Sure {
				how = "certain"
			}
			fmt.Fprintf(&b, "| %s | %s | %s, %.2f | %s |\n", l.Name,
				strings.Join(append([]string{l.Rename.New}, l.Rename.And...), " "), how, l.Rename.Score,
				strings.ReplaceAll(strings.Join(l.Rename.Because, ", "), "|", "/"))
		}
	}
	return b.String()
}

// plainName is a name without the marks that guides put around it.
func plainName(s string) string {
	return strings.TrimLeft(strings.Trim(strings.TrimSpace(s), "`\"'*, "), ".")
}

// heads tells the head of a table from its rows.
func heads(old string, new []string) bool {
	switch strings.ToLower(old) {
	case "old", "from", "before", "class", "name", "was":
		switch strings.ToLower(new[0]) {
		case "new", "to", "after", "now", "is", "class", "name":
			return true
		}
	}
	return false
}
