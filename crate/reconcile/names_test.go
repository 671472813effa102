package reconcile

import "testing"

// TestSaysNothing: names of which no word tells the library may be anybody's; those that say whose they are may not.
func TestSaysNothing(t *testing.T) {
	for name, want := range map[string]bool{"index.js": true, "index-browser.es.js": true, "main.min.css": true,
		"style_prod.css": true, "index.3f2a.js": true, "Main.js": true,
		"oarlock.js": false, "oarlock.min.js": false, "index-oarlock.js": false, "tide-core.js": false,
		"knots.index.js": false} {
		if saysNothing(name) != want {
			t.Errorf("%s: %v", name, !want)
		}
	}
}
