// Package integrity makes and checks integrity strings as Subresource Integrity has them
// (sections 3.2 and 3.3): an algorithm's name, a hyphen, and the digest in base64.
//
// It hashes bytes that it is given; where they come from is not its concern.
package integrity

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"hash"
	"io"
	"slices"
	"strings"
)

// Algorithms are the names that Subresource Integrity knows, weakest first.
var Algorithms = []string{"sha256", "sha384", "sha512"}

// New returns a hash for one of the Algorithms, or nil.
func New(algorithm string) hash.Hash {
	switch algorithm {
	case "sha256":
		return sha256.New()
	case "sha384":
		return sha512.New384()
	case "sha512":
		return sha512.New()
	}
	return nil
}

// Of returns the sha384 integrity string of b: the one that the seal records.
func Of(b []byte) string {
	sum := sha512.Sum384(b)
	return "sha384-" + base64.StdEncoding.EncodeToString(sum[:])
}

// Sum returns the integrity string of b by one of the Algorithms.
func Sum(algorithm string, b []byte) string {
	h := New(algorithm)
	h.Write(b)
	return Text(algorithm, h)
}

// Text returns the integrity value of what was written to h.
func Text(algorithm string, h hash.Hash) string {
	return algorithm + "-" + base64.StdEncoding.EncodeToString(h.Sum(nil))
}

// Metadata is the parsed value of an integrity attribute: one or several hashes.
type Metadata []string

// Parse reads an integrity attribute's value as browsers do: in base64 of either alphabet, with or without padding.
// Options behind "?" are dropped. A hash that is too short is one that no bytes have. It returns an error where no
// string in it is of a known algorithm, in small letters; a browser takes such a value for none at all and checks
// nothing.
func Parse(value string) (Metadata, error) {
	var m Metadata
	for _, word := range strings.Fields(value) {
		word, _, _ = strings.Cut(word, "?")
		alg, digest, ok := strings.Cut(word, "-")
		h := New(alg)
		plain := strings.NewReplacer("-", "+", "_", "/").Replace(strings.TrimRight(digest, "="))
		if !ok || h == nil || plain == "" || strings.ContainsFunc(plain, notBase64) {
			continue
		}
		if b, err := base64.RawStdEncoding.DecodeString(plain); err == nil && len(b) == h.Size() {
			plain = base64.StdEncoding.EncodeToString(b)
		}
		m = append(m, alg+"-"+plain)
	}
	if len(m) == 0 {
		return nil, fmt.Errorf("%q is not an integrity value; one looks like sha384- followed by 64 letters and digits",
			value)
	}
	return m, nil
}

func notBase64(r rune) bool {
	return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && r != '+' && r != '/'
}

// Strongest returns the strings of the strongest algorithm, the only ones that a browser heeds.
func (m Metadata) Strongest() Metadata {
	for _, alg := range slices.Backward(Algorithms) {
		var s Metadata
		for _, word := range m {
			if strings.HasPrefix(word, alg+"-") {
				s = append(s, word)
			}
		}
		if s != nil {
			return s
		}
	}
	return nil
}

// Match reports whether b satisfies m: one of the strongest hashes must be that of b.
func (m Metadata) Match(b []byte) bool {
	s := m.Strongest()
	if len(s) == 0 {
		return true
	}
	alg, _, _ := strings.Cut(s[0], "-")
	return slices.Contains(s, Sum(alg, b))
}

// OfReader returns the integrity values of a stream by the given algorithms, read once.
func OfReader(r io.Reader, algorithms ...string) (map[string]string, error) {
	hashes := map[string]hash.Hash{}
	var to []io.Writer
	for _, alg := range algorithms {
		if hashes[alg] == nil {
			hashes[alg] = New(alg)
			to = append(to, hashes[alg])
		}
	}
	if _, err := io.Copy(io.MultiWriter(to...), r); err != nil {
		return nil, err
	}
	out := map[string]string{}
	for alg, h := range hashes {
		out[alg] = Text(alg, h)
	}
	return out, nil
}

// Algorithm returns the algorithm of the strongest strings, "" if there are none.
func (m Metadata) Algorithm() string {
	s := m.Strongest()
	if len(s) == 0 {
		return ""
	}
	alg, _, _ := strings.Cut(s[0], "-")
	return alg
}

// Allows reports whether m allows bytes with that integrity value, by the strongest algorithm.
func (m Metadata) Allows(integ string) bool { return slices.Contains(m.Strongest(), integ) }
