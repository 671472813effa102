// Package libraries turns entries of the packing list into files: it selects files of a source, finds a path for each,
// and plans the files and both records. Take, refill, settle, drop and repin all use it.
//
// Package reconcile applies the plan.
package libraries
