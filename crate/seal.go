package crate

import (
	"context"

	"merrycrate.example/merry/crate/sealing"
)

// What sealing is asked and answers.
type (
	SealLine   = sealing.Line
	SealDemand = sealing.Demand
)

// SealRead hashes what a reader yields.
var SealRead = sealing.Read

// SealTag writes the tag for a file whose text that is.
var SealTag = sealing.Tag

// The states of what a page demands.
const (
	SealRight = sealing.Right
	SealLocal = sealing.Local
)

// SealFiles hashes files, the files of folders, and the bytes at addresses.
func (c *Crate) SealFiles(ctx context.Context, names []string, algorithm string) ([]SealLine, error) {
	return sealing.Files(ctx, c.Dir, names, algorithm, c.Origin.FetchAsked)
}

// SealPage looks at what a page demands of the files that it asks for. Local ones are looked for below the folder that
// the command was given in, from which the page's name is.
func (c *Crate) SealPage(ctx context.Context, b []byte, name string) ([]SealDemand, error) {
	return sealing.Page(ctx, b, c.Dir, name, c.Origin.Fetch)
}

// SealText reads a file or an address whose tag is to be written.
func (c *Crate) SealText(ctx context.Context, name string) ([]byte, error) {
	return sealing.Text(ctx, c.Dir, name, c.Origin.FetchAsked)
}
