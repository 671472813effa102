package source

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/url"
	"os"
	"path"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// A Client fetches over HTTP (RFC 9110), with the patience and the suspicion that a download needs.
type Client struct {
	// Progress, where set, is reported how far a fetch is. Total is -1 where the server does not say.
	Progress func(name string, done, total int64)
	// AllowPlain allows addresses without TLS that are not on this machine.
	AllowPlain bool
	// MaxSize is the largest body that is taken, 0 for DefaultMaxSize.
	MaxSize int64
	// Stall is how long a body may send nothing, 0 for half a minute.
	Stall time.Duration
	// Certificates is a file of more certificate authorities to trust, in PEM.
	Certificates string
	// Hosts says where hosts are, past the machine's own resolver: a name to an address with its port.
	Hosts map[string]string
	// Wait is the first pause before a retry, 0 for half a second. It doubles from one to the next.
	Wait time.Duration

	// Trusted are hosts that the user named as their own: records may lead to them, in this network too.
	Trusted []string

	findProxy func(*http.Request) (*url.URL, error) // nil asks the environment
	proxies   sync.Map                              // of hosts and ports
	inside    sync.Map                              // of hosts and ports: those in this network that the user asked
	once      sync.Once
	http      *retryablehttp.Client
	httpErr   error
}

// tooLarge is what to do about a download over the limit.
const tooLarge = "download it yourself, and name the file"

// DefaultMaxSize is the largest download.
const DefaultMaxSize = 1 << 30

const (
	attempts     = 4
	maxRedirects = 10
)

// ErrOffline is returned where a fetch would be needed and is not allowed.
var ErrOffline = errors.New("offline")

func (c *Client) client() (*retryablehttp.Client, error) {
	c.once.Do(func() { c.http, c.httpErr = c.newClient() })
	return c.http, c.httpErr
}

func (c *Client) newClient() (*retryablehttp.Client, error) {
	var tlsConfig *tls.Config
	if c.Certificates != "" {
		pem, err := os.ReadFile(c.Certificates)
		if err != nil {
			return nil, problem.Refuse(problem.SettingsBad, "set a readable file of certificates: merry sources set "+
				"certificates FILE", "the certificates of your settings can't be read: %w", err)
		}
		pool, err := x509.SystemCertPool()
		if err != nil {
			pool = x509.NewCertPool()
		}
		if !pool.AppendCertsFromPEM(pem) {
			return nil, problem.Refuse(problem.SettingsBad, "set a readable file of certificates: merry sources set "+
				"certificates FILE", "%s has no certificate in PEM form", c.Certificates)
		}
		tlsConfig = &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}
	}
	h := retryablehttp.NewClient()
	h.Logger = nil
	h.RetryMax = attempts - 1
	h.RetryWaitMin = c.wait()
	h.RetryWaitMax = min(20*time.Second, c.stall())
	h.Backoff = c.patient
	h.HTTPClient = &http.Client{
		Transport: &http.Transport{
			Proxy:                 c.proxy,
			DialContext:           c.dial,
			TLSHandshakeTimeout:   15 * time.Second,
			ResponseHeaderTimeout: c.stall(),
			MaxIdleConnsPerHost:   32,
			DisableCompression:    true, // what is hashed is what was sent
			TLSClientConfig:       tlsConfig,
		},
		CheckRedirect: func(req *http.Request, via []*http.Request) error {
			if len(via) >= maxRedirects {
				return unanswered(public(via[0].URL), 0, fmt.Sprintf("it redirects in a circle: %d redirects, "+
					"and no end", maxRedirects))
			}
			if via[0].URL.Scheme == "https" && req.URL.Scheme != "https" {
				return refuseAddress(public(via[0].URL), "it redirects from TLS to a plain address, "+public(req.URL),
					"tell that server's operator")
			}
			if req.URL.Host != via[0].URL.Host {
				req.Header.Del("Authorization") // credentials are for the host they were given for
			}
			return c.allowed(req.URL)
		},
	}
	h.ErrorHandler = retryablehttp.PassthroughErrorHandler
	retry := h.CheckRetry
	h.CheckRetry = func(ctx context.Context, resp *http.Response, err error) (bool, error) {
		var refusal *problem.Problem
		if errors.As(err, &refusal) {
			return false, err // it is ours, and would be the same again
		}
		if resp != nil && retryAfter(resp) > h.RetryWaitMax {
			return false, nil // it is reported what the server asks for
		}
		return retry(ctx, resp, err)
	}
	return h, nil
}

