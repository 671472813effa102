package page

import (
	"bytes"
	"errors"
)

// ErrReport is returned for one of merry's own reports, which may lie in a site and is no page of it.
var ErrReport = errors.New("it is a report that merry wrote, not a page")

// reportMark is what reports have in their heads.
var reportMark = []byte(`<meta name="generator" content="merry: a report">`)

// IsReport tells one of merry's own reports, which may lie in a site and is no page of it.
func IsReport(b []byte) bool { return bytes.Contains(b[:min(len(b), 200)], reportMark) }
