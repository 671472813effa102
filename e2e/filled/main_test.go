package filled

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

func TestMain(m *testing.M) {
	merrytest.Pasted = pasted.Fault
	merrytest.Main(m)
}
