package crate

import (
	"context"

	"merrycrate.example/merry/crate/editing"
)

// What somebody who is writing a page is answered.
type (
	Snapshot      = editing.Snapshot
	EditingMemory = editing.Known
	Span          = editing.Span
	Suggestion    = editing.Suggestion
	Note          = editing.Note
	Entry         = editing.Entry
	Naming        = editing.Naming
)

// MostSuggestions is how many suggestions are made at once.
const MostSuggestions = editing.Most

// The kinds of suggestion.
const (
	SuggestedFile      = editing.FilePath
	SuggestedLibrary   = editing.Library
	SuggestedClass     = editing.ClassName
	SuggestedID        = editing.IDName
	SuggestedAttribute = editing.Attribute
	SuggestedProperty  = editing.Property
	SuggestedGlobal    = editing.Global
	SuggestedMember    = editing.Member
	SuggestedModule    = editing.Module
	SuggestedKey       = editing.Key
)

// Snapshot reads the project for somebody who writes in it. Memory is shared by the snapshots of one session.
func (c *Crate) Snapshot(ctx context.Context, memory *EditingMemory) (*Snapshot, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return editing.New(ctx, p, memory)
}
