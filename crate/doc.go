// Package crate is the core's front door: it opens a project, plans what a command is asked for, and
// applies the plan. It joins its parts, which know nothing of each other's business, and it knows no
// screen: what it finds is returned as values, and rendered by package cli.
package crate
