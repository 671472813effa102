package merrytest

import (
	"archive/zip"
	"bytes"
	"os"
	"sync"
	"testing"

	"merrycrate.example/merry/standin"
)

// PlainPage is a page that nothing is wrong with and that loads nothing.
const PlainPage = `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Log</title></head>
<body>
</body>
</html>
`

// Started is the club's site with both libraries on every page: a copy of one that is made once.
func Started(t testing.TB) *Site {
	t.Helper()
	started.Do(func() {
		base, err := os.MkdirTemp("", "started-")
		if err != nil {
			t.Fatal(err)
		}
		atEnd(func() { os.RemoveAll(base) })
		s := emptyIn(t, base)
		s.furnish()
		s.Run("start")
		s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
		s.Run("take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**")
		startedSite = s
	})
	if startedSite == nil {
		t.Fatal("the club's site could not be made")
	}
	c := Empty(t)
	if err := startedSite.copyTo(c); err != nil {
		t.Fatal(err)
	}
	return c
}

var (
	started     sync.Once
	startedSite *Site
)

// Registered is the club's site, started, with a registry that it may ask.
func Registered(t testing.TB) (*Site, *standin.Registry) {
	t.Helper()
	s := Club(t)
	s.Run("start")
	return s, s.Register()
}

// Register starts a registry, for as long as the test lasts, and sets it as the one that the site's user asks.
func (s *Site) Register() *standin.Registry {
	s.T.Helper()
	r, err := standin.NewRegistry()
	if err != nil {
		s.T.Fatal(err)
	}
	s.T.Cleanup(r.Close)
	s.Run("sources", "set", "registry", r.URL)
	return r
}

// Archive writes a zip archive beside the site, and returns its name as a command takes it.
func (s *Site) Archive(name string, files map[string]string) string {
	s.T.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for file, text := range files {
		w, err := z.Create(file)
		if err != nil {
			s.T.Fatal(err)
		}
		w.Write([]byte(text))
	}
	if err := z.Close(); err != nil {
		s.T.Fatal(err)
	}
	s.Write("../downloads/"+name, b.String())
	return "../downloads/" + name
}
