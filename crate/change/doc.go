// Package change applies a set of file changes whole or not at all, and takes them back.
//
// A set is planned first: every new content is written into a folder of its own under .merry, and
// nothing else is touched. Commit makes the plan durable with one barrier and renames its folder;
// that rename is the commit point. From then on the set will be applied, by this process or,
// after a crash, by the next one. Each file is exchanged with its plan in one step, so the folder
// holds the old contents afterwards, which is all that Undo needs.
//
// The state of a set is the ending of its folder's name, which a rename changes atomically:
//
//	0007.draft  being written; worthless after a crash, and cleared away
//	0007.going   committed; to be rolled forward
//	0007.done    applied; can be undone
//	0007.undone  an undoing that was applied; can be reverted until the next change
//
// What is to be changed, and why, is the business of the callers.
package change
