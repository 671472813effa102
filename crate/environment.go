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

// An Environment is the surroundings of a command: the current folder, the user's settings, and its permissions.
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
	// Unsaved are texts of files that are not saved, by their absolute paths: reading commands, and dry runs, take them
	// for what the files have.
	Unsaved map[string][]byte
	// Keep, if set, gets the files of a dry run, by their paths in the project, in place of their differences.
	Keep    func(name string, content []byte)
	Sandbox facts.Sandbox
	Notify  func(note string)
}

// Open opens the front door for a command. Close frees its resources.
func Open(env Environment) *Crate {
	cache := source.NewCache(env.CacheDir)
	opener := &origin.Opener{Cache: cache, Offline: env.Offline, Fresh: env.Fresh, Client: &source.Client{
		AllowPlain: env.AllowPlain, Progress: env.Progress, Certificates: env.Settings.Certificates,
		Hosts: env.Settings.Hosts, Trusted: env.Settings.OwnHosts,
		Stall: env.Patience, Wait: min(env.Patience, 500*time.Millisecond)}}
	for _, r := range env.Settings.Registries {
		reg := source.Registry{URL: r.URL, Scope: r.Scope, ArchivesOn: r.ArchivesOn}
		if r.TokenFrom != "" {
			reg.Token = env.Secret(r.TokenFrom)
		}
		opener.Registries = append(opener.Registries, reg)
	}
	reader := &facts.Reader{Cache: cache, Sandbox: env.Sandbox}
	opener.Scripts = reader.OfPackages()
	return &Crate{Dir: env.Dir, Origin: opener, Facts: reader, Dry: env.Dry, Notify: env.Notify, unsaved: env.Unsaved,
		keep:     env.Keep,
		settings: env.Settings, bounds: env.Bounds, key: change.KeyIn(paths.OnDisk(env.StateDir)),
		window: new(look.Window)}
}

// Close frees the resources of the command.
func (c *Crate) Close() {
	c.Origin.Close()
	c.window.Close()
	for _, f := range c.opened {
		f.Close()
	}
}

// ServeSandbox handles one request in the sandbox's process, until stop is closed.
func ServeSandbox(request []byte, stop <-chan struct{}) ([]byte, error) {
	return facts.Serve(request, stop)
}

// SandboxLimit is the processor time that a request may take.
func SandboxLimit(request []byte) time.Duration { return facts.Limit(request) }

// CacheUse is the size of the cache.
type CacheUse struct {
	Dir     string `json:"dir"`               // absolute path
	Entries int    `json:"entries"`           // number of entries
	Size    int64  `json:"size"`              // in bytes
	Gone    int    `json:"removed,omitempty"` // number of entries that were removed
	Freed   int64  `json:"freed,omitempty"`   // in bytes
}

// Cache returns the size of the cache. If maxSize is not negative, it first removes the entries that were not used for
// longest, until at most maxSize bytes remain.
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
