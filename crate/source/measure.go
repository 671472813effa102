package source

import (
	"context"
	"crypto/tls"
	"io"
	"net/http"
	"net/http/httptrace"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Measured is how a host answered a few requests for one of its addresses.
type Measured struct {
	Host       string `json:"host"`                 // the host
	Address    string `json:"address"`              // one address at the host
	Status     int    `json:"status,omitempty"`     // HTTP status
	Protocol   string `json:"protocol,omitempty"`   // HTTP/1.1, HTTP/2.0
	Offers     string `json:"offers,omitempty"`     // what it offers beside: h3 (RFC 7838)
	Compressed string `json:"compressed,omitempty"` // the coding in which it came (RFC 9110, section 8.4)
	Wire       int64  `json:"wire,omitempty"`       // bytes as they came
	Caching    string `json:"caching,omitempty"`    // the Cache-Control header (RFC 9111, section 5.2)
	// whom it lets read its bytes: without that no integrity can be checked
	CORS    string `json:"cors,omitempty"`
	Connect int64  `json:"connect_ms"` // until the connection stood, with TLS
	// from a request to its first byte, the median of those on an open connection
	First   int64  `json:"first_byte_ms"`
	Failure string `json:"failure,omitempty"` // why it did not answer
}

// Measure asks an address a few times, one after the other on one connection as a browser would, and tells how it
// answered. Nothing of it is kept.
func (c *Client) Measure(ctx context.Context, address string, times int) Measured {
	m := Measured{Address: address}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		m.Failure = "it is not an address that merry can fetch"
		return m
	}
	m.Host = u.Host
	h, err := c.client()
	if err == nil {
		err = c.allowed(u)
	}
	if err != nil {
		m.Failure = err.Error()
		return m
	}
	// a connection of its own, and the newer protocol where the host has it
	own := h.HTTPClient.Transport.(*http.Transport).Clone()
	own.ForceAttemptHTTP2 = true
	defer own.CloseIdleConnections()
	client := &http.Client{Transport: own, CheckRedirect: h.HTTPClient.CheckRedirect}
	ctx, cancel := context.WithTimeout(c.guarded(ctx, Recorded, u), c.stall())
	defer cancel()
	var firsts []time.Duration
	for n := range times {
		first, err := m.once(ctx, client, n == 0)
		if err != nil {
			m.Failure = faultWords(u.Hostname(), err)
			return m
		}
		firsts = append(firsts, first)
	}
	if len(firsts) > 1 {
		firsts = firsts[1:] // the first one includes what a new connection costs
	}
	slices.Sort(firsts)
	m.First = firsts[len(firsts)/2].Milliseconds()
	return m
}

// once asks once, and returns how long the first byte took.
func (m *Measured) once(ctx context.Context, client *http.Client, first bool) (time.Duration, error) {
	begun := time.Now()
	var got time.Time
	trace := &httptrace.ClientTrace{GotFirstResponseByte: func() { got = time.Now() }}
	if first {
		trace.GotConn = func(httptrace.GotConnInfo) { m.Connect = time.Since(begun).Milliseconds() }
		trace.TLSHandshakeDone = func(tls.ConnectionState, error) { m.Connect = time.Since(begun).Milliseconds() }
	}
	req, err := http.NewRequestWithContext(httptrace.WithClientTrace(ctx, trace), http.MethodGet, m.Address, nil)
	if err != nil {
		return 0, err
	}
	req.Header.Set("User-Agent", "merry")
	req.Header.Set("Accept-Encoding", "br, gzip, zstd")
	req.Header.Set("Origin", "https://club.example")
	resp, err := client.Do(req)
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	m.Wire, err = io.Copy(io.Discard, io.LimitReader(resp.Body, DefaultMaxSize))
	if err != nil {
		return 0, err
	}
	m.Status, m.Protocol, m.Compressed = resp.StatusCode, resp.Proto, resp.Header.Get("Content-Encoding")
	m.Caching, m.CORS = resp.Header.Get("Cache-Control"), resp.Header.Get("Access-Control-Allow-Origin")
	if strings.Contains(resp.Header.Get("Alt-Svc"), "h3") {
		m.Offers = "h3"
	}
	return got.Sub(begun), nil
}
