package cli

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/crate"
)

// TestListsAreNeverNull: whatever an answer is made of, and wherever a list is in it.
func TestListsAreNeverNull(t *testing.T) {
	type Inner struct {
		List []string `json:"list"`
		Left []string `json:"left,omitempty"`
	}
	type answer struct {
		Inner
		Pointer *Inner           `json:"pointer"`
		Many    []Inner          `json:"many"`
		Named   map[string]Inner `json:"named"`
		Any     any              `json:"any"`
		At      time.Time        `json:"at"`
		Raw     []byte           `json:"raw"`
	}
	var out bytes.Buffer
	a := &app{out: &out, json: true}
	for _, v := range []any{
		answer{Pointer: &Inner{}, Many: []Inner{{}}, Named: map[string]Inner{"a": {}}, Any: Inner{}, Raw: []byte{}},
		&answer{Pointer: &Inner{}, Named: map[string]Inner{}, Any: []string(nil), Raw: []byte{}},
		map[string]any{"change": &Inner{}, "look": []Inner(nil)}, []string(nil), &crate.Taken{}, &crate.Repinned{},
	} {
		out.Reset()
		if err := a.printJSON(v); err != nil {
			t.Fatal(err)
		}
		if text := out.String(); strings.Contains(text, "null") || strings.Contains(text, "left") {
			t.Errorf("%T is printed as\n%s", v, text)
		}
	}
}
