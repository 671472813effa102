// Release makes what is handed out: the static program for three systems and two processors in archives of the
// platform's habit, Debian packages, the bill of what the program is made of, the licences of all that, and the
// checksums. The same commit and version give the same bytes on any machine with the same Go.
//
//	go run ./release 1.4.0
//	go run ./release 1.4.0 --to dist --only linux/amd64
package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/Masterminds/semver/v3"
	"github.com/dustin/go-humanize"

	"merrycrate.example/merry/cli"
)

// platforms are what the program is built for.
var platforms = []string{"linux/amd64", "linux/arm64", "darwin/amd64", "darwin/arm64", "windows/amd64", "windows/arm64"}

func main() {
	// An interrupt ends the build that is going on, and the release with it.
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

// run makes the release that the arguments ask for: VERSION, then flags.
func run(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("release", flag.ContinueOnError)
	to := flags.String("to", "dist", "the `folder` that the release goes into; it must be new or empty")
	only := flags.String("only", "", "build for one `platform` alone, such as linux/amd64")
	if len(args) == 0 || strings.HasPrefix(args[0], "-") {
		return fmt.Errorf("say the version: go run ./release 1.4.0")
	}
	version, err := semver.StrictNewVersion(args[0])
	if err != nil {
		return fmt.Errorf("%s is no version as Semantic Versioning 2.0.0 has them: write 1.4.0", args[0])
	}
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	wanted := platforms
	if *only != "" {
		if !slices.Contains(platforms, *only) {
			return fmt.Errorf("%s is none of %s", *only, strings.Join(platforms, ", "))
		}
		wanted = []string{*only}
	}
	if there, err := os.ReadDir(*to); err == nil && len(there) > 0 {
		return fmt.Errorf("%s is not empty; empty it, or name another folder with --to", *to)
	}
	when, err := sourceTime(ctx)
	if err != nil {
		return err
	}
	// The folder is there with everything in it, or not at all.
	if err := os.MkdirAll(filepath.Dir(*to), 0o755); err != nil {
		return err
	}
	making, err := os.MkdirTemp(filepath.Dir(*to), ".release-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(making)
	if err := (release{version: version.String(), when: when, to: making}).make(ctx, wanted); err != nil {
		return err
	}
	if err := os.Chmod(making, 0o755); err != nil {
		return err
	}
	if err := os.Remove(*to); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return os.Rename(making, *to)
}

// sourceTime is the time that everything in the release bears: what SOURCE_DATE_EPOCH says, else the commit's.
func sourceTime(ctx context.Context) (time.Time, error) {
	said := os.Getenv("SOURCE_DATE_EPOCH")
	if said == "" {
		out, err := exec.CommandContext(ctx, "git", "log", "-1", "--format=%ct").Output()
		if err != nil {
			return time.Time{}, fmt.Errorf("the time of the commit can't be asked (%w); set SOURCE_DATE_EPOCH to its "+
				"seconds since 1970", err)
		}
		said = strings.TrimSpace(string(out))
	}
	seconds, err := strconv.ParseInt(said, 10, 64)
	if err != nil {
		return time.Time{}, fmt.Errorf("%q is no number of seconds since 1970", said)
	}
	return time.Unix(seconds, 0).UTC(), nil
}

// release is one release as it is made.
type release struct {
	version string
	when    time.Time
	to      string
}

// make makes all files of the release for some platforms, and says what they weigh.
func (r release) make(ctx context.Context, wanted []string) error {
	beside, err := r.beside(ctx)
	if err != nil {
		return err
	}
	parts, err := dependencies(ctx)
	if err != nil {
		return err
	}
	notices := file{name: "NOTICES.txt", data: notices(parts)}
	bill, err := bill(r.version, parts)
	if err != nil {
		return err
	}
	if err := r.put(fmt.Sprintf("merry-%s.cdx.json", r.version), bill); err != nil {
		return err
	}
	for _, platform := range wanted {
		system, processor, _ := strings.Cut(platform, "/")
		program, err := r.build(ctx, system, processor)
		if err != nil {
			return err
		}
		fmt.Printf("%-14s %s\n", platform, humanize.Bytes(uint64(len(program))))
		files := append([]file{{name: "merry", data: program, runs: true}, notices}, beside...)
		name := fmt.Sprintf("merry-%s-%s-%s", r.version, system, processor)
		var packed []byte
		if system == "windows" {
			files[0].name = "merry.exe"
			packed, err = zipped(name, files, r.when)
			name += ".zip"
		} else {
			packed, err = tarred(name+"/", files, r.when)
			name += ".tar.gz"
		}
		if err == nil {
			err = r.put(name, packed)
		}
		if err == nil && system == "linux" {
			packed, err = r.debian(processor, files, parts)
			if err == nil {
				err = r.put(fmt.Sprintf("merry_%s_%s.deb", r.debianVersion(), processor), packed)
			}
		}
		if err != nil {
			return err
		}
	}
	return r.sums()
}

// put writes one file of the release.
func (r release) put(name string, data []byte) error {
	return os.WriteFile(filepath.Join(r.to, name), data, 0o644)
}

// build builds the program for a platform, without the paths of this machine.
func (r release) build(ctx context.Context, system, processor string) ([]byte, error) {
	at := filepath.Join(r.to, ".build")
	defer os.Remove(at)
	c := exec.CommandContext(ctx, "go", "build", "-trimpath", "-buildvcs=auto", "-ldflags",
		"-s -w -X merrycrate.example/merry/cli.released="+r.version, "-o", at, "./cmd/merry")
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+processor, "GOFLAGS=", "GOAMD64=v1",
		"GOARM64=v8.0")
	if out, err := c.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("building for %s/%s: %w\n%s", system, processor, err, out)
	}
	return os.ReadFile(at)
}

// beside are the files that go with the program: its readme, its manual pages, its completions.
func (r release) beside(ctx context.Context) ([]file, error) {
	readme, err := os.ReadFile("README.md")
	if err != nil {
		return nil, err
	}
	files := []file{{name: "README.md", data: readme}}
	pages, err := r.manual()
	if err != nil {
		return nil, err
	}
	files = append(files, pages...)
	for _, c := range []struct{ shell, name string }{{"bash", "merry.bash"}, {"zsh", "_merry"}, {"fish", "merry.fish"},
		{"powershell", "merry.ps1"}} {
		var out, wrong bytes.Buffer
		if cli.Run(ctx, []string{"completion", c.shell}, strings.NewReader(""), &out, &wrong) != 0 {
			return nil, fmt.Errorf("completions for %s: %s", c.shell, wrong.String())
		}
		files = append(files, file{name: "completions/" + c.name, data: out.Bytes()})
	}
	return files, nil
}

// sums writes the SHA-256 of every file of the release, as sha256sum reads them.
func (r release) sums() error {
	there, err := os.ReadDir(r.to)
	if err != nil {
		return err
	}
	var b strings.Builder
	for _, e := range there {
		data, err := os.ReadFile(filepath.Join(r.to, e.Name()))
		if err != nil {
			return err
		}
		fmt.Fprintf(&b, "%x  %s\n", sha256.Sum256(data), e.Name())
	}
	return r.put("SHA256SUMS", []byte(b.String()))
}
