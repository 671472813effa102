// Package package tells what is inside a library: which files are for a page and which are not, what
// each one is, which belong together, and which of them a page would want.
//
// It goes by what the files say. Names are evidence too, but a file named x.min.js that is readable
// is readable. It is pure: it is given names, sizes and a way to read, and opens nothing itself.
package packages
