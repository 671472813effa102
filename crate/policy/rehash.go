package policy

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

var hashSource = memo.Regexp(`(?i)'sha(?:256|384|512)-[A-Za-z0-9+/_-]+={0,2}'`)

// HasHashes reports whether a text has source expressions of hashes.
func HasHashes(text string) bool { return hashSource().MatchString(text) }

// Rehash writes the hash of a new inline text in the place of each hash of the old one, with the same algorithm. With
// keep, it writes it behind that. The texts are as browsers read them.
func Rehash(policies, old, new string, keep bool) string {
	return hashSource().ReplaceAllStringFunc(policies, func(source string) string {
		if !hashOf(source, old) {
			return source
		}
		algorithm, _, _ := strings.Cut(source, "-")
		of := algorithm + "-" + base64.StdEncoding.EncodeToString(sumOf(strings.ToLower(algorithm[1:]), new)) + "'"
		if keep {
			return source + " " + of
		}
		return of
	})
}

// sumOf is the sum of a text, nil for an algorithm that policies do not know.
func sumOf(algorithm, text string) []byte {
	switch algorithm {
	case "sha256":
		sum := sha256.Sum256([]byte(text))
		return sum[:]
	case "sha384":
		sum := sha512.Sum384([]byte(text))
		return sum[:]
	case "sha512":
		sum := sha512.Sum512([]byte(text))
		return sum[:]
	}
	return nil
}
