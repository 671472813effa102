// Package links tests what the built program does with links: CDNs, fallbacks, tags that others wrote, and slow or
// hostile servers.
package links

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.MainOfLong(m)
}
