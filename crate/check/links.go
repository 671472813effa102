package check

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
)

// links looks at the scripts and stylesheets that come from elsewhere.
func (k *pageCheck) links() {
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		value, has := k.p.Attr(raw, "integrity")
		if raw.Inert == "" && strings.TrimSpace(value) != "" && nothing(value) && in.Path != "" {
			k.add(IntegrityUnheeded, Warning, raw.Start, fmt.Sprintf("the integrity of %s has no hash that browsers "+
				"heed: %s",
				in.Path, value),
				"browsers say so in the console, and check nothing", "write sha256-, sha384- or sha512- and the hash: "+
					"merry seal prints one")
		}
		if in.Loads && in.Path != "" && has && !nothing(value) && k.c.Has(in.Path) {
			k.localIntegrity(in, raw, value)
		}
		if !in.Loads || in.URL == "" {
			continue
		}
		_, origin := k.p.Attr(raw, "crossorigin")
		next := fmt.Sprintf("merry adopt %s  # records it with its integrity", k.page())
		if in.Library != "" {
			next = fmt.Sprintf("merry switch %s --cdn --page %s", in.Library, k.page())
		}
		k.address(in, raw, has && !nothing(value))
		if in.Loose {
			continue
		}
		switch {
		case (!has || nothing(value)) && cdn.BranchOf(in.URL, in.Sealed) != "":
			// It can have none.
		case !has || nothing(value):
			k.add(LinkUnsealed, Warning, raw.Start, fmt.Sprintf("the link to %s has no integrity", in.URL),
				"anyone who can change files on that server can change this page", next)
		case in.Refused:
			k.add(LinkStale, Error, raw.Start, fmt.Sprintf("the integrity of the link to %s is not that of the "+
				"sealed file", in.URL),
				"a browser will refuse the file", next)
		case !origin:
			k.add(LinkNoOrigin, Error, raw.Start, fmt.Sprintf("the link to %s has an integrity but no crossorigin",
				in.URL),
				"a browser can't verify bytes of another host without crossorigin, so it blocks the file", next)
		}
	}
}

// address looks at what a link says of where it leads, and to which version.
func (k *pageCheck) address(in *Include, raw *page.Include, hashed bool) {
	at := raw.RefAttr.ValueStart
	worse := func(s Severity) Severity {
		if p := k.c.Profile(); p != nil && (p.Public || p.Name != "desk") {
			return Error // it must not ship so
		}
		return s
	}
	if strings.HasPrefix(in.URL, "http://") {
		k.add(LinkPlain, worse(Warning), at, fmt.Sprintf("%s is fetched without TLS", in.URL),
			"anyone on the network can change it, and a page served over https will not load it", "write https://")
	}
	if strings.HasPrefix(raw.Ref, "//") {
		k.add(LinkSchemeless, worse(Warning), at, fmt.Sprintf("%s has no scheme of its own, so it takes the page's",
			raw.Ref),
			"over http anyone on the network can change it, and on a page opened from disk it leads nowhere",
			"write https:"+raw.Ref)
	}
	if key := cdn.Tracking(in.URL); key != "" {
		k.add(LinkTracking, worse(Warning), at, fmt.Sprintf("the link to %s has tracking parameters: %s", in.URL, key),
			"the host learns which campaign the visitor came from, and caches keep a copy for each",
			"take "+key+" out of the address")
	}
	if in.Loose {
		k.add(LinkUnversioned, worse(Note), at, fmt.Sprintf("%s is a link without a version, for development only",
			in.Library),
			"its bytes can change at any time, so it can't be sealed and must not ship",
			fmt.Sprintf("merry omit %s --page %s  # before the page ships", in.Library, k.page()))
		return
	}
	if branch := cdn.BranchOf(in.URL, in.Sealed); branch != "" {
		severity, why := worse(Warning), "each release changes its bytes, so no integrity can be recorded"
		if hashed {
			severity, why = Error,
				"the next release has bytes other than its integrity, so browsers will block the file"
		}
		next := "link to one version, or take the library and link to that"
		if in.Sealed != "" {
			next = fmt.Sprintf("merry switch %s --cdn --page %s  # writes %s", in.Library, k.page(),
				cdn.Exact(in.URL, in.Sealed))
		}
		k.add(LinkBranch, severity, at, fmt.Sprintf("the link to %s names the branch %s instead of a version", in.URL,
			branch), why, next)
	} else if in.Library == "" && !versioned().MatchString(in.URL) {
		k.add(LinkUnversioned, worse(Warning), at, fmt.Sprintf("the link to %s has no version", in.URL),
			"its bytes change whenever its makers publish, so no integrity can be recorded",
			"link to one version, or take the library and link to that")
	}
}

// localIntegrity looks at a local file whose tag demands a hash, as one does that was a link before.
func (k *pageCheck) localIntegrity(in *Include, raw *page.Include, value string) {
	if !k.c.Matches(in.Path, value) {
		k.add(LinkStale, Error, raw.Start, fmt.Sprintf("the tag's integrity is not that of %s", in.Path),
			"a browser will refuse the file", k.renew())
		return
	}
	k.add(LocalIntegrity, Note, raw.Start, fmt.Sprintf("the tag of the local %s has an integrity", in.Path),
		"if the page is opened from disk, some browsers block the file, because they can't verify its bytes",
		"remove integrity and crossorigin from the tag, unless the page is always served")
}

// renew is the command that writes right hashes on the page.
func (k *pageCheck) renew() string {
	return "merry check " + k.page() + " --fix  # writes the right one"
}

// nothing reports whether an integrity attribute holds no hash at all, which a browser takes for none.
func nothing(value string) bool {
	_, err := integrity.Parse(value)
	return err != nil
}

var versioned = memo.Regexp(`\d+\.\d+`)
