package offered

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
		if got := strings.Join(slices.Collect(Attributes([]byte(text))), " "); got != want {
			t.Errorf("%.60q has %q, not %q", text, got, want)
		}
	}
	for name := range Attributes([]byte("data-a data-b")) {
		if name != "data-a" {
			t.Error("it goes on after the end")
		}
		break
	}
}
