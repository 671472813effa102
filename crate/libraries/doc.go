// Package settle makes of a library's entry in the packing list what is in the project: it selects files of a source as the
// entry says, finds a place for each, and plans the files and both records. Taking, taking again, moving up, moving to another
// folder, dropping a part and carrying out an edited list are calls of it.
//
// How a plan becomes a change is for package reconcile; which version is meant, and what it breaks, for package upgrade.
package libraries
