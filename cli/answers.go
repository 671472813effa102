package cli

import (
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// Answers to --json that are lists of one thing, or that hold what several calls return. Every answer is an object, so
// that keys can be added.
type (
	downloadsAnswer struct {
		Downloads []crate.Download `json:"downloads"` // the newest libraries in the download folder
	}
	textsAnswer struct {
		Texts []crate.LibraryText `json:"texts"` // readme, changelog, licence, or examples
	}
	policiesAnswer struct {
		Policies []crate.PagePolicy `json:"policies"` // the smallest policy of each page
	}
	findingTextAnswer struct {
		Name string `json:"name"` // of the finding
		Text string `json:"text"` // what it means and what to do
	}
	findingTextsAnswer struct {
		Findings []findingTextAnswer `json:"findings"` // all findings that check knows
	}
	orderAnswer struct {
		Pages []crate.Ordered `json:"pages"` // the order of each page
	}
	changesAnswer struct {
		Changes []crate.PastChange `json:"changes"` // the newest first
	}
	undoneAnswer struct {
		Undone []*crate.Undone `json:"undone"` // the changes that were undone, the newest first
	}
	finishedAnswer struct {
		Done []string `json:"done"` // what was completed
	}
	abandonedAnswer struct {
		Changes []crate.AbandonedChange `json:"changes"` // the interrupted changes that were reverted
	}
	sealAnswer struct {
		Files []crate.SealLine `json:"files"` // each with its integrity
	}
	sealedTag struct {
		File string `json:"file"` // a path or an address, as it was typed
		Tag  string `json:"tag"`  // the complete tag
	}
	sealTagsAnswer struct {
		Tags []sealedTag `json:"tags"` // one for each file
	}
	sealedPage struct {
		Page string             `json:"page"` // as it was typed; "-" is standard input
		Tags []crate.SealDemand `json:"tags"` // its tags that load something
	}
	sealCheckAnswer struct {
		Pages []sealedPage `json:"pages"` // in the order in which they were named
	}
	sourcesAnswer struct {
		Registries []crate.SourceState    `json:"registries"` // of your settings, each with its state
		CDNs       map[string]cdn.Pattern `json:"cdns"`       // of the packing list: name to address pattern
	}
	hostsAnswer struct {
		Hosts []crate.MeasuredHost `json:"hosts"` // that pages link to
	}
	cdnFilesAnswer struct {
		Files []crate.CDNFile `json:"files"` // of the crate, as the CDNs have them
	}
	registryAnswer struct {
		Registry record.Registry `json:"registry"` // as it is in your settings now
	}
	hostAddressesAnswer struct {
		Hosts map[string]string `json:"hosts"` // name to address, as in your settings now
	}
	settingAnswer struct {
		Set string `json:"set"` // the absolute path that was set
	}
	upgradesAnswer struct {
		Libraries []crate.UpgradeLine `json:"libraries"` // of the crate, each with what is newer
	}
	sitesAnswer struct {
		Sites []siteAnswer `json:"sites"` // every site below the folder, each with its answer
	}
	lookedChange struct {
		Change   any           `json:"change"`   // the answer of the command that changed something
		Look     *crate.Looked `json:"look"`     // how the pages look after the change
		Reverted bool          `json:"reverted"` // the change was reverted
	}
	demoFoldersAnswer struct {
		Site      string `json:"site"`      // the folder of the site
		Downloads string `json:"downloads"` // the folder of the downloaded libraries
		More      string `json:"more"`      // the folder of pages for later
	}
	standInsAnswer struct {
		Site        string `json:"site"`        // the folder of the site
		Registry    string `json:"registry"`    // the address of the demo's registry
		CDN         string `json:"cdn"`         // the address, with port, of the demo's CDN
		Certificate string `json:"certificate"` // the file with the CDN's certificate authority
	}
	demoAnswer struct {
		Site  string   `json:"site"`  // the folder of the site
		Steps []played `json:"steps"` // the commands that were played
	}
	versionAnswer struct {
		Version string `json:"version"`          // of the program
		Commit  string `json:"commit,omitempty"` // of its source
		Go      string `json:"go"`               // the version of Go that built it
		OS      string `json:"os"`               // the system that it is for
		Arch    string `json:"arch"`             // the processor that it is for
	}
	helpFlag struct {
		Name    string `json:"name"`              // without dashes
		Value   string `json:"value,omitempty"`   // what to write for the value; missing for switches
		Text    string `json:"text"`              // what it does
		Default string `json:"default,omitempty"` // the value without the flag
	}
	helpCommand struct {
		Name string `json:"name"` // as it is typed
		Text string `json:"text"` // what it does
	}
	helpAnswer struct {
		Name     string        `json:"name"`               // of the command, as it is typed
		Use      string        `json:"use"`                // its line of arguments
		Summary  string        `json:"summary"`            // what it does, in a line
		Text     string        `json:"text,omitempty"`     // the whole description
		Examples []string      `json:"examples,omitempty"` // commands on the demo's data
		Commands []helpCommand `json:"commands,omitempty"` // the commands below it
		Flags    []helpFlag    `json:"flags"`              // its own and those of all commands
	}
	completionAnswer struct {
		Shell  string `json:"shell"`  // bash, zsh, fish or powershell
		Script string `json:"script"` // what the shell reads
	}
	errorAnswer struct {
		Error string       `json:"error"` // what went wrong
		Code  problem.Code `json:"code"`  // the stable name of the error
		Class string       `json:"class"` // refused, misused, outside or internal: the exit status 1, 2, 3 or 4
		Next  string       `json:"next"`  // what to do next
	}
	drawingAnswer struct {
		Page    string `json:"page"`    // the page that was drawn
		Form    string `json:"form"`    // svg, dot or mermaid
		Drawing string `json:"drawing"` // the text of the drawing
	}
)

// Answers are the types of the answers to --json, by the names of their schemas in docs/schemas.
var Answers = map[string]any{
	"adopt": crate.Adopted{}, "bill": crate.Bill{}, "cache": crate.CacheUse{}, "check": crate.Checked{},
	"check-explain": findingTextAnswer{}, "check-explain-all": findingTextsAnswer{}, "check-fix": mendedAndChecked{},
	"check-fix-plan": crate.Mended{}, "check-policy": policiesAnswer{}, "compare": crate.Compared{},
	"compare-look": comparedLook{}, "completion": completionAnswer{}, "contents": crate.Contents{},
	"demo": demoAnswer{}, "demo-bare": demoFoldersAnswer{}, "demo-stand-ins": standInsAnswer{},
	"drop": crate.Dropped{}, "error": errorAnswer{}, "help": helpAnswer{}, "hold": crate.Held{},
	"include": crate.Included{}, "look": crate.Looked{}, "looked-change": lookedChange{}, "move": crate.Moved{},
	"omit": crate.Included{}, "order": orderAnswer{}, "order-fix": crate.OrderFixed{}, "order-graph": drawingAnswer{},
	"peek": crate.Peeked{}, "peek-downloads": downloadsAnswer{}, "peek-texts": textsAnswer{},
	"refill": crate.Refilled{}, "repin": crate.Repinned{}, "seal": sealAnswer{}, "seal-check": sealCheckAnswer{},
	"seal-html": sealTagsAnswer{}, "settle": crate.Settled{}, "sites": sitesAnswer{}, "sources": sourcesAnswer{},
	"sources-learn": crate.Learned{}, "sources-measure": hostsAnswer{}, "sources-set": settingAnswer{},
	"sources-set-cdn": crate.Result{}, "sources-set-host": hostAddressesAnswer{},
	"sources-set-registry": registryAnswer{}, "sources-try": cdnFilesAnswer{}, "start": crate.Started{},
	"switch": crate.Switched{}, "take": crate.Taken{}, "undo": crate.Undone{}, "undo-abandon": abandonedAnswer{},
	"undo-finish": finishedAnswer{}, "undo-list": changesAnswer{}, "undo-several": undoneAnswer{},
	"version": versionAnswer{}, "versions": crate.Versions{}, "versions-newer": upgradesAnswer{},
}