func (c *Client) wait() time.Duration {
	if c.Wait > 0 {
		return c.Wait
	}
	return 500 * time.Millisecond
}

func (c *Client) stall() time.Duration {
	if c.Stall > 0 {
		return c.Stall
	}
	return 30 * time.Second
}

// IsAddress reports whether a source is an address rather than a path or a name.
func IsAddress(s string) bool {
	return strings.HasPrefix(s, "https://") || strings.HasPrefix(s, "http://")
}

// public is an address as it may be shown: without credentials.
func public(u *url.URL) string {
	address, _ := cdn.WithoutSecrets(u.String())
	return address
}

// RefuseUser refuses an address that names a user, a password or a token: it would stand in records and answers.
func RefuseUser(address string) error {
	if !cdn.NamesUser(address) {
		return nil
	}
	without, _ := cdn.WithoutSecrets(address)
	return problem.Misuse("leave it out; for a registry, name the variable that holds the token: merry sources set "+
		"registry "+texts.Word(registryOf(without))+" --token-from GULL_TOKEN",
		"the address of %s contains a user name, a password or a token, which would be stored", texts.Text(without))
}

// registryOf is the scheme and host of an address.
func registryOf(address string) string {
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		return u.Scheme + "://" + u.Host
	}
	return address
}

// allowed refuses addresses that anybody on the way could answer, and those that name a user.
func (c *Client) allowed(u *url.URL) error {
	if u.User != nil {
		return RefuseUser(u.String())
	}
	switch u.Scheme {
	case "https":
		return nil
	case "http":
		if host, _, err := net.SplitHostPort(c.Hosts[u.Hostname()]); err == nil && loopback(host) {
			return nil
		}
		if c.AllowPlain || loopback(u.Hostname()) {
			return nil
		}
		return refuseAddress(public(u), "the address has no TLS, so anyone on the network could answer instead of "+
			"the server", "use https, or add --plain if the site has no https")
	}
	return refuseAddress(public(u), "merry fetches from https addresses only", "download it yourself, and "+
		"name the file")
}

func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// Fetched is a download on disk. Its owner ends it with Close.
type Fetched struct {
	File *os.File
	Size int64
	Name string // as the server or the address calls it

	cache *Cache
	name  string // of the file in the cache

	received atomic.Int64 // bytes, in all attempts
}

// Close removes the download, unless the cache took it over.
func (f *Fetched) Close() {
	f.File.Close()
	f.cache.remove(f.name)
}

// Hash returns the download's integrity strings by the given algorithms, in one reading.
func (f *Fetched) Hash(algorithms ...string) (map[string]string, error) {
	return integrity.OfReader(io.NewSectionReader(f.File, 0, f.Size), algorithms...)
}

// Bytes returns the download's content.
func (f *Fetched) Bytes() ([]byte, error) {
	b := make([]byte, f.Size)
	if _, err := f.File.ReadAt(b, 0); err != nil && err != io.EOF {
		return nil, err
	}
	return b, nil
}

// Fetch downloads an address into a temporary file of the cache. A body that is cut off is asked for again
// from where it ended, where the server can do that.
func (c *Client) Fetch(ctx context.Context, address string, from Provenance, cache *Cache) (*Fetched, error) {
	return c.fetch(ctx, address, from, "", cache)
}

func (c *Client) fetch(ctx context.Context, address string, from Provenance, token string, cache *Cache) (*Fetched,
	error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		address, _ = cdn.WithoutSecrets(address)
		return nil, refuseAddress(address, "it is not an address that merry can fetch", "write it as https://HOST/PATH")
	}
	if err := c.allowed(u); err != nil {
		return nil, err
	}
	if err := from.check(c, u); err != nil {
		return nil, err
	}
	ctx = c.guarded(ctx, from, u)
	got := &Fetched{Name: baseName(u.Path), cache: cache}
	ctx, end := c.untilTooSlow(ctx, u.Hostname(), got.received.Load) // for all attempts together
	defer end()
	f, name, err := cache.newFile()
	if err != nil {
		return nil, err
	}
	got.File, got.name = f, name
	if err := c.fill(ctx, u, token, got); err != nil {
		got.Close()
		return nil, err
	}
	return got, nil
}

