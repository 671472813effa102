package script

import "testing"

// TestCertainNeeds: a need is certain only if nothing of the script runs before it is read.
func TestCertainNeeds(t *testing.T) {
	for text, want := range map[string]bool{
		"var a = oarlock":                                     true,
		"var a = 1, b = oarlock.version":                      true,
		"oarlock.ready(function () {})":                       true,
		"oarlock(function () {})":                             true,
		"new oarlock.Boat(1)":                                 true,
		"'use strict'; !function ($) { $.x = 1 }(oarlock)":    true,
		"(function ($) { $.x = 1 })(oarlock, window)":         true,
		"function row() {} var a = (oarlock)":                 true,
		"oarlock.fn.row = function () {}":                     true,
		"crew = oarlock.crew":                                 true,
		"window.x = 1; oarlock()":                             false,
		"if (window.x) oarlock()":                             false,
		"typeof oarlock == 'undefined' || oarlock()":          false,
		"if (x) start(); oarlock()":                           false,
		"start(); oarlock()":                                  false,
		"try { oarlock() } catch (e) {}":                      false,
		"var a = start(oarlock)":                              false,
		"(function () { if (x) return; oarlock.fn.x = 1 })()": false,
		"throw oarlock":                                       false,
		"import x from 'x'; oarlock()":                        false,
	} {
		got := false
		for _, n := range Analyze([]byte(text)).Needs {
			got = got || n.Name == "oarlock" && n.Certain
		}
		if got != want {
			t.Errorf("%s: certain %v, want %v", text, got, want)
		}
	}
}
