// Package source opens what a library comes in, archives, folders and single files, as a read-only
// tree of files.
//
// Nothing that it reads is trusted. An archive is checked whole, names, sizes and kinds of entry,
// before any of it is handed on, and refused with the entry and the reason where it does not pass.
// What the files of a tree mean is reported by package package.
package source
