// Package faults tests what must hold when things go wrong: stops at every write, full disks, kills, two commands at
// once, hostile archives, servers, clones and scripts.
package faults

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.MainOfLong(m)
}
