package source

import (
	"bufio"
	"context"
	"crypto/tls"
	"encoding/pem"
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"merrycrate.example/merry/crate/problem"
)

// TestOneLimitForAllAttempts: a server that sends a little and breaks off, again and again, is given up after one
// limit, and the error says why.
func TestOneLimitForAllAttempts(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes seconds, so the short run leaves it out")
	}
	var asked atomic.Int32
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		w.Header().Set("Content-Length", "1000")
		w.WriteHeader(http.StatusOK)
		for range 1000 {
			if _, err := w.Write([]byte("x")); err != nil {
				return
			}
			w.(http.Flusher).Flush()
			select {
			case <-r.Context().Done():
				return
			case <-time.After(20 * time.Millisecond):
			}
		}
	}))
	defer s.Close()
	c := &Client{Stall: 500 * time.Millisecond, Wait: time.Millisecond}
	_, err := c.Fetch(context.Background(), s.URL, Typed, NewCache(t.TempDir()))
	if err == nil || !strings.Contains(err.Error(), "too slow") || asked.Load() != 1 {
		t.Errorf("%d requests, %v", asked.Load(), err)
	}
}

// TestCauseIsSaid: a server that falls silent is said to be silent; the program's own way of giving up is not shown.
func TestCauseIsSaid(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Length", "1000")
		w.Write([]byte("x"))
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	}))
	defer s.Close()
	c := &Client{Stall: 20 * time.Millisecond, Wait: time.Millisecond}
	_, err := c.Fetch(context.Background(), s.URL, Typed, NewCache(t.TempDir()))
	if err == nil || !strings.Contains(err.Error(), "sent nothing for 20ms") ||
		strings.Contains(err.Error(), "context") {
		t.Errorf("%v", err)
	}
}

// TestRefusalsAreFinal: what Merry itself refuses is asked for once.
func TestRefusalsAreFinal(t *testing.T) {
	var asked atomic.Int32
	to := ""
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		http.Redirect(w, r, to, http.StatusFound)
	})
	plain, secure := httptest.NewServer(handler), httptest.NewTLSServer(handler)
	defer plain.Close()
	defer secure.Close()
	certificate := filepath.Join(t.TempDir(), "authority.pem")
	if err := os.WriteFile(certificate, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE",
		Bytes: secure.Certificate().Raw}), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ from, to, says string }{
		{plain.URL, "ftp://files.example/x", "https addresses only"},
		{plain.URL, "http://files.example/x", "no TLS"},
		{secure.URL, plain.URL, "from TLS to a plain address"},
	} {
		asked.Store(0)
		to = tt.to
		c := &Client{Wait: time.Millisecond, Certificates: certificate}
		_, err := c.Fetch(context.Background(), tt.from, Typed, NewCache(t.TempDir()))
		var refusal *problem.Problem
		if !errors.As(err, &refusal) || !strings.Contains(err.Error(), tt.says) || asked.Load() != 1 {
			t.Errorf("to %s: %d requests, %v", tt.to, asked.Load(), err)
		}
	}
}

// connectProxy is a proxy that opens tunnels (RFC 9110, section 9.3.6) to one server, whatever host is asked for, and
// counts them.
func connectProxy(t *testing.T, server string) (address *url.URL, opened *atomic.Int32) {
	t.Helper()
	opened = new(atomic.Int32)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer in.Close()
				req, err := http.ReadRequest(bufio.NewReader(in))
				if err != nil || req.Method != http.MethodConnect {
					return
				}
				out, err := net.Dial("tcp", server)
				if err != nil {
					return
				}
				defer out.Close()
				opened.Add(1)
				io.WriteString(in, "HTTP/1.1 200 OK\r\n\r\n")
				go io.Copy(out, in)
				io.Copy(in, out)
			}()
		}
	}()
	return &url.URL{Scheme: "http", Host: l.Addr().String()}, opened
}

// TestProxy: a proxy that the environment names works on this machine too, for addresses that were typed and for
// recorded ones. An address of this network that a record names is refused anyway.
func TestProxy(t *testing.T) {
	s := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		io.WriteString(w, "low water")
	}))
	defer s.Close()
	proxy, opened := connectProxy(t, s.Listener.Addr().String())
	fetch := func(address string, from Provenance) (string, error) {
		c := &Client{Wait: time.Millisecond, findProxy: func(*http.Request) (*url.URL, error) { return proxy, nil }}
		h, err := c.client()
		if err != nil {
			t.Fatal(err)
		}
		pool := s.Client().Transport.(*http.Transport).TLSClientConfig.RootCAs
		h.HTTPClient.Transport.(*http.Transport).TLSClientConfig = &tls.Config{RootCAs: pool, ServerName: "example.com"}
		got, err := c.Fetch(context.Background(), address, from, NewCache(t.TempDir()))
		if err != nil {
			return "", err
		}
		defer got.Close()
		b, err := got.Bytes()
		return string(b), err
	}
	for _, from := range []Provenance{Typed, Recorded} {
		if text, err := fetch("https://cdn.harbour.example/tides.js", from); text != "low water" || err != nil {
			t.Errorf("%q, %v", text, err)
		}
	}
	if opened.Load() != 2 {
		t.Errorf("the proxy opened %d tunnels", opened.Load())
	}
	if _, err := fetch("https://10.0.0.7/tides.js", Recorded); err == nil ||
		!strings.Contains(err.Error(), "machine of this network") || opened.Load() != 2 {
		t.Errorf("%d tunnels, %v", opened.Load(), err)
	}
}

// TestTrustedHost: a record may lead into this network where the user named the host.
func TestTrustedHost(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		io.WriteString(w, "low water")
	}))
	defer s.Close()
	for _, trusted := range [][]string{nil, {"127.0.0.1"}} {
		c := &Client{Wait: time.Millisecond, Trusted: trusted}
		got, err := c.Fetch(context.Background(), s.URL, Recorded, NewCache(t.TempDir()))
		if err == nil {
			got.Close()
		}
		if (err == nil) != (trusted != nil) {
			t.Errorf("trusted %v: %v", trusted, err)
		}
	}
}
