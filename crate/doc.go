// Package crate is the front door: one short file a command. A command that writes takes the project's lock, reads the
// project, makes a plan and applies it; a command that reads returns a result. Package cli renders the results.
package crate
