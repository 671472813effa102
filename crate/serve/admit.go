package serve

import (
	"net/http"
	"slices"
	"strings"
)

// admit has the policies of a page's headers let in what is added to the page, and nothing else: our script by its
// address and its hash, and the socket that it opens. What they forbid of the page itself stays forbidden (Content
// Security Policy Level 3).
func (s *Server) admit(h http.Header, host string) {
	all := h.Values("Content-Security-Policy")
	if len(all) == 0 {
		return
	}
	h.Del("Content-Security-Policy")
	for _, value := range all {
		var policies []string
		for policy := range strings.SplitSeq(value, ",") {
			policies = append(policies, admitting(policy, host))
		}
		h.Add("Content-Security-Policy", strings.Join(policies, ", "))
	}
}

// admitting is one policy with what is added let in.
func admitting(policy, host string) string {
	var directives [][]string
	for text := range strings.SplitSeq(policy, ";") {
		words := strings.Fields(text)
		if len(words) == 0 || strings.EqualFold(words[0], "upgrade-insecure-requests") { // loopback has no TLS
			continue
		}
		words[0] = strings.ToLower(words[0])
		directives = append(directives, words)
	}
	allow := func(sources []string, names ...string) {
		for _, name := range names {
			i := slices.IndexFunc(directives, func(d []string) bool { return d[0] == name })
			if i < 0 {
				continue
			}
			d := slices.DeleteFunc(slices.Clone(directives[i]), func(w string) bool {
				return strings.EqualFold(w, "'none'")
			})
			directives[i] = append(d, sources...)
			return
		}
	}
	script := []string{"http://" + host + ours + "desk.js"}
	if low := strings.ToLower(policy); strings.Contains(low, "'strict-dynamic'") {
		script = append(script, "'"+deskHash()+"'") // addresses count for nothing then
	}
	allow(script, "script-src-elem", "script-src", "default-src")
	allow([]string{"ws://" + host}, "connect-src", "default-src")
	list := make([]string, len(directives))
	for i, d := range directives {
		list[i] = strings.Join(d, " ")
	}
	return strings.Join(list, "; ")
}
