// Package packages describes what is inside a package: which files are for a page, what each one is, which belong
// together, and which of them a page would want.
//
// It reads contents; names are weaker evidence. It is pure: it gets names, sizes and a way to read.
package packages
