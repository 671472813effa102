// Package facts reads scripts and stores the results by the files' hashes, in this run and in the user's cache. It also
// runs scripts in the sandbox to confirm what reading alone can't know.
package facts

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/integrity"

	"merrycrate.example/merry/crate/memo"

	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// The kinds of results in the cache, by the hashes of the code that computes them.
const (
	// ScriptResult is the kind of reports on scripts. Results that depend on such reports have it in their own kind.
	ScriptResult    = "script " + scriptSources
	rehearsalResult = "rehearsal " + rehearsalSources
	stoppedResult   = "stopped " + rehearsalSources
)

// How large a script must be, in bytes, for its report to be kept: a small one is quicker read again than looked up. Of
// a package's files most are looked at once, and what that told is kept with the package, so only large ones are kept
// by themselves.
const (
	keptFrom       = 4 << 10
	keptOfPackages = 256 << 10
)

// A Sandbox runs rehearsals in a process of their own: it is handed a request and returns the report, both as JSON. The
// process has hard limits of time and memory, and nothing but its two ends.
type Sandbox func(ctx context.Context, request []byte) ([]byte, error)

// A Reader reads files. Its methods may be called from several goroutines.
type Reader struct {
	Cache   *source.Cache // nil remembers for this run alone
	Sandbox Sandbox       // nil rehearses nothing

	scripts memo.Memo[string, *script.Report]
	alone   memo.Memo[string, *rehearse.Report]
}

// Script reads a script.
func (r *Reader) Script(b []byte) *script.Report {
	return r.ScriptOf(integrity.Of(b), b)
}

// OfPackages reads the scripts of packages that are described.
func (r *Reader) OfPackages() PackageReader { return PackageReader{r} }

// A PackageReader is a Reader that writes less into the cache.
type PackageReader struct{ r *Reader }

// Script reads a script.
func (p PackageReader) Script(b []byte) *script.Report {
	return p.r.scriptOf(integrity.Of(b), b, keptOfPackages)
}

// ScriptOf reads a script whose integrity is known already.
func (r *Reader) ScriptOf(integ string, b []byte) *script.Report {
	return r.scriptOf(integ, b, keptFrom)
}

func (r *Reader) scriptOf(integ string, b []byte, keptFrom int) *script.Report {
	return r.scripts.Of(integ, func() *script.Report {
		if r.Cache == nil || len(b) < keptFrom {
			return script.Analyze(b)
		}
		if kept, ok := r.Cache.Result(ScriptResult, integ); ok {
			var report script.Report
			if json.Unmarshal(kept, &report) == nil {
				return &report
			}
		}
		report := script.Analyze(b)
		if kept, err := json.Marshal(report); err == nil {
			r.Cache.PutResult(ScriptResult, integ, kept) // a cache that can't be written to is no reason to fail
		}
		return report
	})
}

// maxBusy is how many times longer than its processor time a rehearsal may last, on a machine that is busy with other
// things.
const maxBusy = 30

// stoppedFor is how long the result of a stopped rehearsal is used. After that it is tried again: the machine may have
// been short of memory, or the program may have become faster.
const stoppedFor = 24 * time.Hour

// Limit returns the processor time for a rehearsal: a base for its scripts, and half a second for each megabyte of
// code, up to a limit.
func Limit(request []byte) time.Duration {
	const work, reading, most = 3 * time.Second, time.Second / 2, 10 * time.Second
	return min(work+time.Duration(len(request)>>20)*reading, most)
}

// Rehearse rehearses a page. A rehearsal that did not come to its end says why in the report; the error is the
// context's, or that of a report that can't be read.
func (r *Reader) Rehearse(ctx context.Context, req *rehearse.Request) (*rehearse.Report, error) {
	return r.rehearse(ctx, req, false)
}

// rehearse rehearses a page. With once set the question may stay open: a rehearsal that did not come to its end before
// is not tried again for a while.
func (r *Reader) rehearse(ctx context.Context, req *rehearse.Request, once bool) (*rehearse.Report, error) {
	request, err := json.Marshal(req)
	if err != nil {
		return nil, err
	}
	of := integrity.Of(request)
	if r.Cache != nil {
		if answer, kept := r.Cache.Result(rehearsalResult, of); kept {
			return readReport(answer)
		}
		if why, kept := r.Cache.ResultSince(stoppedResult, of, time.Now().Add(-stoppedFor)); kept && once {
			return readReport(why)
		}
	}
	if r.Sandbox == nil {
		return &rehearse.Report{Stopped: "this program has no sandbox for rehearsals"}, nil
	}
	limited, cancel := context.WithTimeout(ctx, maxBusy*Limit(request))
	defer cancel()
	report := &rehearse.Report{}
	answer, err := r.Sandbox(limited, request)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil && limited.Err() != nil:
		report.Stopped = "it took too long"
	case err != nil:
		report.Stopped = err.Error()
	default:
		if report, err = readReport(answer); err != nil {
			return nil, err
		}
	}
	if r.Cache != nil && report.Stopped == "" {
		r.Cache.PutResult(rehearsalResult, of, answer)
	} else if r.Cache != nil {
		ended, err := json.Marshal(rehearse.Report{Stopped: report.Stopped, Guessed: report.Guessed})
		if err != nil {
			return nil, err
		}
		r.Cache.PutResult(stoppedResult, of, ended)
	}
	return report, nil
}

