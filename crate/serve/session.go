package serve

import (
	"context"
	"net"
	"strings"
	"sync"
	"time"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// A Session serves a site while people work on it. It checks the project again after each change, reloads open pages,
// and reports browser messages with their causes.
type Session struct {
	Options
	Port string
	// Look reads the project again, with the files that are served otherwise than they are on disk.
	Look func(ctx context.Context) (*project.Project, map[string][]byte, error)
	// Check checks the site as it is.
	Check func(ctx context.Context) ([]check.Finding, error)
	// Watch calls changed after each burst of changes, until the context ends.
	Watch func(ctx context.Context, changed func(names []string)) error
	// Ready is reported the address as soon as it answers, and Shown which files changed whenever browsers are
	// reported.
	Ready  func(address string)
	OnPage func(names []string)
	// OnError gets errors of checking again, such as for a file that is half written.
	OnError func(error)

	server   *Server
	log      console.Log
	messages chan *console.Message

	mu    sync.Mutex
	known chan struct{} // closed once the site's findings are known
	leave func()        // gives up the check that is under way
	site  *console.Site
}

// maxHeard is how many messages wait to be known; a page that says more at once is not listened to meanwhile.
const maxHeard = 1000

// patience is how long a message waits for what a check knows.
const patience = 5 * time.Second

// Run serves until the context ends, and returns its error, or what keeps the server from beginning.
func (s *Session) Run(ctx context.Context) error {
	p, planned, err := s.Look(ctx)
	if err != nil {
		return err
	}
	tell := s.OnMessage
	s.Project, s.messages = p, make(chan *console.Message, maxHeard)
	s.OnMessage = func(m *console.Message) {
		select {
		case s.messages <- m:
		default:
		}
	}
	if s.server, err = New(ctx, s.Options); err != nil {
		return err
	}
	defer s.server.Close()
	s.server.Update(ctx, p, planned)
	l, err := Listen(s.Host, s.Port)
	if err != nil {
		return err
	}
	origin := "http://" + l.Addr().String()
	if _, port, err := net.SplitHostPort(l.Addr().String()); err == nil {
		if ip := net.ParseIP(s.Host); ip == nil {
			origin = "http://" + net.JoinHostPort(s.Host, port)
		} else if ip.IsUnspecified() {
			origin = "http://" + net.JoinHostPort("127.0.0.1", port) // it answers there, too
		}
	}
	s.server.origin = origin
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	s.inspect(ctx, origin)
	s.spawn(func() { s.tellAll(ctx, tell) })
	if s.Live {
		watched := make(chan struct{})
		s.spawn(func() { s.follow(ctx, origin, sync.OnceFunc(func() { close(watched) })) })
		<-watched // whoever knows the address may save a file at once
	}
	s.Ready(origin)
	return s.server.Run(ctx, l)
}

// follow looks at the project again after each change, and has browsers show it. It calls watched when no change can be
// missed any more.
func (s *Session) follow(ctx context.Context, origin string, watched func()) {
	defer watched()
	begun := false
	err := s.Watch(ctx, func(names []string) {
		first := !begun
		begun = true
		defer watched()
		p, planned, err := s.Look(ctx)
		if err != nil {
			s.OnError(err)
			return
		}
		var inSite []string
		for _, name := range names {
			at := paths.FoundInProject(name)
			if in, ok := at.Below(p.Site()); ok {
				inSite = append(inSite, in.String())
			} else if strings.HasPrefix(name, "crate.") {
				inSite = append(inSite, name) // the records say how all is served
			}
		}
		if len(names) > 0 && len(inSite) == 0 {
			return
		}
		s.server.Update(ctx, p, planned)
		if first && len(names) == 0 {
			return // the watch is set up; nothing is known to have changed
		}
		s.log.Forget()
		s.server.Changed(ctx, inSite)
		s.OnPage(inSite)
		s.inspect(ctx, origin)
	})
	if err != nil && ctx.Err() == nil {
		s.OnError(err)
	}
}

// inspect begins to find out what is wrong with the site. Who wants to know meanwhile waits for it.
func (s *Session) inspect(ctx context.Context, origin string) {
	known := make(chan struct{})
	p := s.server.state.Load().p
	site := &console.Site{Template: s.server.TemplateLine, Origin: origin, Sites: p.Site(), Tags: tags.Describe(p),
		Read: func(name string) []byte {
			b, _ := s.server.root.ReadFile(name)
			return b
		}, Shift: func(m *console.Message) int { return s.server.Shift(m.Page, m.Line, m.Column) }}
	ctx, leave := context.WithCancel(ctx)
	s.mu.Lock()
	if s.leave != nil {
		s.leave() // it was of what is no more
	}
	s.known, s.site, s.leave = known, site, leave
	s.mu.Unlock()
	s.spawn(func() {
		defer close(known)
		defer leave()
		list, err := s.Check(ctx)
		if err != nil && ctx.Err() == nil {
			s.OnError(err)
		}
		site.Findings = list
	})
}

// spawn runs work beside the server. A fault of this program in it is reported, and the server goes on.
func (s *Session) spawn(work func()) {
	go func() {
		if err := parallel.Recover(func() error { work(); return nil }); err != nil {
			s.OnError(err)
		}
	}()
}

// tellAll tells each message once, with its cause.
func (s *Session) tellAll(ctx context.Context, tell func(*console.Message)) {
	for {
		select {
		case <-ctx.Done():
			return
		case m := <-s.messages:
			s.mu.Lock()
			known, site := s.known, s.site
			s.mu.Unlock()
			select {
			case <-known:
			case <-time.After(patience):
				// without what is not known yet
				site = &console.Site{Origin: site.Origin, Sites: site.Sites, Read: site.Read, Shift: site.Shift,
					Template: site.Template}
			case <-ctx.Done():
				return
			}
			site.Explain(m)
			if s.log.New(m) {
				tell(m)
			}
		}
	}
}
