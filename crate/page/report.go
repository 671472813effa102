package page

import "bytes"

// reportMark is what reports have in their heads.
var reportMark = []byte(`<meta name="generator" content="merry: a report">`)

// IsReport tells one of merry's own reports, which may lie in a site and is no page of it.
func IsReport(b []byte) bool { return bytes.Contains(b[:min(len(b), 200)], reportMark) }
