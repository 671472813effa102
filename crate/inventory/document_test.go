package inventory

import (
	"encoding/json"
	"strings"
	"testing"
)

// TestBomIsTheSameEachTime: the document says nothing of when it was made.
func TestBomIsTheSameEachTime(t *testing.T) {
	b := &Bill{Site: "site", Libraries: []BillLine{{Name: "oarlock", Version: "2.0.3", Licence: "MIT",
		Digest: "sha384-AAAA", Needs: []string{"brinework", "nobody"}}, {Name: "brinework", Version: "1.2.0",
		Licence: "the sea's own"}}}
	one, err := json.Marshal(b.Document())
	if err != nil {
		t.Fatal(err)
	}
	two, _ := json.Marshal(b.Document())
	if string(one) != string(two) || strings.Contains(string(one), "timestamp") ||
		strings.Contains(string(one), "serialNumber") {
		t.Errorf("the bill changes by itself:\n%s\n%s", one, two)
	}
	for _, want := range []string{`"content":"000000"`, `{"license":{"id":"MIT"}}`,
		`{"license":{"name":"the sea's own"}}`, `"dependsOn":["brinework@1.2.0"]`,
		`"dependsOn":["oarlock@2.0.3","brinework@1.2.0"]`} {
		if !strings.Contains(string(one), want) {
			t.Errorf("the bill lacks %s:\n%s", want, one)
		}
	}
}
