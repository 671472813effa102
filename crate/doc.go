// Package crate is the front door: one short file a verb, each saying what is wanted and calling what is below it. A verb
// that writes takes the project's lock, reads the project, makes a draft, and has it carried out; one that reads returns an
// answer. It knows no screen: how an answer looks is for package cli.
package crate
