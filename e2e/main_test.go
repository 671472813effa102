package e2e

import (
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

func TestMain(m *testing.M) { merrytest.Main(m) }
