// Package typing tests merry editor: an editor that types, asks and repairs, over the program's pipes.
package typing

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.Main(m)
}
