package rehearse

import (
	_ "embed"
	"strings"
	"sync"

	"github.com/agext/levenshtein"
)

//go:embed platform.txt
var platformText string

// platform is the table of the web platform's interfaces, by name: their members and what they inherit from.
var platform = sync.OnceValue(func() map[string]*iface {
	all := map[string]*iface{}
	for line := range strings.Lines(platformText) {
		words := strings.Fields(line)
		if len(words) == 0 || words[0] == "#" {
			continue
		}
		name, parent, _ := strings.Cut(words[0], ":")
		it := &iface{parent: parent, members: map[string]bool{}}
		for _, m := range words[1:] {
			it.members[strings.TrimSuffix(m, "()")] = true
		}
		all[name] = it
	}
	return all
})

// An iface is an interface of the platform.
type iface struct {
	parent  string
	members map[string]bool
}

// hasMember reports whether one of some interfaces, separated by spaces, or one that they inherit from, has a member.
func hasMember(interfaces, name string) bool {
	all := platform()
	for of := range strings.FieldsSeq(interfaces) {
		for it := all[of]; it != nil; it = all[it.parent] {
			if it.members[name] {
				return true
			}
		}
	}
	return false
}

// NearMember is the member of the platform's interfaces that somebody probably meant who wrote another name, "" for
// none.
func NearMember(name string) string {
	const shortest, most = 5, 2
	best, distance := "", most+1
	if len(name) < shortest {
		return ""
	}
	for _, it := range platform() {
		for other := range it.members {
			if len(other) < shortest || other == name {
				continue
			}
			d := levenshtein.Distance(name, other, nil)
			if strings.EqualFold(name, other) {
				d = 0
			}
			if d < distance || d == distance && other < best {
				best, distance = other, d
			}
		}
	}
	return best
}
