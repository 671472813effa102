package cdn

import (
	"net/url"
	"strings"
	"unicode"

	"merrycrate.example/merry/crate/memo"
)

// NamesUser reports whether an address holds a user's name, a password or a token before its host (RFC 3986, section
// 3.2.1).
func NamesUser(address string) bool {
	if _, rest, ok := strings.Cut(address, "://"); ok {
		host, _, _ := strings.Cut(strings.NewReplacer("?", "/", "#", "/", `\`, "/").Replace(rest), "/")
		return strings.Contains(host, "@")
	}
	return false
}

// WithoutSecrets removes from an address what no record or answer may contain: a user's name and password, and query
// parameters that look like credentials. Removed lists the names of those parameters, in the order of the address.
// Everything else stays byte for byte.
func WithoutSecrets(address string) (public string, removed []string) {
	if NamesUser(address) {
		scheme, rest, _ := strings.Cut(address, "://")
		end := strings.IndexAny(rest, `/?#\`)
		if end < 0 {
			end = len(rest)
		}
		at := strings.LastIndexByte(rest[:end], '@')
		address = scheme + "://" + rest[at+1:]
		removed = append(removed, "user")
	}
	before, fragment, hasFragment := strings.Cut(address, "#")
	start, query, hasQuery := strings.Cut(before, "?")
	if !hasQuery {
		return address, removed
	}
	var kept []string
	before = start
	secret := false
	for _, pair := range strings.Split(query, "&") {
		name, value, _ := strings.Cut(pair, "=")
		if text, err := url.QueryUnescape(name); err == nil {
			name = text
		}
		if text, err := url.QueryUnescape(value); err == nil {
			value = text
		}
		if value != "" && namesSecret(name) || looksRandom(value) || value == "" && looksRandom(name) {
			secret = true
			removed = append(removed, name)
			continue
		}
		kept = append(kept, pair)
	}
	if !secret {
		return address, removed
	}
	if len(kept) > 0 {
		before += "?" + strings.Join(kept, "&")
	}
	if hasFragment {
		before += "#" + fragment
	}
	return before, removed
}

// secretWords are the words of parameter names whose values are credentials, or end with one.
var secretWords = map[string]bool{"token": true, "key": true, "apikey": true, "accesstoken": true, "sig": true,
	"signature": true, "auth": true, "authorization": true,
	"expires": true, "expiry": true, "expire": true, "password": true, "passwd": true, "passphrase": true, "pass": true,
	"pwd": true, "pw": true, "secret": true, "credential": true,
	"credentials": true, "session": true, "sessionid": true, "sid": true, "jwt": true, "bearer": true, "hmac": true,
	"ticket": true, "otp": true, "login": true, "user": true, "username": true}

var nameWords = memo.Regexp(`[A-Z]?[a-z]+|[A-Z]+`)

// namesSecret reports whether a word of a parameter's name is one of those: access_token, X-Signature, apiKey.
func namesSecret(name string) bool {
	if secretWords[strings.ToLower(strings.NewReplacer("-", "", "_", "", ".", "").Replace(name))] {
		return true
	}
	for _, word := range nameWords().FindAllString(name, -1) {
		if secretWords[strings.ToLower(word)] {
			return true
		}
	}
	return false
}

// minRandom is from how many characters on a value without words is taken for a credential. Hashes that only keep
// caches apart are mostly shorter, and a download does not depend on them.
const minRandom = 24

var randomText = memo.Regexp(`^[A-Za-z0-9+/=_.~-]+$`)

// looksRandom reports whether a text is long and mixes letters and digits as no name or version does.
func looksRandom(text string) bool {
	if len(text) < minRandom || !randomText().MatchString(text) {
		return false
	}
	changes, digits := 0, 0
	last := rune(0)
	for _, c := range text {
		kind := rune('a')
		if unicode.IsDigit(c) {
			kind = '0'
			digits++
		}
		if last != 0 && kind != last {
			changes++
		}
		last = kind
	}
	return digits > 0 && changes >= len(text)/6
}

func hasSecret(address string) bool {
	_, removed := WithoutSecrets(address)
	return len(removed) > 0
}
