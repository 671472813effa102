package main

import (
	"bytes"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/cli"
	"merrycrate.example/merry/crate/memo"
)

// manual makes the manual pages, in section 1: one for each command that help lists.
func (r release) manual() ([]file, error) {
	root := cli.Command()
	root.DisableAutoGenTag = true
	escapeTexts(root)
	var files []file
	var add func(c *cobra.Command) error
	add = func(c *cobra.Command) error {
		name := strings.ReplaceAll(c.CommandPath(), " ", "-")
		header := &doc.GenManHeader{Title: strings.ToUpper(name), Section: "1", Date: &r.when,
			Source: "merry " + r.version, Manual: "Merry Crate"}
		var page bytes.Buffer
		if err := doc.GenMan(c, header, &page); err != nil {
			return err
		}
		files = append(files, file{name: "man/" + name + ".1", data: r.tagged(withValues(c,
			page.Bytes()))})
		for _, sub := range c.Commands() {
			if sub.IsAvailableCommand() && !sub.IsAdditionalHelpTopicCommand() {
				if err := add(sub); err != nil {
					return err
				}
			}
		}
		return nil
	}
	return files, add(root)
}

// flagLine is the heading of a flag in a manual page: its names in bold, and its default value behind "=".
var flagLine = memo.Regexp(`(?m)^((?:\\fB-\w\\fP, )?\\fB--([a-z-]+)\\fP)\[?=.*$`)

// withValues replaces the default values in the headings of flags by the names of the values, as help shows them:
// --as NAME in place of --as="".
func withValues(c *cobra.Command, page []byte) []byte {
	return flagLine().ReplaceAllFunc(page, func(line []byte) []byte {
		m := flagLine().FindSubmatch(line)
		var f *pflag.Flag
		if f = c.Flags().Lookup(string(m[2])); f == nil {
			f = c.InheritedFlags().Lookup(string(m[2]))
		}
		if f == nil || f.Value.Type() == "bool" {
			return m[1]
		}
		value, _ := pflag.UnquoteUsage(f)
		if f.NoOptDefVal != "" {
			return []byte(string(m[1]) + "[=\\fI" + value + "\\fP]")
		}
		return []byte(string(m[1]) + " \\fI" + value + "\\fP")
	})
}

// described is a flag's heading in a manual page with the text below it, as the maker writes it.
var (
	described = memo.Regexp(`(?m)^(?:\.PP\n)?(\\fB-[^\n]*)\n\t([^\n]*)$`)
	dated     = memo.Regexp(`(?m)^(\.TH "[^"]*" "1" )"[^"]*"`)
)

// tagged writes a page's flags as tagged paragraphs, which any reader of manual pages lays out, and its date as ISO
// 8601 has it (man(7)).
func (r release) tagged(page []byte) []byte {
	page = described().ReplaceAll(page, []byte(".TP\n$1\n$2"))
	return dated().ReplaceAll(page, []byte(`${1}"`+r.when.Format(time.DateOnly)+`"`))
}
