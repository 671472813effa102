package cdn

import (
	"strings"
	"testing"
)

// TestPatternsExplain: a pattern that is read off an address makes that address again.
func TestPatternsExplain(t *testing.T) {
	f := File{"oarlock", "2.0.3", "dist/oarlock.min.js"}
	for address, words := range map[string]string{
		"https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js": "{name}/{version}/{path}",
		"https://cdn.harbour.example/oarlock@2.0.3/oarlock.min.js":          "{name}@{version}/{short}",
		"https://cdn.harbour.example/oarlock-2.0.3.min.js":                  "{stem}-{version}{ending}",
		"https://cdn.harbour.example/oarlock.2.0.3.min.js":                  "{stem}.{version}{ending}",
		"https://cdn.harbour.example/oarlock/oarlock.min.js?v=2.0.3":        "{name}/{short}?v={version}",
	} {
		list := Explain(address, f)
		if len(list) == 0 || !strings.HasSuffix(string(list[0]), words) {
			t.Errorf("%s: %v, want …%s", address, list, words)
		}
		for _, pattern := range list {
			if got := pattern.Address(f); got != address {
				t.Errorf("%s makes %s", pattern, got)
			}
		}
	}
	for _, address := range []string{"https://cdn.harbour.example/oarlock.min.js",
		"https://cdn.harbour.example/oarlock/2.0.3/other.js"} {
		if list := Explain(address, f); list != nil {
			t.Errorf("%s is explained by %v", address, list)
		}
	}
	for pattern, why := range map[string]string{"cdn/{version}/{path}": "not an address",
		"https://x.example/{path}": "no {version}", "https://x.example/{version}": "one address",
		"https://x.example/{version}/{path}/{branch}": "placeholder other than"} {
		if err := Pattern(pattern).Validate(); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%s: %v", pattern, err)
		}
	}
}

// TestAddressesOfEveryMake: names without their scope, versions without .0, in paths, names of files and queries.
func TestAddressesOfEveryMake(t *testing.T) {
	for address, tt := range map[string]struct {
		f    File
		want string
	}{
		"https://h.example/pennants/1.1.0/css/pennants.css": {File{"@gull/pennants", "1.1.0", "dist/css/pennants.css"},
			"https://h.example/{plain}/{version}/{short}"},
		"https://h.example/@gull/pennants@1.1.0/p.css": {File{"@gull/pennants", "1.1.0", "p.css"},
			"https://h.example/{name}@{version}/{path}"},
		"https://h.example/lib/oarlock/2.1/oarlock.min.js": {File{"oarlock", "2.1.0", "oarlock.min.js"},
			"https://h.example/lib/{name}/{brief}/{path}"},
		"https://h.example/oarlock-2.1.min.js": {File{"oarlock", "2.1.0", "dist/oarlock.min.js"},
			"https://h.example/{stem}-{brief}{ending}"},
		"https://h.example/js/oarlock.js?ver=2.0.3": {File{"oarlock", "2.0.3", "oarlock.js"},
			"https://h.example/js/{path}?ver={version}"},
		"https://h.example/2.0.3/oarlock.js": {File{"oarlock", "2.0.3", "dist/umd/oarlock.js"},
			"https://h.example/{version}/{file}"},
	} {
		list := Explain(address, tt.f)
		if len(list) == 0 || string(list[0]) != tt.want {
			t.Errorf("%s is explained by %v, want %s", address, list, tt.want)
		} else if got := list[0].Address(tt.f); got != address {
			t.Errorf("%s makes %s", list[0], got)
		}
	}
	for address, want := range map[string]string{"https://cdn.harbour.example/x": "harbour",
		"http://127.0.0.1:8080/x": "cdn", "http://[::1]/x": "cdn", "https://harbour.co.uk/x": "harbour",
		"http://localhost/x": "localhost"} {
		if got := NameFor(address); got != want {
			t.Errorf("%s is named %s, want %s", address, got, want)
		}
	}
}

func TestStemOf(t *testing.T) {
	for base, want := range map[string]string{"oarlock.min.js": "oarlock .min.js", "oarlock.js": "oarlock .js",
		"oarlock.slim.css": "oarlock .slim.css", "a.b.js": "a.b .js", "x": "x "} {
		if stem, ending := Stem(base); stem+" "+ending != want {
			t.Errorf("%s is %s and %s", base, stem, ending)
		}
	}
}

