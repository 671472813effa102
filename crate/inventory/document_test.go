package inventory

import (
	"encoding/json"
	"strings"
	"testing"
	"time"
)

// TestBomIsTheSameEachTime: the same crate at the same time gives the same document, with the same serial number.
func TestBomIsTheSameEachTime(t *testing.T) {
	b := &Bill{Site: "site", Libraries: []BillLine{{Name: "oarlock", Version: "2.0.3", Licence: "MIT",
		Digest: "sha384-AAAA", Needs: []string{"brinework", "nobody"}}, {Name: "brinework", Version: "1.2.0",
		Licence: "the sea's own"}}}
	made := time.Date(2026, 11, 30, 8, 0, 0, 0, time.UTC)
	one, err := json.Marshal(b.Document(made, "9.9"))
	if err != nil {
		t.Fatal(err)
	}
	two, _ := json.Marshal(b.Document(made, "9.9"))
	if string(one) != string(two) {
		t.Errorf("the bill changes by itself:\n%s\n%s", one, two)
	}
	if later := b.Document(made.Add(time.Hour), "9.9"); later.SerialNumber == b.Document(made, "9.9").SerialNumber {
		t.Error("two documents have one serial number")
	}
	for _, want := range []string{`"content":"000000"`, `"timestamp":"2026-11-30T08:00:00Z"`,
		`"serialNumber":"urn:uuid:`, `"tools":{"components":[{"type":"application","name":"merry","version":"9.9"}]}`,
		`{"license":{"id":"MIT"}}`,
		`{"license":{"name":"the sea's own"}}`, `"dependsOn":["brinework@1.2.0"]`,
		`"dependsOn":["oarlock@2.0.3","brinework@1.2.0"]`} {
		if !strings.Contains(string(one), want) {
			t.Errorf("the bill lacks %s:\n%s", want, one)
		}
	}
}