func readReport(answer []byte) (*rehearse.Report, error) {
	var report rehearse.Report
	if err := json.Unmarshal(answer, &report); err != nil {
		return nil, fmt.Errorf("a rehearsal's report can't be read: %w", err)
	}
	return &report, nil
}

// Serve handles one request in the sandbox's process, until stop is closed.
func Serve(request []byte, stop <-chan struct{}) ([]byte, error) {
	var req rehearse.Request
	if err := json.Unmarshal(request, &req); err != nil {
		return nil, err
	}
	return json.Marshal(rehearse.Run(&req, stop))
}

// Alone rehearses one script on an empty page.
func (r *Reader) Alone(ctx context.Context, name string, text []byte) (*rehearse.Report, error) {
	return r.rehearse(ctx, onEmptyPage(name, text), true)
}

// Behind rehearses a script behind others on an empty page, and lists the members of all globals that they make, with
// what kind of thing each is.
func (r *Reader) Behind(ctx context.Context, before [][]byte, name string, text []byte) (*rehearse.Report, error) {
	req := onEmptyPage(name, text)
	req.Members, req.Deep = true, true
	req.HTML = "<!doctype html><body>" + strings.Repeat("<script></script>", len(before)+1)
	for i, b := range slices.Backward(before) {
		req.Scripts = slices.Insert(req.Scripts, 0, rehearse.Script{Name: fmt.Sprintf("base %d", i), Text: string(b),
			When: rehearse.InPlace})
	}
	return r.rehearse(ctx, req, true)
}

func onEmptyPage(name string, text []byte) *rehearse.Request {
	return &rehearse.Request{HTML: "<!doctype html><body><script></script>", Address: "https://site.invalid/",
		Browser: script.BrowserNames(),
		Scripts: []rehearse.Script{{Name: name, Text: string(text), When: rehearse.InPlace}}}
}

// FailsWithout reports whether a script needs a global. A script that looks for the global, runs to its end alone and
// reports no error can do without. If the trial is impossible, the need counts.
func (r *Reader) FailsWithout(ctx context.Context, text []byte, global string) bool {
	tested := slices.ContainsFunc(r.Script(text).Needs, func(n script.Need) bool {
		return n.Name == global && n.Tested
	})
	if !tested {
		return r.AsksFor(ctx, text, global)
	}
	report, ok := r.aloneToItsEnd(ctx, text)
	return !ok || slices.ContainsFunc(report.Faults, func(f rehearse.Fault) bool {
		return f.Console == "" && (f.Global == global || f.Global == "" && f.Sure)
	})
}

// StopsFor lists the globals for want of which a script stops when it runs alone, each with the place. Where it stops
// with an error of its own, or using one of several that were not there, it lists what the script asked for before, and
// is not sure.
func (r *Reader) StopsFor(ctx context.Context, text []byte) (list []script.Global, sure bool) {
	report, ended := r.aloneToItsEnd(ctx, text)
	if report == nil {
		return nil, true
	}
	for _, f := range report.Faults {
		one := strings.HasSuffix(f.Message, " is not defined") || len(report.Reads) == 1
		if f.Global != "" && one && !script.IsLoader(f.Global) && f.Console == "" && f.When == "loading" &&
			!slices.ContainsFunc(list, func(g script.Global) bool { return g.Name == f.Global }) {
			list = append(list, script.Global{Name: f.Global, Line: f.Line, Column: f.Column})
		}
	}
	if len(list) > 0 || ended || report.Stopped != "" {
		return list, true
	}
	for _, read := range report.Reads {
		list = append(list, script.Global{Name: read.Global, Line: read.Line, Column: read.Column})
	}
	return list, false
}

// aloneToItsEnd is what running a script alone shows, if it came to its end.
func (r *Reader) aloneToItsEnd(ctx context.Context, text []byte) (*rehearse.Report, bool) {
	if r.Sandbox == nil {
		return nil, false
	}
	report, err := r.alone.Get(integrity.Of(text), func() (*rehearse.Report, error) {
		return r.Alone(ctx, "it", text)
	})
	return report, err == nil && report.Stopped == "" && len(report.Ran) == 1 && report.Ran[0]
}

// expando ends names that are made up again at each run.
var expando = memo.Regexp(`[0-9]{9,}$`)

