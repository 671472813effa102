package crate

import (
	"context"

	"merrycrate.example/merry/crate/origin"
)

// A LibraryText is a text from inside a package, for people.
type LibraryText = origin.LibraryText

// Texts returns a library's own readme, change notes and licence, or, with start set, only the examples
// for a page that its readme shows.
func (c *Crate) Texts(ctx context.Context, name, wanted string, start bool) ([]LibraryText, error) {
	o, err := c.open(ctx, name, wanted)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	return o.Texts(name, start)
}

// A Download is an archive of the user's download folder that looks like a library.
type Download = origin.Download

// Downloads lists the newest archives of a folder that hold scripts or stylesheets.
func Downloads(dir string, usual bool) ([]Download, error) { return origin.Downloads(dir, usual) }
