package e2e

import (
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestSecretsAreNotRecorded: a credential in an address is needed to fetch, and stands in no record, no answer and no
// file of the cache; an address that names a user is refused wherever it can be typed.
func TestSecretsAreNotRecorded(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	b, err := os.ReadFile(filepath.Join(s.Dir, "../downloads/oarlock-2.0.3.zip"))
	if err != nil {
		t.Fatal(err)
	}
	const secret = "9f31c0ffee77ab42d1"
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Query().Get("token") != secret {
			w.WriteHeader(http.StatusForbidden)
			return
		}
		w.Write(b)
	}))
	defer server.Close()
	address := server.URL + "/oarlock-2.0.3.zip?v=2&token=" + secret
	s.Run("start")
	said := s.Run("peek", address) + s.Run("peek", address, "--json") + s.Run("take", address, "--page", "index.html") +
		s.Run("contents", "--json")
	if !strings.Contains(said, "not recorded: the address's token") {
		t.Errorf("nothing is said of what is not recorded:\n%s", said)
	}
	if !strings.Contains(s.Read("crate.yaml"), "oarlock-2.0.3.zip?v=2") {
		t.Errorf("the rest of the address is not recorded:\n%s", s.Read("crate.yaml"))
	}
	failed := s.Fail(3, []string{"does not allow this"}, "peek", strings.Replace(address, secret, "wrong-"+secret[1:],
		1), "--fresh")
	said += failed.Out + failed.Err
	if strings.Contains(said, secret) || strings.Contains(said, "wrong-") {
		t.Errorf("an answer shows the credential:\n%s", said)
	}
	err = filepath.WalkDir(filepath.Dir(s.Dir), func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		b, err := os.ReadFile(name)
		if strings.Contains(string(b), secret) || strings.Contains(name, secret) {
			t.Errorf("%s holds the credential", name)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	before := s.State()
	user := "http://ada:low-water@" + strings.TrimPrefix(server.URL, "http://") + "/oarlock-2.0.3.zip"
	for _, args := range [][]string{{"peek", user}, {"take", user}, {"sources", "learn", user},
		{"sources", "set", "registry", user}, {"sources", "set", "cdn", "quay", user + "/{name}/{version}/{path}"},
		{"sources", "set", "host", "ada:low-water@quay.example", "127.0.0.1:80"}} {
		r := s.Try(args...)
		if r.Status != 2 || strings.Contains(r.Out+r.Err, "low-water") && args[2] != "host" {
			t.Errorf("merry %s: status %d\n%s%s", strings.Join(args, " "), r.Status, r.Out, r.Err)
		}
	}
	if s.State() != before {
		t.Error("something was recorded")
	}
	s.Write("crate.yaml", s.Read("crate.yaml")+"  keel: {version: 1.0.0, from: \""+user+"\"}\n")
	if r := s.Fail(1, []string{"contains a user name"}, "check"); strings.Contains(r.Out+r.Err, "low-water") {
		t.Errorf("the record's fault shows the password:\n%s", r.Err)
	}
}

// TestFetchAndIntegrity: bytes that are not as demanded are not opened, from a path and from an address.
func TestFetchAndIntegrity(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	server := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(s.Dir, "../downloads"))))
	defer server.Close()
	integ := strings.Fields(s.Run("seal", "../downloads/oarlock-2.0.3.zip"))[0]
	for _, source := range []string{"../downloads/oarlock-2.0.3.zip", server.URL + "/oarlock-2.0.3.zip"} {
		s.Fail(1, []string{"does not have the required bytes"}, "peek", source, "--integrity",
			strings.Replace(integ, integ[10:13], "AAA", 1))
		s.Run("peek", source, "--integrity", integ)
	}
}
