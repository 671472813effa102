// Package matrix holds what check says against what a browser says, over hundreds of pages that are broken in every
// way.
package matrix

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.MainOfLong(m)
}
