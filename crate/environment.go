package crate

import (
	"context"
	"time"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Bounds say how far a project is looked for, and whose it may be.
type Bounds = project.Bounds

// An Environment is what surrounds a command: where it was given, what the user has set, and what it may do.
type Environment struct {
	Dir      string // where the command was given, absolute
	CacheDir string
	StateDir string // where the key is by which the user's own changes are known
	Bounds   Bounds
	Settings *record.Settings
	// Secret returns the value of an environment variable that holds a token.
	Secret     func(name string) string
	AllowPlain bool          // fetch addresses without TLS
	Patience   time.Duration // how long a silent server is waited for, 0 for the usual time
	Progress   func(name string, done, total int64)
	Offline    bool
	Fresh      bool // fetch again what was seen before
	Dry        bool
	Sandbox    facts.Sandbox
	Notify     func(note string)
}

// Open makes the front door for a command. Close ends what was opened on the way.
func Open(env Environment) *Crate {
	cache := source.NewCache(env.CacheDir)
	opener := &origin.Opener{Cache: cache, Offline: env.Offline, Fresh: env.Fresh, Client: &source.Client{
		AllowPlain: env.AllowPlain, Progress: env.Progress, Certificates: env.Settings.Certificates, Hosts: env.Settings.Hosts, Trusted: env.Settings.OwnHosts,
		Stall: env.Patience, Wait: min(env.Patience, 500*time.Millisecond)}}
	for _, r := range env.Settings.Registries {
		reg := source.Registry{URL: r.URL, Scope: r.Scope, ArchivesOn: r.ArchivesOn}
		if r.TokenFrom != "" {
			reg.Token = env.Secret(r.TokenFrom)
		}
		opener.Registries = append(opener.Registries, reg)
	}
	reader := &facts.Reader{Cache: cache, Sandbox: env.Sandbox}
	opener.Scripts = reader
	return &Crate{Dir: env.Dir, Origin: opener, Facts: reader, Dry: env.Dry, Notify: env.Notify,
		settings: env.Settings, bounds: env.Bounds, key: change.KeyIn(paths.OnDisk(env.StateDir)), window: new(look.Window)}
}

// Close ends what the command opened.
func (c *Crate) Close() {
	c.Origin.Close()
	c.window.Close()
	for _, f := range c.opened {
		f.Close()
	}
}

// ServeSandbox is what the sandbox's process does with a request, until stop is closed.
func ServeSandbox(request []byte, stop <-chan struct{}) ([]byte, error) {
	return facts.Serve(request, stop)
}

// SandboxLimit is the processor time that a request may take.
func SandboxLimit(request []byte) time.Duration { return facts.Limit(request) }

// CacheUse is what the cache holds.
type CacheUse struct {
	Dir     string `json:"dir"`               // absolute path
	Entries int    `json:"entries"`           // number of entries
	Size    int64  `json:"size"`              // in bytes
	Gone    int    `json:"removed,omitempty"` // number of entries that were removed
	Freed   int64  `json:"freed,omitempty"`   // in bytes
}

// Cache says what the cache holds, after removing what was not used for longest until the rest has at most so many bytes; a
// negative number removes nothing.
func (c *Crate) Cache(_ context.Context, most int64) (*CacheUse, error) {
	out := &CacheUse{Dir: c.Origin.Cache.Dir()}
	var err error
	if most >= 0 {
		if out.Gone, out.Freed, err = c.Origin.Cache.Trim(most); err != nil {
			return nil, err
		}
	}
	out.Entries, out.Size, err = c.Origin.Cache.Use()
	return out, err
}
