package page

import "testing"

func TestIsReport(t *testing.T) {
	for text, want := range map[string]bool{
		"<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"generator\" " +
			"content=\"merry: a report\">": true,
		"<!doctype html><p>merry: a report": false, "": false,
	} {
		if IsReport([]byte(text)) != want {
			t.Errorf("%q: %v", text, !want)
		}
	}
}