func (c *Client) fill(ctx context.Context, u *url.URL, token string, got *Fetched) error {
	most := c.MaxSize
	if most == 0 {
		most = DefaultMaxSize
	}
	validator := ""
	var last error
	for attempt := range attempts {
		if attempt > 0 {
			select {
			case <-ctx.Done():
				return c.given(ctx, u)
			case <-time.After(c.wait() << (attempt - 1)):
			}
		}
		done, err := c.part(ctx, u, token, got, &validator, most)
		if done || err != nil && !retryable(err) {
			return err
		}
		last = err
	}
	return unanswered(public(u), 0, fmt.Sprintf("the connection was cut off %d times; the last time: %v", attempts,
		last))
}

// given is the error of a context that ended: the user's own, or the reason for which a fetch was given up.
func (c *Client) given(ctx context.Context, u *url.URL) error {
	if cause := context.Cause(ctx); errors.As(cause, new(*stalled)) {
		return unanswered(public(u), 0, cause.Error())
	}
	return ctx.Err()
}

// stalled is the reason for giving a server up that is silent or too slow.
type stalled struct{ reason string }

func (s *stalled) Error() string { return s.reason }

// A FetchError is a fault outside: a server or the network.
type FetchError struct {
	URL    string
	Status int
	Reason string
}

// Error says what went wrong, and where.
func (e *FetchError) Error() string {
	return fmt.Sprintf("%s: %s", texts.Text(e.URL), texts.Text(e.Reason))
}

// unanswered makes the error of a server that did not give what it was asked for.
func unanswered(address string, status int, reason string) error {
	next := "check the address and the network, then the same command again"
	if status >= 500 || status == http.StatusTooManyRequests {
		next = "the same command again, a little later"
	}
	return problem.Fault(problem.Unanswered, next, "%w", &FetchError{URL: address, Status: status, Reason: reason})
}

type cutOff struct{ error }

func retryable(err error) bool {
	var c cutOff
	return errors.As(err, &c)
}

// part asks once, for the whole or for what is missing, and says whether the file is complete.
func (c *Client) part(ctx context.Context, u *url.URL, token string, got *Fetched, validator *string, most int64) (bool,
	error) {
	asked := ctx
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	req, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return false, err
	}
	req.Header.Set("User-Agent", "merry")
	if got.Size > 0 && *validator != "" {
		req.Header.Set("Range", fmt.Sprintf("bytes=%d-", got.Size))
		req.Header.Set("If-Range", *validator) // RFC 9110, section 13.1.5
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	h, err := c.client()
	if err != nil {
		return false, err
	}
	resp, err := h.Do(req)
	if err != nil {
		if asked.Err() != nil {
			return false, c.given(asked, u)
		}
		return false, fetchError(asked, u, err)
	}
	defer resp.Body.Close()
	switch {
	case resp.StatusCode == http.StatusPartialContent && got.Size > 0 &&
		strings.HasPrefix(resp.Header.Get("Content-Range"), fmt.Sprintf("bytes %d-", got.Size)):
	case resp.StatusCode == http.StatusOK:
		if err := got.File.Truncate(0); err != nil {
			return false, err
		}
		got.Size = 0
	default:
		return false, unanswered(public(u), resp.StatusCode, statusWords(resp.StatusCode))
	}
	if v := resp.Header.Get("ETag"); strings.HasPrefix(v, `"`) {
		*validator = v
	} else {
		*validator = resp.Header.Get("Last-Modified")
	}
	if name := dispositionName(resp.Header.Get("Content-Disposition")); name != "" {
		got.Name = name
	} else if final := baseName(resp.Request.URL.Path); final != "" && path.Ext(got.Name) == "" {
		got.Name = final
	}
	total := int64(-1)
	if resp.ContentLength >= 0 {
		total = got.Size + resp.ContentLength
	}
	if total > most {
		return false, refuseAddress(public(u), fmt.Sprintf("it has %d bytes; the limit is %d", total, most), tooLarge)
	}
	timer := time.AfterFunc(c.stall(), func() {
		cancel(&stalled{fmt.Sprintf("%s sent nothing for %v", u.Hostname(), c.stall())})
	})
	defer timer.Stop()
	in := &timedReader{resp.Body, func() { timer.Reset(c.stall()) }}
	return c.body(asked, ctx, in, u, got, total, most)
}

