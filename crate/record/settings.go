package record

import (
	"go.yaml.in/yaml/v3"
)

// Settings are a user's own, for all projects. Credentials are never in them: a registry's token is
// named by the environment variable that holds it.
type Settings struct {
	Format       int        `yaml:"format"`
	Downloads    string     `yaml:"downloads,omitempty"`    // the folder where downloads arrive
	Browser      string     `yaml:"browser,omitempty"`      // the one that pages are looked at with
	Certificates string     `yaml:"certificates,omitempty"` // a file of more authorities to trust, in PEM
	Registries   []Registry `yaml:"registries,omitempty"`
	Trust        []string   `yaml:"trust,omitempty"` // folders whose projects are worked with whoever owns them
	// Hosts says where hosts are, past the machine's own resolver: a name to an address with its port.
	Hosts map[string]string `yaml:"hosts,omitempty"`
	// OwnHosts are hosts that the user named for a CDN: records may lead to them even if they are in the user's own
	// network.
	OwnHosts []string `yaml:"own-hosts,omitempty"`
}

// A Registry is the address of a package registry, for all packages or for those of one scope.
type Registry struct {
	URL string `yaml:"url" json:"url"` // its address
	// the scope it is for; empty means all packages
	Scope     string `yaml:"scope,omitempty" json:"scope,omitempty"`
	TokenFrom string `yaml:"token-from,omitempty" json:"token_from,omitempty"` // an environment variable
	// ArchivesOn are hosts, beside the registry's own, where the archives of its packages may lie.
	ArchivesOn []string `yaml:"archives-on,omitempty" json:"archives_on,omitempty"`
}

// ReadSettings reads a user's settings; no bytes are empty settings.
func ReadSettings(src []byte) (*Settings, error) {
	s := &Settings{Format: Format}
	var doc yaml.Node
	if err := yaml.Unmarshal(src, &doc); err != nil {
		return nil, syntaxError(src, err)
	}
	if len(doc.Content) == 0 {
		return s, nil
	}
	if err := decode(doc.Content[0], s, ""); err != nil {
		return nil, err
	}
	if s.Format > Format {
		return nil, &ListError{Line: 1, Column: 1, Problem: "the settings' format is newer than this program",
			Next: "use the newer program that wrote them"}
	}
	return s, nil
}

// SetRegistry writes a registry into the settings, in the place of the one for the same scope.
func (s *Settings) SetRegistry(r Registry) {
	for i := range s.Registries {
		if s.Registries[i].Scope == r.Scope {
			s.Registries[i] = r
			return
		}
	}
	s.Registries = append(s.Registries, r)
}

// Bytes writes the settings.
func (s *Settings) Bytes() ([]byte, error) { return yaml.Marshal(s) }
