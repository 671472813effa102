package upgrade

import (
	"slices"
	"strings"
	"testing"
)

// TestAttributes: names of data attributes are read as whole words, wherever they stand.
func TestAttributes(t *testing.T) {
	for text, want := range map[string]string{
		`$("[data-bw-open]").attr('data-tide')`:        "data-bw-open data-tide",
		`metadata-x my-data-y _data-z Xdata-q data-`:   "data-y",
		`data-1 data-A data-a1-b2 (data-c)`:            "data-a1-b2 data-c",
		`data-data-x`:                                  "data-data-x",
		"data-end":                                     "data-end",
		strings.Repeat("x", 4096) + " data-far " + "y": "data-far",
		"": "",
	} {
		if got := strings.Join(slices.Collect(attributes([]byte(text))), " "); got != want {
			t.Errorf("%.60q has %q, not %q", text, got, want)
		}
	}
	for name := range attributes([]byte("data-a data-b")) {
		if name != "data-a" {
			t.Error("it goes on after the end")
		}
		break
	}
}

// TestWarns: lines in which makers speak of what is no more to be used are known in small letters and capitals.
func TestWarns(t *testing.T) {
	for line, want := range map[string]bool{
		"console.warn('pull is deprecated')": true, "// DEPRECATED: use row": true, "Renamed to row": true,
		"use row instead": true, "pull is now called row": true,
		"var prevent = stand;": false, "instance.of(x)": false, "": false,
	} {
		if warns(line) != want {
			t.Errorf("%q warns: %v", line, !want)
		}
	}
}
