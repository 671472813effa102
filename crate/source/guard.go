package source

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"sync"
	"syscall"
	"time"

	"merrycrate.example/merry/crate/problem"
)

// A Provenance says who an address comes from: the user, a record that may be somebody else's, or the answer of a
// server.
type Provenance struct {
	asked    *url.URL // the server that gave it
	recorded bool
	also     []string // hosts that the user set beside the server's
}

// Typed is the whence of an address that the user typed, or set.
var Typed = Provenance{}

// Recorded is the whence of an address that a record of the project has, and that this user never fetched: it must lead
// to no machine of this network.
var Recorded = Provenance{recorded: true}

// answered is the whence of an address in a server's answer. It must be of the same host, or of one that the user set.
func answered(by *url.URL, also []string) Provenance { return Provenance{asked: by, also: also} }

// check refuses an address that its whence does not allow.
func (w Provenance) check(c *Client, u *url.URL) error {
	if w.asked == nil {
		return nil
	}
	switch {
	case w.asked.Scheme == "https" && u.Scheme != "https":
		return refuseAddress(public(u), fmt.Sprintf("%s, which was reached over TLS, names this address, which "+
			"has no TLS", w.asked.Host), "tell the registry's operator")
	case u.Host != w.asked.Host && !slices.Contains(w.also, u.Hostname()) && c.Hosts[u.Hostname()] == "":
		return refuseAddress(public(u), fmt.Sprintf("%s names this address, which is on another host", w.asked.Host),
			fmt.Sprintf("if that registry serves its archives there: merry sources set registry %s://%s "+
				"--archives-on %s", w.asked.Scheme, w.asked.Host, u.Hostname()))
	}
	return nil
}

// redirectCheck follows one request through its redirects: what began outside this network may not end inside it.
type redirectCheck struct {
	recorded bool
	trusted  []string  // hosts that the user named, wherever they are
	proxies  *sync.Map // of hosts and ports: the proxies that the environment names
	first    string    // host and port that were asked first
	inside   *sync.Map // of hosts and ports that connections were made to: whether they are in this network
}

type redirectCheckKey struct{}

func (c *Client) guarded(ctx context.Context, w Provenance, u *url.URL) context.Context {
	return context.WithValue(ctx, redirectCheckKey{}, &redirectCheck{recorded: w.recorded, trusted: c.Trusted,
		proxies: &c.proxies, first: hostPort(u), inside: &c.inside})
}

func hostPort(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443", "socks5": "1080", "socks5h": "1080"}[u.Scheme]
	}
	return net.JoinHostPort(u.Hostname(), port)
}

// dial connects to an address; the user's settings may say where a host is.
func (c *Client) dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := net.Dialer{Timeout: 15 * time.Second}
	if host, _, err := net.SplitHostPort(address); err == nil && c.Hosts[host] != "" {
		return d.DialContext(ctx, network, c.Hosts[host])
	}
	g, _ := ctx.Value(redirectCheckKey{}).(*redirectCheck)
	_, proxy := c.proxies.Load(address)
	if g != nil && !proxy {
		d.Control = func(_, to string, _ syscall.RawConn) error { return g.allow(address, to) }
	}
	return d.DialContext(ctx, network, address)
}

// proxy returns the proxy that the environment names for a request (HTTPS_PROXY, HTTP_PROXY, NO_PROXY), nil if there is
// none. The user chose it, so it may be on this machine or in this network. It looks names up itself: of where a
// request ends, only an address without a name can be judged here.
func (c *Client) proxy(req *http.Request) (*url.URL, error) {
	if c.Hosts[req.URL.Hostname()] != "" {
		return nil, nil // the settings say where it is
	}
	find := c.findProxy
	if find == nil {
		find = http.ProxyFromEnvironment
	}
	proxy, err := find(req)
	if err != nil {
		return nil, problem.Misuse("write it as http://HOST:PORT", "the proxy in HTTPS_PROXY or HTTP_PROXY is not "+
			"an address")
	}
	if proxy == nil {
		return nil, nil
	}
	c.proxies.Store(hostPort(proxy), true)
	if g, _ := req.Context().Value(redirectCheckKey{}).(*redirectCheck); g != nil {
		asked := hostPort(req.URL)
		if err := g.allow(asked, asked); err != nil {
			return nil, err
		}
	}
	return proxy, nil
}

// allow is asked when a host's name was looked up, before the connection is made.
func (g *redirectCheck) allow(asked, to string) error {
	at, err := netip.ParseAddrPort(to)
	if err != nil {
		return nil
	}
	ip := at.Addr().Unmap()
	inside := ip.IsLoopback() || ip.IsPrivate() || ip.IsLinkLocalUnicast() || ip.IsUnspecified() || ip.IsMulticast()
	_, firstInside := g.inside.Load(g.first)
	switch {
	case !inside:
		return nil
	case asked == g.first && !g.recorded:
		g.inside.Store(asked, true)
		return nil
	case asked == g.first && slices.Contains(g.trusted, hostOf(asked)):
		g.inside.Store(asked, true)
		return nil
	case firstInside && asked != g.first:
		return nil // what began in this network, as the user wanted, may go on in it
	case asked == g.first:
		return problem.Refuse(problem.SourceRefused, "if you trust it, fetch it once yourself: merry peek ADDRESS",
			"%s is refused: a record of the project leads to a machine of this network (%s) that you never used", asked,
			ip)
	}
	return problem.Refuse(problem.SourceRefused, "tell that server's operator", "%s is refused: %s redirects there, "+
		"and it is a machine of this network (%s)", asked, g.first, ip)
}

func hostOf(hostPort string) string {
	host, _, _ := net.SplitHostPort(hostPort)
	return host
}

// A server may be slow, but not without end: beyond ten times the patience for silence, it must have sent so many bytes
// a second on average.
const slowest = 10_000

// untilTooSlow returns a context that ends when a server has taken too long for what it sent. Got is asked for the
// bytes so far.
func (c *Client) untilTooSlow(ctx context.Context, host string, got func() int64) (limited context.Context,
	end func()) {
	limited, cancel := context.WithCancelCause(ctx)
	begun := time.Now()
	go func() {
		tick := time.NewTicker(max(c.stall()/2, 10*time.Millisecond))
		defer tick.Stop()
		for {
			select {
			case <-limited.Done():
				return
			case <-tick.C:
				if spent := time.Since(begun) - 10*c.stall(); spent > 0 && float64(got()) < spent.Seconds()*slowest {
					cancel(&stalled{fmt.Sprintf("%s is too slow: %d bytes in %v", host, got(),
						time.Since(begun).Round(time.Millisecond))})
					return
				}
			}
		}
	}()
	return limited, func() { cancel(nil) }
}

// patient is the pause before a server is asked again: what it asks for, if that is no more than a little.
func (c *Client) patient(low, high time.Duration, attempt int, resp *http.Response) time.Duration {
	pause := min(low<<attempt, high)
	if resp != nil {
		pause = max(pause, min(retryAfter(resp), high))
	}
	return pause
}

// retryAfter reads a server's wish (RFC 9110, section 10.2.3), 0 if it has none.
func retryAfter(resp *http.Response) time.Duration {
	field := resp.Header.Get("Retry-After")
	if n, err := time.ParseDuration(field + "s"); err == nil && n > 0 {
		return n
	}
	if at, err := http.ParseTime(field); err == nil {
		return time.Until(at)
	}
	if field != "" && len(field) > 9 {
		return 1<<63 - 1 // digits without end
	}
	return 0
}
