package cdn

import (
	"net/netip"
	"net/url"
	"path"
	"slices"
	"strings"

	"golang.org/x/net/publicsuffix"
	"merrycrate.example/merry/crate/memo"
)

// NameFor names a CDN after the host of an address: by the name that its owner registered.
func NameFor(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Hostname() == "" || isAddress(u.Hostname()) {
		return "cdn"
	}
	owner, err := publicsuffix.EffectiveTLDPlusOne(u.Hostname())
	if err != nil {
		owner = u.Hostname()
	}
	name, _, _ := strings.Cut(owner, ".")
	return name
}

// Origin returns the scheme and host of an address, "" if it has none.
func Origin(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

// Base returns the name of the file that an address ends in, without its query.
func Base(address string) string {
	if u, err := url.Parse(address); err == nil {
		return path.Base(u.Path)
	}
	return path.Base(address)
}

var (
	branchWords = []string{"latest", "current", "stable", "next", "main", "master"}
	exact       = memo.Regexp(`\d+\.\d+\.\d+`)
	fewNumbers  = memo.Regexp(`^[~^]?v?\d{1,3}(?:\.(?:\d{1,3}|x))?(?:\.x)?$`)
	numbers     = memo.Regexp(`^\d+(?:\.\d+)*$`)
	fewInPath   = memo.Regexp(`^v?\d{1,2}$`)
)

// Branch returns the part of an address that names a branch of versions, such as latest, @1, @1.12 or /1/. The next
// release changes the bytes at such an address. It returns "" if the address names one version, or none.
func Branch(address string) string {
	u, err := url.Parse(address)
	if err != nil || exact().MatchString(u.Path) {
		return ""
	}
	parts := strings.Split(strings.Trim(u.Path, "/"), "/")
	for i, part := range parts[:len(parts)-1] {
		if at := strings.LastIndexByte(part, '@'); at > 0 && (slices.Contains(branchWords, part[at+1:]) ||
			fewNumbers().MatchString(part[at+1:])) {
			return part[at+1:]
		}
		if i > 0 && (slices.Contains(branchWords, part) || fewInPath().MatchString(part)) {
			return part
		}
	}
	// A bare package, as some hosts have it: /NAME@1.
	if last := parts[len(parts)-1]; len(parts) > 0 {
		if at := strings.LastIndexByte(last, '@'); at > 0 && (slices.Contains(branchWords, last[at+1:]) ||
			fewNumbers().MatchString(last[at+1:])) {
			return last[at+1:]
		}
	}
	return ""
}

// BranchOf is Branch for an address of a library whose version is known: a part of the path that says less than that,
// such as /1.12/ for 1.12.4, is a branch, too.
func BranchOf(address, version string) string {
	if branch := Branch(address); branch != "" {
		return branch
	}
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	for part := range strings.SplitSeq(u.Path, "/") {
		if at := strings.LastIndexByte(part, '@'); at > 0 {
			part = part[at+1:]
		}
		plain := strings.TrimPrefix(part, "v")
		if numbers().MatchString(plain) && strings.HasPrefix(version, plain+".") {
			return part
		}
	}
	return ""
}

// Exact is an address of a branch with one version in its place.
func Exact(address, version string) string {
	branch := BranchOf(address, version)
	if branch == "" || version == "" {
		return address
	}
	if i := strings.Index(address, "@"+branch); i >= 0 {
		return address[:i+1] + version + address[i+1+len(branch):]
	}
	if i := strings.Index(address, "/"+branch+"/"); i >= 0 {
		return address[:i+1] + version + address[i+1+len(branch):]
	}
	return address
}

// followed are parameters that tell who follows a link, and change nothing of what it gives.
var followed = memo.Regexp(`(?i)^(?:utm_\w+|fbclid|gclid|dclid|msclkid|mc_[ce]id|ref|referrer|source|campaign|aff|` +
	`affiliate|partner|tracking|track)$`)

// Tracking returns the query parameter of an address that tracks visitors, "" if it has none.
func Tracking(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	for key := range u.Query() {
		if followed().MatchString(key) {
			return key
		}
	}
	return ""
}

func isAddress(host string) bool {
	_, err := netip.ParseAddr(host)
	return err == nil
}
