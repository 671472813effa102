package delivery

import (
	"bytes"
	"path"

	"merrycrate.example/merry/crate/record"
)

// fewLooks is how many stylesheets a folder must have for one of them to be a look among others.
const fewLooks = 3

// readLooks finds which of several looks the library's script names, as its default or in its own tests for one: a name in
// quotes, or a file's.
func (d *Delivery) readLooks() error {
	core, _ := d.main(Script)
	if core == nil {
		return nil
	}
	count := map[string]int{}
	for _, f := range d.ofKind(Stylesheet) {
		if f.Build != NoBuild && (f.Pair == "" || f.Build == record.Readable) {
			count[path.Dir(f.Path)]++
		}
	}
	var text []byte
	for _, f := range d.ofKind(Stylesheet) {
		if count[path.Dir(f.Path)] < fewLooks || d.imported(f) {
			continue
		}
		if text == nil {
			var err error
			if text, err = d.tree.ReadFile(core.Path); err != nil {
				return err
			}
		}
		name := stemOf(f.Path)
		for _, said := range []string{`"` + name + `"`, "'" + name + "'", name + ".css", name + ".min.css"} {
			if len(name) > 1 && bytes.Contains(text, []byte(said)) {
				if d.Told == nil {
					d.Told = map[string]bool{}
				}
				d.Told[f.Path] = true
				break
			}
		}
	}
	return nil
}
