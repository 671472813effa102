package cli

import (
	"strings"

	"github.com/spf13/cobra"
)

// meant are commands that people try, by the command that does what they mean.
var meant = map[string]string{
	"take":     "add install get fetch download pull import bring",
	"peek":     "view info inspect open search find",
	"contents": "list ls show status",
	"drop":     "remove rm uninstall delete del purge",
	"repin":    "update upgrade up bump",
	"versions": "outdated newer latest",
	"refill":   "restore reinstall sync",
	"settle":   "apply reconcile",
	"undo":     "revert rollback back",
	"check":    "lint test verify validate audit",
	"start":    "init new create setup",
	"switch":   "replace cdn local",
	"serve":    "run dev server preview",
	"hold":     "pin lock freeze",
	"omit":     "exclude untag",
	"move":     "mv rename relocate",
	"bill":     "sbom licenses licences",
	"seal":     "hash integrity sri sign",
	"compare":  "diff changelog",
	"order":    "sort graph why",
	"sources":  "registry registries config",
}

// flagMeanings are flags that people try, by the flag that does what they mean. A word may stand at several flags, of
// different commands.
var flagMeanings = map[string]string{
	"as":             "alias name",
	"because":        "reason message comment",
	"dry-run":        "dry preview plan simulate noop",
	"even-if-needed": "force f",
	"files":          "include only select",
	"fresh":          "no-cache refresh reload",
	"from":           "source",
	"in":             "cwd dir directory root prefix",
	"integrity":      "sri hash checksum digest",
	"into":           "dest destination output-dir target folder",
	"json":           "format output",
	"minified":       "min minify production prod",
	"newest-allowed": "latest all",
	"offline":        "no-network",
	"overwrite":      "force f yes",
	"page":           "pages html to",
	"port":           "listen",
	"quiet":          "silent",
	"readable":       "dev development unminified debug",
	"report":         "html out output",
	"with-needs":     "deps dependencies with-deps recursive",
}

// suggestByMeaning has unknown commands answered by what they mean, not by their spelling alone.
func suggestByMeaning(root *cobra.Command) {
	for _, c := range root.Commands() {
		c.SuggestFor = strings.Fields(meant[c.Name()])
	}
}

// suggestions are the commands that a word may mean: those that mean it, else those that are spelt like it.
func suggestions(root *cobra.Command, word string) []string {
	for _, c := range root.Commands() {
		for _, w := range c.SuggestFor {
			if strings.EqualFold(w, word) {
				return []string{c.Name()}
			}
		}
	}
	return root.SuggestionsFor(word)
}
