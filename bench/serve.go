package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/coder/websocket"
)

// serving measures how fast merry serve begins on 10,000 pages, answers, and tells pages of a change; and how long
// twenty pages are looked at.
func (b *bench) serving() error {
	site := filepath.Join(b.dir, "pages")
	began := time.Now()
	cmd := b.command(site, b.merry, "serve")
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	defer cmd.Wait()
	defer cmd.Process.Kill()
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		return err
	}
	address, _, _ := strings.Cut(line, "/  ")
	if err := get(address + "/js/club.js"); err != nil {
		return err
	}
	fmt.Printf("\nserve, 10,000 pages: answers after %v (mark 100 ms)\n", time.Since(began).Round(time.Millisecond))
	time.Sleep(2 * time.Second) // until it has checked the pages
	pages, err := filepath.Glob(filepath.Join(site, "*", "*.html"))
	if err != nil || len(pages) == 0 {
		return fmt.Errorf("no pages: %v", err)
	}
	var asked []string
	for _, p := range pages[:min(len(pages), 500)] {
		rel, err := filepath.Rel(site, p)
		if err != nil {
			return err
		}
		asked = append(asked, address+"/"+filepath.ToSlash(rel), address+"/js/beacon.js")
	}
	const many = 6000
	var next atomic.Int64
	var mu sync.Mutex
	var took []time.Duration
	var g sync.WaitGroup
	from := time.Now()
	for range 4 {
		g.Go(func() {
			for i := next.Add(1); i <= many; i = next.Add(1) {
				at := time.Now()
				if get(asked[int(i)%len(asked)]) == nil {
					mu.Lock()
					took = append(took, time.Since(at))
					mu.Unlock()
				}
			}
		})
	}
	g.Wait()
	slices.Sort(took)
	if len(took) < many {
		return fmt.Errorf("%d of %d requests were not answered", many-len(took), many)
	}
	fmt.Printf("serve: %.0f requests a second, 95%% within %v, half within %v (mark 2,000, and 5 ms)\n",
		many/time.Since(from).Seconds(), took[many*95/100].Round(10*time.Microsecond),
		took[many/2].Round(10*time.Microsecond))
	return b.told(site, address)
}

// told measures how long after a write an open page is reported of it.
func (b *bench) told(site, address string) error {
	ctx, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	c, _, err := websocket.Dial(ctx, "ws"+strings.TrimPrefix(address, "http")+"/.merry/live", nil)
	if err != nil {
		return err
	}
	defer c.CloseNow()
	var took []time.Duration
	for i := range 15 {
		at := time.Now()
		if err := os.WriteFile(filepath.Join(site, "css", "club.css"), fmt.Appendf(nil, "body { margin: %dpx }\n", i),
			0o644); err != nil {
			return err
		}
		_, text, err := c.Read(ctx)
		var said struct{ Do string }
		if err != nil || json.Unmarshal(text, &said) != nil || said.Do != "styles" {
			return fmt.Errorf("told %s, %v", text, err)
		}
		took = append(took, time.Since(at))
		time.Sleep(700 * time.Millisecond) // a check runs meanwhile
	}
	slices.Sort(took)
	fmt.Printf("serve: a page is told of a change after %v, the slowest of 15 after %v (mark 100 ms, with the "+
		"browser's part)\n", took[len(took)/2].Round(time.Millisecond), took[len(took)-1].Round(time.Millisecond))
	return nil
}

// looking measures how long twenty pages are looked at in the browser of this machine.
func (b *bench) looking() error {
	site := filepath.Join(b.dir, "pages")
	pages, err := filepath.Glob(filepath.Join(site, "*", "*.html"))
	if err != nil || len(pages) < 20 {
		return fmt.Errorf("no pages: %v", err)
	}
	args := []string{"look"}
	for _, p := range pages[:20] {
		rel, err := filepath.Rel(site, p)
		if err != nil {
			return err
		}
		args = append(args, filepath.ToSlash(rel))
	}
	from := time.Now()
	out, err := b.command(site, b.merry, args...).CombinedOutput()
	if !strings.Contains(string(out), "20 pages: ") {
		return fmt.Errorf("%v: %s", err, out)
	}
	fmt.Printf("look: 20 pages in %v (mark 5 s)\n", time.Since(from).Round(10*time.Millisecond))
	return nil
}

func get(address string) error {
	resp, err := client.Get(address)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s", address, resp.Status)
	}
	_, err = io.Copy(io.Discard, resp.Body)
	return err
}

var client = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