func TestCDNPatterns(t *testing.T) {
	f := File{"@gull/pennants", "1.1.0", "dist/css/pennants.min.css"}
	for pattern, want := range map[string]string{
		"https://a.example/{name}@{version}/{path}": "https://a.example/@gull/pennants@1.1.0/dist/css/pennants.min.css",
		"https://a.example/{version}/{short}":       "https://a.example/1.1.0/css/pennants.min.css",
		"https://a.example/{version}/{file}":        "https://a.example/1.1.0/pennants.min.css",
	} {
		if err := Pattern(pattern).Validate(); err != nil {
			t.Errorf("%s: %v", pattern, err)
		}
		if got := Pattern(pattern).Address(f); got != want {
			t.Errorf("%s: %s", pattern, got)
		}
	}
	for _, bad := range []string{"a.example/{version}/{path}", "https://a.example/{path}",
		"https://a.example/{version}", "https://a.example/{version}/{path}/{what}",
		"https://a.example/{version}/{path"} {
		if Pattern(bad).Validate() == nil {
			t.Errorf("%s is called a pattern", bad)
		}
	}
	for _, address := range []string{"https://a.example/x/@gull/pennants/1.1.0/dist/css/pennants.min.css",
		"https://a.example/1.1.0/css/pennants.min.css", "https://a.example/v1.1.0/pennants.min.css"} {
		found := false
		for _, pattern := range Explain(address, f) {
			found = found || pattern.Address(f) == address
		}
		if !found {
			t.Errorf("no pattern gives %s", address)
		}
	}
}

func TestBranch(t *testing.T) {
	for address, want := range map[string][2]string{
		"https://cdn.harbour.example/oarlock@1.12/dist/oarlock.js": {"1.12",
			"https://cdn.harbour.example/oarlock@1.12.4/dist/oarlock.js"},
		"https://cdn.harbour.example/oarlock@latest/oarlock.js": {"latest",
			"https://cdn.harbour.example/oarlock@1.12.4/oarlock.js"},
		"https://cdn.harbour.example/@gull/oarlock@^1/oarlock.js": {"^1",
			"https://cdn.harbour.example/@gull/oarlock@1.12.4/oarlock.js"},
		"https://cdn.harbour.example/oarlock@1": {"1",
			"https://cdn.harbour.example/oarlock@1.12.4"},
		"https://cdn.harbour.example/lib/oarlock/1/oarlock.js": {"1",
			"https://cdn.harbour.example/lib/oarlock/1.12.4/oarlock.js"},
		"https://cdn.harbour.example/latest/oarlock.js": {"", ""},
		"https://cdn.harbour.example/lib/latest/oarlock.js": {"latest",
			"https://cdn.harbour.example/lib/1.12.4/oarlock.js"},
		"https://cdn.harbour.example/oarlock@1.12.4/dist/oarlock.js": {"", ""},
		"https://cdn.harbour.example/3/oarlock/1.12.4/oarlock.js":    {"", ""},
		"https://cdn.harbour.example/oarlock/1.12/oarlock.js":        {"", ""},
		"https://cdn.harbour.example/oarlock.js":                     {"", ""},
	} {
		if got := Branch(address); got != want[0] {
			t.Errorf("%s names the branch %q, want %q", address, got, want[0])
		} else if got != "" && Exact(address, "1.12.4") != want[1] {
			t.Errorf("%s is exactly %s", address, Exact(address, "1.12.4"))
		}
	}
	if Tracking("https://cdn.harbour.example/a.js?v=1.0.0&utm_source=x") != "utm_source" ||
		Tracking("https://cdn.harbour.example/a.js?v=1.0.0") != "" {
		t.Error("tracking is told wrongly")
	}
	// Beside a library's whole version, a part of it is a branch.
	const short = "https://cdn.harbour.example/oarlock/1.12/oarlock.js"
	if got := BranchOf(short, "1.12.4"); got != "1.12" {
		t.Errorf("the branch is %q", got)
	}
	if got := Exact(short, "1.12.4"); got != "https://cdn.harbour.example/oarlock/1.12.4/oarlock.js" {
		t.Errorf("the exact address is %s", got)
	}
	if got := BranchOf(short, "1.12"); got != "" {
		t.Errorf("the version itself is the branch %q", got)
	}
}
