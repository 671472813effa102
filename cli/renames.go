package cli

import (
	"os"
	"path/filepath"

	"github.com/google/renameio/v2/maybe"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

// renameTable reads a table of classes, old and new; "" is none.
func (a *app) renameTable(name string) (map[string]string, error) {
	if name == "" {
		return map[string]string{}, nil
	}
	name = a.full(name)
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, problem.Refuse(problem.FileUnknown, "write one: merry compare LIB VERSION --renames-to "+
			show.Word(filepath.Base(name)), "the table %s can't be read", name)
	}
	list, err := crate.ReadRenames(b)
	if err != nil {
		return nil, problem.Misuse("write an old and a new name in each line", "%s: %w", name, err)
	}
	return list, nil
}

// writeRenames writes what comparing told as a table, to be corrected by hand.
func (a *app) writeRenames(name string, c *crate.Compared) error {
	name = a.full(name)
	if err := maybe.WriteFile(name, []byte(c.RenameTable()), 0o644); err != nil {
		return problem.Refuse(problem.FileUnknown, "name a file in a folder that exists",
			"the table can't be written to %s: %w", name, err)
	}
	return nil
}
