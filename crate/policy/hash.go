package policy

import (
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
	sum := sumOf(strings.ToLower(algorithm), text)
	return base64.StdEncoding.EncodeToString(sum) == strings.NewReplacer("-", "+", "_", "/").Replace(want)
}

// HashOf writes the source expression that allows an inline text, as a browser reads it.
func HashOf(text string) string {
	return "'sha256-" + base64.StdEncoding.EncodeToString(sumOf("sha256", text)) + "'"
}
