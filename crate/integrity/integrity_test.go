package integrity

import (
	"strings"
	"testing"
)

// The empty text's digests are known from FIPS 180-4's examples.
const empty256 = "sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU="

func TestMatch(t *testing.T) {
	if got := Sum("sha256", nil); got != empty256 {
		t.Fatalf("sha256 of nothing: %s", got)
	}
	other := Of([]byte("other"))
	tests := []struct {
		value string
		ok    bool
	}{
		{empty256, true},
		{"  " + empty256 + "?opt ", true},
		{empty256 + " " + Of(nil), true},
		{empty256 + " " + other, false}, // the stronger one counts, and is wrong
		{other + " " + Of(nil), true},   // of several equally strong ones, any
		{Of([]byte("x")), false},
		{"md5-abc " + Of(nil), true},
		{strings.TrimRight(empty256, "="), true}, // padding may be missing
		{"sha256-" + strings.NewReplacer("+", "-", "/", "_").Replace(empty256[7:]), true}, // the other alphabet
		{Of(nil)[:40], false},            // what was cut off is no hash of anything
		{"sha512-abc " + Of(nil), false}, // and still the strongest
		{"SHA512-abc " + Of(nil), true},  // names of algorithms are in small letters
	}
	for _, tt := range tests {
		m, err := Parse(tt.value)
		if err != nil {
			t.Errorf("%s: %v", tt.value, err)
		} else if m.Match(nil) != tt.ok {
			t.Errorf("%s: match is %v", tt.value, !tt.ok)
		}
	}
	for _, bad := range []string{"", "md5-abc", "sha256", "sha256-", "SHA384-" + Of(nil)[7:], "sha384-a*b"} {
		if m, err := Parse(bad); err == nil {
			t.Errorf("%q was read as %v", bad, m)
		}
	}
}
