// Package page reads a page's references and edits them byte for byte.
//
// It reads a page as the HTML Standard's tokenizer does, in one pass and without a tree. If the shape of a page is
// doubtful, it compares an edit with the tree of a full parser. It works on bytes only.
package page
