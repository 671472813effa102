package crate

import (
	"context"
	"maps"
	"strconv"
	"sync"
	"time"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/serve"
)

// Message is one thing that a browser said of a page.
type Message = console.Message

// ServeRequest asks for the site to be served until the context ends.
type ServeRequest struct {
	Host, Port string        // "0" is any port that is free
	Cache      time.Duration // how long browsers may keep files
	Behind     string        // the server requested pages
	Profile    string        // serve pages as this profile would have them
	// Reload opens the crate again, which each look at a changed project needs.
	Reload    func() (*Crate, error)
	Ready     func(address string)
	OnPage    func(names []string)
	OnMessage func(*Message)
	OnError   func(error)
}

// Serve serves the site, reloads pages on changes, and reports what browsers say.
func (c *Crate) Serve(ctx context.Context, req ServeRequest) error {
	s := &serve.Session{Port: req.Port, Ready: req.Ready, OnPage: req.OnPage, OnError: req.OnError,
		Options: serve.Options{Host: req.Host, Cache: req.Cache, CDNFallback: c.Origin.Offline, Live: true,
			OnMessage: req.OnMessage}}
	if n, err := strconv.Atoi(req.Port); err != nil || n < 0 || n > 65535 {
		return problem.Misuse("merry serve --port 8000; merry serve  # on a free port", "--port %s is not a port",
			req.Port)
	}
	var err error
	if s.Behind, err = serve.ParseBehind(req.Behind); err != nil {
		return err
	}
	looks := &generations{}
	defer looks.close()
	s.Look = func(ctx context.Context) (*project.Project, map[string][]byte, error) {
		door, err := req.Reload()
		if err != nil {
			return nil, nil, err
		}
		p, files, err := door.asProfile(ctx, req.Profile)
		if err != nil {
			door.Close()
			return nil, nil, err
		}
		looks.add(door)
		return p, files, nil
	}
	s.Check = func(ctx context.Context) ([]check.Finding, error) {
		door, err := req.Reload()
		if err != nil {
			return nil, err
		}
		defer door.Close()
		found, err := door.Check(ctx, CheckRequest{Rehearse: inspect.IfFew})
		if err != nil {
			return nil, err
		}
		return found.Findings, nil
	}
	s.Watch = func(ctx context.Context, changed func([]string)) error {
		return c.Watch(ctx, Swift, changed)
	}
	return s.Run(ctx)
}

// generations are the last states of a project that is looked at again and again. A request may still be at work on the
// one before the last; older ones are closed, since each holds open files.
type generations struct {
	mu   sync.Mutex
	list []*Crate
}

func (g *generations) add(door *Crate) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.list = append(g.list, door); len(g.list) > 2 {
		g.list[0].Close()
		g.list = g.list[1:]
	}
}

func (g *generations) close() {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, door := range g.list {
		door.Close()
	}
	g.list = nil
}

// asProfile reads the project, and determines the files that it would have under a profile, by their places in the
// site. Without a profile there are none.
func (c *Crate) asProfile(ctx context.Context, profile string) (*project.Project, map[string][]byte, error) {
	if profile == "" {
		p, err := c.read(ctx)
		return p, nil, err
	}
	return c.asAfter(ctx, func(dry *Crate) error {
		_, err := dry.Switch(ctx, SwitchRequest{Profile: profile})
		return err
	})
}

// asAfter reads the project, and determines the files that it would have after a change, by their places in the site.
// Nothing is changed.
func (c *Crate) asAfter(ctx context.Context, change func(dry *Crate) error) (*project.Project, map[string][]byte,
	error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, nil, err
	}
	var mu sync.Mutex
	files := map[string][]byte{}
	dry := *c
	dry.Dry, dry.opened = true, nil
	dry.keep = func(name string, content []byte) {
		if at, ok := p.InSite(paths.FoundInProject(name)); ok {
			mu.Lock()
			defer mu.Unlock()
			files[at.String()] = content
		}
	}
	err = change(&dry)
	c.opened = append(c.opened, dry.opened...)
	return p, maps.Clone(files), err
}
