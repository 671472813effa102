// Package faults tests what must hold when things go wrong: stops at every write, full disks, kills, two commands at once,
// hostile archives, servers, clones and scripts.
package faults

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

func TestMain(m *testing.M) { merrytest.Main(m) }
