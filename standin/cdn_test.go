package standin

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
)

// ask asks the CDN under one of its names, in plain or over TLS.
func ask(t *testing.T, c *CDN, address string) (int, http.Header, string) {
	t.Helper()
	roots := x509.NewCertPool()
	if !roots.AppendCertsFromPEM(c.Certificate) {
		t.Fatal("the certificate is none")
	}
	host, path, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(address, "https://"), "http://"), "/")
	scheme, at := "http", c.Addr
	if strings.HasPrefix(address, "https:") {
		scheme, at = "https", c.Secure
	}
	req, err := http.NewRequest("GET", fmt.Sprintf("%s://%s/%s", scheme, at, path), nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Host = host
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots, ServerName: host}}}
	resp, err := client.Do(req)
	if err != nil {
		return 0, nil, err.Error()
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		return 0, nil, err.Error()
	}
	return resp.StatusCode, resp.Header, string(b)
}

func TestCDNHabits(t *testing.T) {
	c, err := NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	const file = "/lib/oarlock/2.0.3/dist/oarlock.min.js"
	status, header, sound := ask(t, c, "http://cdn.harbour.example"+file)
	if status != 200 || header.Get("Access-Control-Allow-Origin") != "*" ||
		header.Get("Content-Type") != "text/javascript" {
		t.Fatalf("%d %v", status, header)
	}
	for address, same := range map[string]bool{
		"https://cdn.harbour.example" + file:                              true,
		"https://short.harbour.example/oarlock@2.0.3/oarlock.min.js":      true,
		"https://named.harbour.example/oarlock-2.0.3.min.js":              true,
		"https://named.harbour.example/oarlock/oarlock.min.js?v=2.0.3":    true,
		"https://bare.harbour.example" + file:                             true,
		"https://rewrites.harbour.example" + file:                         false,
		"https://other.harbour.example" + file:                            false,
		"https://named.harbour.example/oarlock/oarlock.min.js?v=9.9.9":    false,
		"https://cdn.harbour.example/lib/oarlock/9.9.9/dist/oarlock.js":   false,
		"https://down.harbour.example" + file:                             false,
		"https://cdn.harbour.example/lib/@gull/pennants/1.1.0/nothing.js": false,
	} {
		if _, _, body := ask(t, c, address); (body == sound) != same {
			t.Errorf("%s gives the same bytes: %v", address, body == sound)
		}
	}
	if _, header, _ := ask(t, c, "http://bare.harbour.example"+file); header.Get("Access-Control-Allow-Origin") != "" {
		t.Error("the bare host sends CORS headers")
	}
	_, _, one := ask(t, c, "http://cdn.harbour.example/latest/quickbrine.js")
	_, _, two := ask(t, c, "http://cdn.harbour.example/latest/quickbrine.js")
	if one == two || !strings.Contains(one, "quickbrine") {
		t.Error("what has no version gives the same bytes twice")
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	if _, _, body := ask(t, c, "http://cdn.harbour.example"+file); body == sound || len(body) != len(sound) {
		t.Error("a spoilt file is sound")
	}
	c.Down()
	if status, _, _ := ask(t, c, "http://cdn.harbour.example"+file); status != 0 {
		t.Error("a CDN that is down answers")
	}
}
