package record

import "go.yaml.in/yaml/v3"

// Settings are a user's own, for all projects.
type Settings struct {
	Format    int    `yaml:"format"`
	Downloads string `yaml:"downloads,omitempty"` // the folder where downloads arrive
}

// ReadSettings reads a user's settings.
func ReadSettings(src []byte) (*Settings, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal(src, &doc); err != nil {
		return nil, syntaxError(src, err)
	}
	s := &Settings{}
	if len(doc.Content) == 0 {
		return s, nil
	}
	return s, decode(doc.Content[0], s, "")
}
