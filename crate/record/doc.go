// Package record reads and writes a project's two records: the packing list (crate.yaml), which
// people edit too, and the seal (crate.seal.json), which only the product writes.
//
// Edits of the packing list are made in its text, line by line, so that comments, blank lines and
// the order of keys stay as their writer left them. The package knows the records' form; what they
// should say is decided by its callers.
package record
