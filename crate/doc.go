// Package crate is the front door: one short file a command, each saying what is wanted and calling what is below it. A command
// that writes takes the project's lock, reads the project, makes a plan, and has it applied; one that reads returns an
// answer. It knows no screen: how an answer looks is for package cli.
package crate
