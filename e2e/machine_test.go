package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestAnotherMachine: a fresh checkout with an empty cache gets every file back, byte for byte, from the registry and
// from the addresses that the seal and the packing list know; and nothing that is not what was sealed.
func TestAnotherMachine(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, r := upgradable(t)
	s.Run("drop", "brinework") // that one came from a download, which another machine does not have
	s.Run("hold", "tidechart", "--because", "the chart is fine as it is")
	state := s.State()
	settings, err := os.ReadFile(filepath.Join(s.Home, ".merry/settings.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	forget := func() {
		if err := os.RemoveAll(filepath.Join(s.Home, ".merry")); err != nil {
			t.Fatal(err)
		}
		if err := os.MkdirAll(filepath.Join(s.Home, ".merry"), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(s.Home, ".merry/settings.yaml"), settings, 0o600); err != nil {
			t.Fatal(err)
		}
		for _, gone := range []string{"js/tidechart.min.js", "js/tidechart.min.js", "css/tidechart.min.css"} {
			os.Remove(filepath.Join(s.Dir, gone))
		}
	}
	forget()
	s.Fail(1, []string{"js/tidechart.min.js"}, "refill", "--offline")
	out := s.Run("refill", "tidechart")
	if s.State() != state || !strings.Contains(out, "restored js/tidechart.min.js") {
		t.Errorf("refill says\n%s", out)
	}
	// A registry that gives other bytes for the same version is found out.
	forget()
	if err := r.Publish("tidechart", "3.1.0",
		map[string][]byte{"package.json": []byte(`{"name":"tidechart","version":"3.1.0"}`),
			"dist/tidechart.min.js": []byte("window.tidechart = 'another';\n")}); err != nil {
		t.Fatal(err)
	}
	s.Fail(1, []string{"the bytes of 3.1.0 in the registry are not the sealed ones", "sealed: sha384-",
		"there:  sha384-"}, "refill", "tidechart")
	if _, err := os.Stat(filepath.Join(s.Dir, "js/tidechart.min.js")); err == nil {
		t.Error("other bytes were put there")
	}
}

// TestBuildsComeWithTheirMaps: the other build that a switch brings has its source map beside it.
func TestBuildsComeWithTheirMaps(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("drop", "brinework")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--maps", "--readable", "--page", "**")
	if _, err := os.Stat(filepath.Join(s.Dir, "css/brinework.min.css")); err == nil {
		t.Fatal("both builds are there")
	}
	out := s.Run("switch", "brinework", "--minified", "--offline")
	for _, name := range []string{"css/brinework.min.css", "css/brinework.min.css.map", "js/brinework.min.js",
		"js/brinework.min.js.map"} {
		if !strings.Contains(out, "added for it: "+name) {
			t.Errorf("%s is not said:\n%s", name, out)
		}
		s.Read(name)
	}
	s.Run("check")
	before := s.State()
	s.Run("switch", "brinework", "--readable")
	s.Run("switch", "brinework", "--minified")
	if s.State() != before {
		t.Error("there and back is not the same")
	}
}

// TestUpAndDown: a version up and down again, by every way of naming it, gives the same site.
func TestUpAndDown(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	before := s.Pages() + s.Read("crate.yaml") + s.Read("crate.seal.json")
	for _, wish := range []string{"tidechart@3.0.0", "tidechart@~3.0", "tidechart@<3.1"} {
		s.Run("repin", wish)
		if !strings.Contains(s.Read("js/tidechart.min.js"), "3.0.0") {
			t.Errorf("%s did not move it", wish)
		}
		s.Run("check")
		s.Run("repin", "tidechart@3.1.0")
		if after := s.Pages() + s.Read("crate.yaml") + s.Read("crate.seal.json"); after != before {
			t.Errorf("%s and back: the site is not as before", wish)
		}
	}
	// A file that somebody changed is never lost.
	s.Write("js/tidechart.min.js", s.Read("js/tidechart.min.js")+"// my own line\n")
	state := s.State()
	s.Fail(1, []string{"was changed since it was taken"}, "repin", "tidechart@3.0.0")
	if s.State() != state {
		t.Error("a refused repin changed something")
	}
}

// TestOfflineAfterOnce: what was compared, adopted and looked up once works without a network.
func TestOfflineAfterOnce(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, r := upgradable(t)
	first := s.Run("compare", "brinework", "2.0.0")
	newer := s.Run("versions", "--newer")
	s.Run("repin", "brinework@2.0.0", "--rename-sure", "--dry-run")
	r.Close()
	if again := s.Run("compare", "brinework", "2.0.0", "--offline"); strings.ReplaceAll(again, " --offline",
		"") != first {
		t.Errorf("offline compare says\n%s", again)
	}
	if again := s.Run("versions", "--newer", "--offline"); strings.ReplaceAll(again, " --offline", "") != newer {
		t.Errorf("offline versions says\n%s", again)
	}
	s.Run("repin", "brinework@2.0.0", "--rename-sure", "--offline")
	s.Run("undo")
	s.Fail(3, []string{"--offline allows no"}, "compare", "oarlock", "1.3.0", "--offline")
}
