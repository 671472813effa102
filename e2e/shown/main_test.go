// Package shown tests what is seen in a browser while merry serves a site, and what merry sees in one.
package shown

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

func TestMain(m *testing.M) { merrytest.Main(m) }
