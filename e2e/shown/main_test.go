// Package shown tests what is seen in a browser while merry serves a site, and what merry sees in one.
package shown

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.MainOfLong(m)
}
