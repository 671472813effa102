package check

import (
	"net/url"
)

// The parts of a SARIF log that are written (SARIF 2.1.0, section 3). Columns count bytes here, which SARIF can't say;
// on lines beyond ASCII a viewer's column may be off by a few.
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool    sarifTool            `json:"tool"`
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

// SARIF returns findings as a SARIF 2.1.0 log of this version of the program, ready for JSON.
func SARIF(findings []Finding, version string) any {
	driver := sarifDriver{Name: "merry", Version: version, Rules: []sarifRule{}}
	index := map[string]int{}
	results := []sarifResult{}
	for _, f := range findings {
		level := string(f.Severity)
		if _, ok := index[f.Name]; !ok {
			index[f.Name] = len(driver.Rules)
			driver.Rules = append(driver.Rules, sarifRule{ID: f.Name, Help: sarifText{Explain(f.Name)},
				Default: sarifDefault{level}})
		}
		at := sarifPhysical{Artifact: sarifArtifact{URI: (&url.URL{Path: f.File}).EscapedPath(), BaseID: "PROJECT"}}
		if f.Line > 0 {
			at.Region = &sarifRegion{f.Line, f.Column}
		}
		results = append(results, sarifResult{RuleID: f.Name, RuleIndex: index[f.Name], Level: level,
			Message:   sarifText{f.Message + ". Why: " + f.Why + ". Next: " + f.Next + consequences(f)},
			Locations: []sarifLocation{{at}}})
	}
	return sarifLog{Schema: "https://json.schemastore.org/sarif-2.1.0.json", Version: "2.1.0",
		Runs: []sarifRun{{Tool: sarifTool{driver}, Results: results,
			Bases: map[string]sarifBase{"PROJECT": {sarifText{"the folder of the packing list"}}}}}}
}

// consequences are what else stops, in words.
func consequences(f Finding) string {
	if f.Then == "" {
		return ""
	}
	return ". Then: " + f.Then
}
