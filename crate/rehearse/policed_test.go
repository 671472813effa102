package rehearse

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestMade: what scripts make that a policy may forbid is noted, and what it says nothing of is not.
func TestMade(t *testing.T) {
	for _, tt := range []struct{ script, want string }{
		{"document.body.setAttribute('style', 'color: red')", "style attribute=color: red"},
		{"document.body.style.color = 'red'", ""},
		{"document.body.innerHTML = '<b style=\"color: red\" onclick=go()>x</b>'", "handler=go(); style attribute=" +
			"color: red"},
		{"document.createElement('template').innerHTML = '<b style=top:0>x</b>'", "style attribute=top:0"},
		{"var s = document.createElement('style'); s.textContent = 'p {}'; document.head.appendChild(s)", "style=p {}"},
		{"var s = document.createElement('style'); s.textContent = 'p {}'", ""},
		{"document.body.attachShadow({mode: 'open'}).innerHTML = '<style>b {}</style>'", "style=b {}"},
		{"var s = document.createElement('script'); s.textContent = 'var b'; s.nonce = 'tide'; " +
			"document.head.appendChild(s)", "script=var b"},
		{"document.body.setAttribute('onclick', 'go()')", "handler=go()"},
		{"document.body.onclick = function () {}", ""},
		{"document.body.appendChild(document.body.cloneNode(true))", ""},
		{"document.body.insertAdjacentHTML('beforeend', '<script>var c</scr' + 'ipt>')", ""},
		{"document.write('<style>i {}</style>')", "style=i {}"},
	} {
		var got []string
		out := runWith(t, "<!doctype html><body style='margin: 0'><script>"+tt.script+"</script>",
			&Request{Policed: true})
		for _, m := range out.Made {
			got = append(got, fmt.Sprint(m.Kind, "=", m.Text))
		}
		slices.Sort(got)
		if strings.Join(got, "; ") != tt.want || len(out.Faults) > 0 {
			t.Errorf("%s makes %q, want %q (%v)", tt.script, got, tt.want, out.Faults)
		}
		if out := runWith(t, "<body><script>"+tt.script+"</script>", &Request{}); len(out.Made) > 0 {
			t.Errorf("%s is noted without a policy", tt.script)
		}
	}
}

// TestTypes: where a policy demands trusted types, texts that become markup or code are errors, and values of the
// scripts' own policies are not.
func TestTypes(t *testing.T) {
	for _, tt := range []struct {
		script string
		types  Types
		fails  string
	}{
		{"document.body.innerHTML = 'x'", Types{Required: true}, "'TrustedHTML' assignment"},
		{"document.body.textContent = 'x'", Types{Required: true}, ""},
		{"document.createElement('script').src = 'x.js'", Types{Required: true}, "'TrustedScriptURL' assignment"},
		{"document.body.setAttribute('onclick', 'x')", Types{Required: true}, "'TrustedScript' assignment"},
		{"document.body.setAttribute('title', 'x')", Types{Required: true}, ""},
		{"new Function('x')", Types{Required: true}, "EvalError"},
		{"eval('1')", Types{Required: true}, "EvalError"},
		{"setTimeout('1')", Types{Required: true}, "'TrustedScript' assignment"},
		{"document.body.innerHTML = trustedTypes.createPolicy('a', {createHTML: s => s}).createHTML('x')",
			Types{Required: true}, ""},
		{"trustedTypes.createPolicy('default', {createHTML: s => s}); document.body.innerHTML = 'x'",
			Types{Required: true}, ""},
		{"trustedTypes.createPolicy('a', {})", Types{Names: []string{"b"}}, "disallowed"},
		{"trustedTypes.createPolicy('a', {}); trustedTypes.createPolicy('a', {})", Types{Names: []string{"a"}},
			"already exists"},
		{"document.body.innerHTML = 'x'", Types{Names: []string{"a"}}, ""},
	} {
		out := runWith(t, "<!doctype html><body><script>"+tt.script+"</script>", &Request{Types: &tt.types})
		said := ""
		for _, f := range out.Faults {
			said += f.Message
		}
		if (said == "") != (tt.fails == "") || !strings.Contains(said, tt.fails) {
			t.Errorf("%s under %+v: %q, want %q", tt.script, tt.types, said, tt.fails)
		}
	}
}
