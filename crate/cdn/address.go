package cdn

import (
	"net/url"
	"path"
	"strings"
)

// NameFor names a CDN after the host of an address.
func NameFor(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return "cdn"
	}
	labels := strings.Split(u.Hostname(), ".")
	return labels[max(0, len(labels)-2)]
}

// Origin returns the scheme and host of an address, "" where it has none.
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
