package check

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/url"
	"strings"
	"unicode/utf16"

	"merrycrate.example/merry/crate/memo"
)

// The parts of a SARIF log that are written (SARIF 2.1.0, section 3). Columns count UTF-16 code units.
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool    sarifTool            `json:"tool"`
		Columns string               `json:"columnKind"`
		Results []sarifResult        `json:"results"`
		Bases   map[string]sarifBase `json:"originalUriBaseIds"`
	}
	sarifBase struct {
		Description sarifText `json:"description"`
	}
	sarifTool struct {
		Driver sarifDriver `json:"driver"`
	}
	sarifDriver struct {
		Name    string      `json:"name"`
		Version string      `json:"version,omitempty"`
		Rules   []sarifRule `json:"rules"`
	}
	sarifRule struct {
		ID      string       `json:"id"`
		Short   sarifText    `json:"shortDescription"`
		Full    sarifText    `json:"fullDescription"`
		Help    sarifText    `json:"help"`
		Default sarifDefault `json:"defaultConfiguration"`
	}
	sarifDefault struct {
		Level string `json:"level"`
	}
	sarifText struct {
		Text string `json:"text"`
	}
	sarifResult struct {
		RuleID    string          `json:"ruleId"`
		RuleIndex int             `json:"ruleIndex"`
		Level     string          `json:"level"`
		Message   sarifText       `json:"message"`
		Locations []sarifLocation `json:"locations"`
		// Fingerprints tell a result from others, wherever it moves in its file (section 3.27.17).
		Fingerprints map[string]string `json:"partialFingerprints"`
	}
	sarifLocation struct {
		Physical sarifPhysical `json:"physicalLocation"`
	}
	sarifPhysical struct {
		Artifact sarifArtifact `json:"artifactLocation"`
		Region   *sarifRegion  `json:"region,omitempty"`
	}
	sarifArtifact struct {
		URI    string `json:"uri"`
		BaseID string `json:"uriBaseId"`
	}
	sarifRegion struct {
		StartLine   int `json:"startLine"`
		StartColumn int `json:"startColumn"`
	}
)

// A Log says how findings are written as SARIF.
type Log struct {
	Program string // the version of this program
	// Line returns a line of a file, without its end, nil if it can't be had: columns count bytes, and are told in
	// UTF-16 code units. Nil for findings whose columns are in these already.
	Line func(file string, line int) []byte
	// Describe returns what a rule is about in a sentence, and its documentation; nil for the findings of check.
	Describe func(name string) (short, help string)
}

// SARIF returns findings as a SARIF 2.1.0 log, ready for JSON.
func (l Log) SARIF(findings []Finding) any {
	describe := l.Describe
	if describe == nil {
		describe = func(name string) (string, string) { return Summary(name), Explain(name) }
	}
	driver := sarifDriver{Name: "merry", Version: l.Program, Rules: []sarifRule{}}
	index, again := map[string]int{}, map[string]int{}
	results := []sarifResult{}
	for _, f := range findings {
		level := string(f.Severity)
		if _, ok := index[f.Name]; !ok {
			index[f.Name] = len(driver.Rules)
			short, help := describe(f.Name)
			driver.Rules = append(driver.Rules, sarifRule{ID: f.Name, Short: sarifText{short},
				Full: sarifText{full(help,
					short)}, Help: sarifText{help}, Default: sarifDefault{level}})
		}
		at := sarifPhysical{Artifact: sarifArtifact{URI: (&url.URL{Path: f.File}).String(), BaseID: "PROJECT"}}
		if f.Line > 0 {
			at.Region = &sarifRegion{f.Line, l.column(f)}
		}
		same := fingerprint(f)
		again[same]++
		results = append(results, sarifResult{RuleID: f.Name, RuleIndex: index[f.Name], Level: level,
			Message:      sarifText{f.Message + ". Why: " + f.Why + ". Next: " + f.Next + consequences(f)},
			Locations:    []sarifLocation{{at}},
			Fingerprints: map[string]string{"findingWithoutPlace/v1": fmt.Sprintf("%s:%d", same, again[same])}})
	}
	return sarifLog{Schema: "https://json.schemastore.org/sarif-2.1.0.json", Version: "2.1.0",
		Runs: []sarifRun{{Tool: sarifTool{driver}, Columns: "utf16CodeUnits", Results: results,
			Bases: map[string]sarifBase{"PROJECT": {sarifText{"the folder of the packing list"}}}}}}
}

// column is where a finding is in its line, in UTF-16 code units.
func (l Log) column(f Finding) int {
	if l.Line == nil || f.Column < 2 {
		return max(f.Column, 1)
	}
	text := l.Line(f.File, f.Line)
	return 1 + len(utf16.Encode([]rune(string(text[:min(f.Column-1, len(text))])))) + max(0, f.Column-1-len(text))
}

// full is what a rule is about, in full: its documentation without heading and severity.
func full(help, short string) string {
	_, text, _ := strings.Cut(help, "\n\n")
	if text = strings.Join(strings.Fields(text), " "); text == "" {
		return short
	}
	return text
}

// fingerprint tells a finding from others by its name, file and message, without places: lines move.
func fingerprint(f Finding) string {
	sum := sha256.Sum256([]byte(f.Name + "\n" + f.File + "\n" + places().ReplaceAllString(f.Message, "")))
	return hex.EncodeToString(sum[:12])
}

var places = memo.Regexp(`\bline \d+|:\d+(?::\d+)?\b`)

// consequences are what else stops, in words.
func consequences(f Finding) string {
	if f.Then == "" {
		return ""
	}
	return ". Then: " + f.Then
}
