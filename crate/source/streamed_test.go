package source

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"
)

// TestEachMember: members come in their order, and what is skipped is skipped whole.
func TestEachMember(t *testing.T) {
	dec := json.NewDecoder(strings.NewReader(`{"a": {"x": [1, {"y": 2}]}, "b": 3, "c": [[]]} 4`))
	var keys []string
	err := EachMember(dec, func(key string) error {
		keys = append(keys, key)
		return Skip(dec)
	})
	var rest int
	if derr := dec.Decode(&rest); err != nil || derr != nil || strings.Join(keys, "") != "abc" || rest != 4 {
		t.Errorf("%v, %v, %v, %d", keys, err, derr, rest)
	}
	for _, text := range []string{"", "[]", `{"a"`, `{"a": {"b"`, `{"a": 1]`} {
		dec := json.NewDecoder(strings.NewReader(text))
		if err := EachMember(dec, func(string) error { return Skip(dec) }); err == nil {
			t.Errorf("%q is an object", text)
		}
	}
	mine := errors.New("enough")
	dec = json.NewDecoder(strings.NewReader(`{"a": 1, "b": 2}`))
	if err := EachMember(dec, func(string) error { return mine }); err != mine {
		t.Errorf("the error of a member is %v", err)
	}
}
