package crate

import (
	"context"

	"merrycrate.example/merry/crate/editing"
)

// What somebody who is writing a page is answered.
type (
	Desk       = editing.Desk
	DeskMemory = editing.Known
	Span       = editing.Span
	Suggestion = editing.Suggestion
	Note       = editing.Note
	Entry      = editing.Entry
	Naming     = editing.Naming
)

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

// Desk reads the project for somebody who writes in it. Memory is shared by the desks of one session.
func (c *Crate) Desk(ctx context.Context, memory *DeskMemory) (*Desk, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return editing.New(ctx, p, memory)
}
