package packages

import (
	"bytes"
	"path"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/texts"
)

// minRules is how many classes a stylesheet must have rules for, so that it can be told whether a script has these too.
const minRules = 4

// privateUse finds the characters that icon fonts draw (Unicode, Private Use Area), as stylesheets have them.
var privateUse = memo.Regexp(`(?i)["'](?:\\[ef][0-9a-f]{2,4}|[\x{e000}-\x{f8ff}])`)

// drawing finds the paths of drawings (SVG 2, section 9.3) in a script.
var drawing = memo.Regexp("[\"'`][Mm]-?[0-9.]+[ ,-]")

// minIcons is how many characters of icons a stylesheet has that is there for them.
const minIcons = 30

// readDoubled finds out what of the suggested script and stylesheet makes the other one needless: a script that has the
// stylesheet's rules in its text writes them itself, and a font with its stylesheet draws the icons that the script
// would draw. A stylesheet of icons without their font gives way to one that has all of it and the font.
func (d *Package) readDoubled() error {
	look, _ := d.main(Stylesheet)
	if look == nil {
		return nil
	}
	sheet, err := d.tree.ReadFile(look.Path)
	if err != nil {
		return err
	}
	if !hasFont(look) && len(d.ofKind(Font)) > 0 {
		if look, sheet, err = d.withFont(look, sheet); err != nil {
			return err
		}
	}
	core, _ := d.main(Script)
	names := classesOf(sheet)
	if core == nil || core.Size > analysed || len(names) < minRules {
		return nil
	}
	text, err := d.tree.ReadFile(core.Path)
	if err != nil {
		return err
	}
	wanted := map[string]bool{}
	for _, name := range names {
		wanted["."+name+"{"], wanted["."+name+" {"] = true, true
	}
	written := texts.Contained(text, wanted)
	rules := 0
	for _, name := range names {
		if written["."+name+"{"] || written["."+name+" {"] {
			rules++
		}
	}
	d.WritesLook = 2*rules >= len(names)
	// Of a stylesheet for icons most classes are icons. Others have a few, for their buttons.
	if icons := len(privateUse().FindAllIndex(sheet, -1)); !hasFont(look) || icons < minIcons ||
		2*icons < len(style.Classes(sheet)) {
		return nil
	}
	// One script may draw the icons that another one puts into the page.
	total := int64(0)
	for _, f := range d.ofKind(Script) {
		if path.Dir(f.Path) != path.Dir(core.Path) || f.Build == Minified && f.OtherBuild != "" || d.DrawnByFont ||
			total+f.Size > analysed {
			continue
		}
		total += f.Size
		if text, err = d.tree.ReadFile(f.Path); err != nil {
			return err
		}
		d.DrawnByFont = draws(text, names)
	}
	return nil
}

// draws reports whether a script has drawings, and the names of most of some classes of icons, less what all these
// begin with.
func draws(text []byte, classes []string) bool {
	if len(drawing().FindAllIndex(text, minIcons)) < minIcons {
		return false
	}
	spoken, lower := 0, bytes.ToLower(text)
	for _, name := range classes {
		_, last, ok := strings.Cut(strings.ToLower(name), "-")
		if ok && (bytes.Contains(lower, []byte(last)) || bytes.Contains(lower,
			[]byte(strings.ReplaceAll(last, "-", "")))) {
			spoken++
		}
	}
	return 2*spoken >= len(classes)
}

// maxNames is how many classes of a stylesheet are looked up in a script.
const maxNames = 60

// classesOf are some classes that a stylesheet has rules for, from all over it.
func classesOf(sheet []byte) []string {
	all := style.Classes(sheet)
	if len(all) <= maxNames {
		return all
	}
	var some []string
	for i := range maxNames {
		some = append(some, all[i*len(all)/maxNames])
	}
	return some
}

func hasFont(f *File) bool {
	for _, r := range f.Refs {
		if r.Font && r.There {
			return true
		}
	}
	return false
}

// withFont returns, for a stylesheet without a font, another one that has its classes and a font, with its text; the
// given one if no other has.
func (d *Package) withFont(look *File, sheet []byte) (*File, []byte, error) {
	names := classesOf(sheet)
	var best *File
	var text []byte
	for _, f := range d.ofKind(Stylesheet) {
		if !hasFont(f) || d.aside(f) || f.Build == Minified && f.OtherBuild != "" || best != nil && better(best, f) {
			continue
		}
		b, err := d.tree.ReadFile(f.Path)
		if err != nil {
			return nil, nil, err
		}
		has := 0
		for _, name := range names {
			if bytes.Contains(b, []byte("."+name)) {
				has++
			}
		}
		if len(names) > 0 && 10*has >= 9*len(names) {
			best, text = f, b
		}
	}
	if best == nil {
		return look, sheet, nil
	}
	d.WithFont = best.Path
	return best, text, nil
}