// timedReader calls a function after each read.
type timedReader struct {
	io.Reader
	after func()
}

func (r *timedReader) Read(b []byte) (int, error) {
	n, err := r.Reader.Read(b)
	r.after()
	return n, err
}

// body takes an answer's body, and says whether the file is complete with it. All is the context of all attempts
// together, and this that of this attempt.
func (c *Client) body(all, this context.Context, in io.Reader, u *url.URL, got *Fetched, total, most int64) (bool,
	error) {
	buf := make([]byte, 128<<10)
	for {
		n, err := in.Read(buf)
		if n > 0 {
			if got.Size+int64(n) > most {
				return false, refuseAddress(public(u), fmt.Sprintf("it is longer than %d bytes, the limit", most),
					tooLarge)
			}
			if _, err := got.File.WriteAt(buf[:n], got.Size); err != nil {
				return false, err
			}
			got.Size += int64(n)
			got.received.Add(int64(n))
			if c.Progress != nil {
				c.Progress(got.Name, got.Size, total)
			}
		}
		switch {
		case err == io.EOF && (total < 0 || got.Size == total):
			return true, nil
		case err == io.EOF:
			return false, cutOff{errors.New("the answer was shorter than announced")}
		case all.Err() != nil:
			return false, c.given(all, u)
		case this.Err() != nil:
			return false, cutOff{context.Cause(this)}
		case err != nil:
			return false, cutOff{errors.New(faultWords(u.Hostname(), err))}
		}
	}
}

// fetchError tells what went wrong with a request: a refusal stays one, and so does a cancelled context.
func fetchError(ctx context.Context, u *url.URL, err error) error {
	var p *problem.Problem
	if errors.As(err, &p) {
		return p
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var ue *url.Error
	if errors.As(err, &ue) {
		err = ue.Err
	}
	return unanswered(public(u), 0, faultWords(u.Hostname(), err))
}

// faultWords says plainly why a host could not be reached.
func faultWords(host string, err error) string {
	var dns *net.DNSError
	var unknown x509.UnknownAuthorityError
	var wrong x509.HostnameError
	var timeout interface{ Timeout() bool }
	var plain tls.RecordHeaderError
	var op *net.OpError
	switch {
	case errors.As(err, &op) && op.Op == "proxyconnect":
		return "the proxy that HTTPS_PROXY or HTTP_PROXY names does not answer"
	case errors.As(err, &dns) && dns.IsNotFound:
		return "there is no host " + host
	case errors.As(err, &dns):
		return "the name of " + host + " can't be looked up; is there a network?"
	case errors.Is(err, syscall.ECONNREFUSED):
		return host + " refuses connections"
	case errors.As(err, &unknown):
		return "the certificate of " + host + " is of an authority that this machine does not trust"
	case errors.As(err, &wrong):
		return "the server's certificate is not one for " + host
	case errors.As(err, &timeout) && timeout.Timeout():
		return host + " did not answer in time"
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, syscall.ECONNRESET),
		errors.Is(err, syscall.EPIPE):
		return "the connection ended without an answer"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return host + " can't be reached from this network"
	case errors.Is(err, syscall.EMFILE), errors.Is(err, syscall.ENFILE):
		return "too many files are open on this machine"
	case errors.As(err, &plain):
		return host + " does not speak TLS at this port"
	}
	return "the request to " + host + " failed"
}

func statusWords(code int) string {
	switch code {
	case http.StatusNotFound:
		return "there is nothing at this address (404)"
	case http.StatusUnauthorized, http.StatusForbidden:
		return "the server does not allow this (" + strconv.Itoa(code) + ")"
	case http.StatusTooManyRequests:
		return "the server asks to try again later (429)"
	}
	return fmt.Sprintf("the server answered %d %s", code, http.StatusText(code))
}

// dispositionName reads a file name off a Content-Disposition field (RFC 6266), without any path.
func dispositionName(field string) string {
	_, params, err := mime.ParseMediaType(field)
	if err != nil {
		return ""
	}
	return baseName(strings.ReplaceAll(params["filename"], `\`, "/"))
}

func baseName(p string) string {
	b := path.Base(p)
	if b == "." || b == "/" || strings.ContainsFunc(b, texts.IsUnsafe) {
		return ""
	}
	return b
}
