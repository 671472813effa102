module merrycrate.example/merry

go 1.26.8

require (
	github.com/agext/levenshtein v1.2.3
	github.com/aymanbagabas/go-udiff v0.4.1
	github.com/bmatcuk/doublestar/v4 v4.10.4
	github.com/cespare/xxhash/v2 v2.3.0
	github.com/chromedp/cdproto v0.0.0-20250724212937-08a3db8b4327
	github.com/chromedp/chromedp v0.14.2
	github.com/dustin/go-humanize v1.1.0
	github.com/gofrs/flock v0.13.1
	github.com/klauspost/compress v1.20.3
	github.com/spf13/cobra v1.10.2
	github.com/tdewolff/minify/v2 v2.24.25
	github.com/tdewolff/parse/v2 v2.8.20
	github.com/ulikunitz/xz v0.5.17
	go.yaml.in/yaml/v3 v3.0.6
	golang.org/x/net v0.62.0
	golang.org/x/sys v0.49.0
	golang.org/x/term v0.47.0
	golang.org/x/text v0.43.0
)

require (
	github.com/chromedp/sysutil v1.1.0 // indirect
	github.com/go-json-experiment/json v0.0.0-20260213210345-44df1a37e875 // indirect
	github.com/gobwas/httphead v0.1.0 // indirect
	github.com/gobwas/pool v0.2.1 // indirect
	github.com/gobwas/ws v1.4.0 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
)
