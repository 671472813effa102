package csp

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"
)

func isHash(low string) bool {
	return strings.HasPrefix(low, "'sha256-") || strings.HasPrefix(low, "'sha384-") ||
		strings.HasPrefix(low, "'sha512-")
}

// hashOf reports whether a source expression is the hash of a text.
func hashOf(source, text string) bool {
	algorithm, want, _ := strings.Cut(strings.Trim(source, "'"), "-")
	var sum []byte
	switch strings.ToLower(algorithm) {
	case "sha256":
		h := sha256.Sum256([]byte(text))
		sum = h[:]
	case "sha384":
		h := sha512.Sum384([]byte(text))
		sum = h[:]
	case "sha512":
		h := sha512.Sum512([]byte(text))
		sum = h[:]
	}
	return base64.StdEncoding.EncodeToString(sum) == strings.NewReplacer("-", "+", "_", "/").Replace(want)
}

// HashOf writes the source expression that allows an inline text, as a browser reads it.
func HashOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'"
}
