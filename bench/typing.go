package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/exp/jsonrpc2"
)

// pipes are the two ends of a program's input and output.
type pipes struct {
	io.ReadCloser
	io.WriteCloser
}

func (p pipes) Dial(context.Context) (io.ReadWriteCloser, error) { return p, nil }

func (p pipes) Close() error {
	p.WriteCloser.Close()
	return p.ReadCloser.Close()
}

// typing prints how soon an editor is told what is wrong after a pause, on a site of 1,000 pages, and what the server
// holds. Each edit takes a tag of the page off, or puts it back, so that each has an answer.
func (b *bench) typing() error {
	site, err := b.typingSite()
	if err != nil {
		return err
	}
	page := filepath.Join(site, "page7.html")
	text, err := os.ReadFile(page)
	if err != nil {
		return err
	}
	cmd := b.command(site, b.merry, "editor")
	in, err := cmd.StdinPipe()
	if err != nil {
		return err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	told := make(chan int, 100) // how many findings the page has
	uri := "file://" + page
	ctx := context.Background()
	conn, err := jsonrpc2.Dial(ctx, pipes{out, in}, jsonrpc2.ConnectionOptions{Handler: jsonrpc2.HandlerFunc(
		func(_ context.Context, req *jsonrpc2.Request) (any, error) {
			var p struct {
				URI         string
				Diagnostics []any
			}
			if json.Unmarshal(req.Params, &p) == nil && p.URI == uri {
				told <- len(p.Diagnostics)
			}
			return nil, nil
		})})
	if err != nil {
		return err
	}
	if err := conn.Call(ctx, "initialize", map[string]any{"rootUri": "file://" + site,
		"capabilities": map[string]any{}}).Await(ctx, nil); err != nil {
		return err
	}
	conn.Notify(ctx, "textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": uri,
		"languageId": "html",
		"version":    1, "text": string(text)}})
	first := <-told
	var times []float64
	for i := range 200 {
		changed := string(text)
		if i%2 == 0 {
			changed = strings.Replace(changed, "sheet.js", "shet.js", 1)
		}
		from := time.Now()
		conn.Notify(ctx, "textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": uri,
			"version": i + 2},
			"contentChanges": []any{map[string]any{"text": changed}}})
		for n := <-told; (n > first) != (i%2 == 0); n = <-told {
		}
		times = append(times, time.Since(from).Seconds())
	}
	conn.Call(ctx, "shutdown", nil).Await(ctx, nil)
	conn.Notify(ctx, "exit", nil)
	in.Close()
	if err := cmd.Wait(); err != nil {
		return err
	}
	slices.Sort(times)
	fmt.Printf("\nfindings while typing, on 1,000 pages: median %.0f ms, 95%% within %.0f ms (mark 150 ms), %d MB "+
		"(mark 150 MB)\n",
		median(times)*1000, times[len(times)*95/100]*1000, maxRSS(cmd)>>20)
	return nil
}

// typingSite makes the site: 1,000 pages with a library.
func (b *bench) typingSite() (string, error) {
	site := filepath.Join(b.dir, "typing")
	if err := makeSheetPages(site); err != nil {
		return "", err
	}
	if err := makeSheets(filepath.Join(b.dir, "sheet-t.zip"), 1); err != nil {
		return "", err
	}
	for _, args := range [][]string{{"start"}, {"take", "../sheet-t.zip", "--as", "sheet", "--page", "**"}} {
		if out, err := b.command(site, b.merry, args...).CombinedOutput(); err != nil {
			return "", fmt.Errorf("%s%w", out, err)
		}
	}
	return site, nil
}
