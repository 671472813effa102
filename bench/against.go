package main

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
)

// worse is how many times as large a ratio may be as before: a quarter more, since machines differ from run to run.
const worse = 1.25

// write keeps the ratios of the rows in a file, as JSON.
func (b *bench) write(file string) error {
	text, err := json.MarshalIndent(b.ratios, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(text, '\n'), 0o644)
}

// compare is an error that lists the rows whose ratios are a quarter worse than those that a file has. Rows that either
// lacks are left out.
func (b *bench) compare(file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before := map[string]float64{}
	if err := json.Unmarshal(text, &before); err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	var list []string
	for _, name := range b.rows {
		if was, is := before[name]; is && b.ratios[name] > was*worse {
			list = append(list, fmt.Sprintf("%s: %.2f, and was %.2f", name, b.ratios[name], was))
		}
	}
	if len(list) > 0 {
		return fmt.Errorf("a quarter worse than in %s:\n  %s", file, strings.Join(list, "\n  "))
	}
	return nil
}
