package standin

import (
	"bytes"
	"crypto/sha512"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"testing"

	"merrycrate.example/merry/demo"
)

func get(t *testing.T, url, host string, headers map[string]string) (*http.Response, []byte) {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, url, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Host = host
	for k, v := range headers {
		req.Header.Set(k, v)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	b, _ := io.ReadAll(resp.Body)
	return resp, b
}

// TestRegistryKeepsItsWord: the digests in the documents are those of the tarballs.
func TestRegistryKeepsItsWord(t *testing.T) {
	r, err := NewRegistry()
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	for library := range demo.Published() {
		name := demo.PackageName(library)
		resp, b := get(t, r.URL+"/"+name, "", nil)
		var doc struct {
			Name     string
			Tags     map[string]string `json:"dist-tags"`
			Versions map[string]struct {
				Dist struct{ Tarball, Integrity string }
			}
			Time map[string]string
		}
		if err := json.Unmarshal(b, &doc); err != nil || doc.Name != name ||
			doc.Versions[doc.Tags["latest"]].Dist.Tarball == "" || len(doc.Time) != len(doc.Versions) {
			t.Fatalf("%s: %v\n%s", name, err, b)
		}
		for v, d := range doc.Versions {
			_, tarball := get(t, d.Dist.Tarball, "", nil)
			sum := sha512.Sum512(tarball)
			if d.Dist.Integrity != "sha512-"+base64.StdEncoding.EncodeToString(sum[:]) {
				t.Errorf("%s %s: the digest is not the tarball's", name, v)
			}
		}
		again, _ := get(t, r.URL+"/"+name, "", map[string]string{"If-None-Match": resp.Header.Get("ETag")})
		if again.StatusCode != http.StatusNotModified {
			t.Errorf("%s: asked with its ETag it answers %d", name, again.StatusCode)
		}
		_, short := get(t, r.URL+"/"+name, "", map[string]string{"Accept": "application/vnd.npm.install-v1+json"})
		if len(short) >= len(b) || bytes.Contains(short, []byte(`"time"`)) {
			t.Errorf("%s: the short document is not short", name)
		}
	}
	if resp, _ := get(t, r.URL+"/nothing", "", nil); resp.StatusCode != 404 {
		t.Errorf("a package that there is not: %d", resp.StatusCode)
	}
	r.Demand("x")
	if resp, _ := get(t, r.URL+"/@gull%2fpennants", "", nil); resp.StatusCode != 401 {
		t.Errorf("without the token: %d", resp.StatusCode)
	}
	if resp, _ := get(t, r.URL+"/@gull%2fpennants", "",
		map[string]string{"Authorization": "Bearer x"}); resp.StatusCode != 200 {
		t.Errorf("with the token: %d", resp.StatusCode)
	}
}

func TestCDNHosts(t *testing.T) {
	c, err := NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	files, err := demo.Library("oarlock", "2.0.3")
	if err != nil {
		t.Fatal(err)
	}
	want := files["dist/oarlock.min.js"]
	for _, tt := range []struct {
		host, path string
		same, cors bool
	}{
		{"cdn.harbour.example", "/lib/oarlock/2.0.3/dist/oarlock.min.js", true, true},
		{"short.harbour.example", "/oarlock@2.0.3/oarlock.min.js", true, true},
		{"bare.harbour.example", "/lib/oarlock/2.0.3/dist/oarlock.min.js", true, false},
		{"rewrites.harbour.example", "/lib/oarlock/2.0.3/dist/oarlock.min.js", false, true},
		{"other.harbour.example", "/lib/oarlock/2.0.3/dist/oarlock.min.js", false, true},
	} {
		resp, b := get(t, "http://"+c.Addr+tt.path, tt.host, nil)
		if resp.StatusCode != 200 || bytes.Equal(b, want) != tt.same ||
			(resp.Header.Get("Access-Control-Allow-Origin") != "") != tt.cors {
			t.Errorf("%s%s: %d, %d bytes, %v", tt.host, tt.path, resp.StatusCode, len(b), resp.Header)
		}
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	if _, b := get(t, "http://"+c.Addr+"/lib/oarlock/2.0.3/dist/oarlock.min.js", Hosts[0], nil); bytes.Equal(b, want) ||
		len(b) != len(want) {
		t.Error("a spoilt file is not spoilt")
	}
	c.Down()
	if _, err := http.Get("http://" + c.Addr + "/lib/oarlock/2.0.3/dist/oarlock.min.js"); err == nil {
		t.Error("a CDN that is down answers")
	}
}
