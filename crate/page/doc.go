// Package page reads what a page refers to and edits those references byte for byte.
//
// It knows a page as the HTML Standard's tokenizer does, in one pass and without a tree; where the
// shape of a page leaves room for doubt, an edit is compared with the tree that a full parser
// builds before it is allowed. It works on bytes alone: files, addresses and libraries are the
// affair of others.
package page