// Makes returns the globals that a script makes when it runs alone, or with stand-ins for its needs. Whole reports that
// it ran to its end, so the list is complete.
func (r *Reader) Makes(ctx context.Context, text []byte) (made []string, whole bool) {
	known := r.Script(text)
	if known.Form != script.Classic && known.Form != script.Universal {
		return nil, false
	}
	report, ended := r.aloneToItsEnd(ctx, text)
	if report == nil || report.Stopped != "" {
		return nil, false
	}
	if !ended {
		names := script.BrowserNames()
		for _, n := range known.Needs {
			if n.Strength != script.Optional {
				names = append(append(names, n.Name), n.Or...)
			}
		}
		req := onEmptyPage("it", text)
		req.Browser = names
		var err error
		if report, err = r.rehearse(ctx, req, true); err != nil || report.Stopped != "" || len(report.Ran) != 1 ||
			!report.Ran[0] {
			return nil, false
		}
	}
	return slices.DeleteFunc(slices.Clone(report.Defined), expando().MatchString), true
}

// Lacks runs scripts in order on an empty page and reports whether the last one stops for want of something, and which
// of the members were not there when it began. Nothing is known where that can't be tried, or an earlier one stops.
func (r *Reader) Lacks(ctx context.Context, before [][]byte, text []byte, members []string) (missing []string, stops,
	known bool) {
	if r.Sandbox == nil {
		return nil, false, false
	}
	req := &rehearse.Request{HTML: "<!doctype html><body>" + strings.Repeat("<script></script>", len(before)+1),
		Address: "https://site.invalid/", Browser: script.BrowserNames()}
	for _, b := range before {
		req.Scripts = append(req.Scripts, rehearse.Script{Name: "base", Text: string(b), When: rehearse.InPlace})
	}
	req.Scripts = append(req.Scripts, rehearse.Script{Name: "it", Text: string(text), When: rehearse.InPlace,
		Request: members})
	report, err := r.rehearse(ctx, req, true)
	if err != nil || report.Stopped != "" || len(report.Ran) != len(req.Scripts) ||
		slices.Contains(report.Ran[:len(before)], false) {
		return nil, false, false
	}
	return report.Missing, !report.Ran[len(before)], true
}

// Works runs scripts in order on a page with a body, and then a text that uses them, and reports whether that comes to
// its end without an error, then and when the page has loaded. Nothing is known where that can't be tried, where one of
// the scripts stops by itself, or where the sandbox may be at fault.
func (r *Reader) Works(ctx context.Context, before [][]byte, body string, use []byte) (works, known bool) {
	if r.Sandbox == nil {
		return false, false
	}
	req := &rehearse.Request{HTML: "<!doctype html><body>" + body + strings.Repeat("<script></script>", len(before)+1),
		Address: "https://site.invalid/", Browser: script.BrowserNames()}
	for _, b := range before {
		req.Scripts = append(req.Scripts, rehearse.Script{Name: "base", Text: string(b), When: rehearse.InPlace})
	}
	req.Scripts = append(req.Scripts, rehearse.Script{Name: "use", Text: string(use), When: rehearse.InPlace})
	report, err := r.rehearse(ctx, req, true)
	if err != nil || report.Stopped != "" || len(report.Ran) != len(req.Scripts) ||
		slices.Contains(report.Ran[:len(before)], false) {
		return false, false
	}
	works, known = true, true
	for _, f := range report.Faults {
		if f.Console == "" {
			works, known = false, known && f.Sure
		}
	}
	return works && report.Ran[len(before)], known
}

// Members runs scripts in order on an empty page and returns the members that all the globals have which they make:
// name, fn.name and prototype.name. Known is false where one of them stops, or that can't be tried.
func (r *Reader) Members(ctx context.Context, texts [][]byte) (members map[string]bool, known bool) {
	if r.Sandbox == nil {
		return nil, false
	}
	req := &rehearse.Request{HTML: "<!doctype html><body>" + strings.Repeat("<script></script>", len(texts)),
		Address: "https://site.invalid/", Browser: script.BrowserNames(), Members: true}
	for _, b := range texts {
		req.Scripts = append(req.Scripts, rehearse.Script{Name: "it", Text: string(b), When: rehearse.InPlace})
	}
	report, err := r.rehearse(ctx, req, true)
	if err != nil || report.Stopped != "" || len(report.Members) == 0 || slices.Contains(report.Ran, false) {
		return nil, false
	}
	members = map[string]bool{}
	for _, list := range report.Members {
		for _, m := range list {
			members[m] = true
		}
	}
	return members, true
}

// AsksFor verifies a need that reading a script found, before anybody is reported of it: a script that runs to its end
// alone without ever asking for the global does not need it. Where that can't be tried the need counts, and where
// reading alone is certain it need not be tried.
func (r *Reader) AsksFor(ctx context.Context, text []byte, global string) bool {
	if slices.ContainsFunc(r.Script(text).Needs, func(n script.Need) bool { return n.Name == global && n.Certain }) {
		return true
	}
	report, ok := r.aloneToItsEnd(ctx, text)
	if !ok {
		return true // it may not have come to ask
	}
	for _, read := range report.Reads {
		if read.Global == global {
			return true
		}
	}
	return false
}
