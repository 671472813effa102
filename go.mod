module merrycrate.example/merry

go 1.26.8

require (
	github.com/agext/levenshtein v1.2.3
	github.com/aymanbagabas/go-udiff v0.4.1
	github.com/bmatcuk/doublestar/v4 v4.10.4
	github.com/cespare/xxhash/v2 v2.3.0
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
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
)
