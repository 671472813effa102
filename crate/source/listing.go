package source

import (
	"encoding/json"
	"os"

	"merrycrate.example/merry/crate/archive"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// A Tree is an opened archive, folder or file.
type Tree = archive.Tree

// listingResult is the kind of listings of compressed archives in the cache.
const listingResult = "listing " + archiveSources

// OpenKnown opens a file whose integrity the caller has just verified. It takes f over. What is in a packed archive is
// remembered by its integrity: it need not be unpacked only to be listed.
func (c *Cache) OpenKnown(name string, f *os.File, integ string) (*Tree, error) {
	if b, ok := c.Result(listingResult, integ); ok {
		var l archive.Listing
		if json.Unmarshal(b, &l) == nil {
			if t, err := archive.OpenListed(name, f, integ, &l); err != nil || t != nil {
				return t, err
			}
		}
	}
	t, err := archive.OpenReader(name, f)
	if err != nil {
		return nil, err
	}
	t.Known(integ)
	if l := t.Listing(); l != nil {
		if b, err := json.Marshal(l); err == nil {
			c.PutResult(listingResult, integ, b)
		}
	}
	return t, nil
}

// refuseAddress makes the error of an address that is not fetched, or whose answer is not taken.
func refuseAddress(address, reason, next string) error {
	return problem.Refuse(problem.SourceRefused, next, "%s is refused: %s", texts.Text(address), texts.Text(reason))
}
