package check

import (
	"fmt"
	"strings"
)

// mostPlaces is how many further places of one cause are listed.
const mostPlaces = 4

// Once tells of each file to which nothing leads once, with the places that lead to it; all other findings stay as they are. It
// works in place, on sorted findings.
func Once(found []Finding) []Finding {
	first := map[string]int{}
	places := map[string][]string{}
	out := found[:0]
	for _, f := range found {
		if f.Name != LeadsNowhere {
			out = append(out, f)
			continue
		}
		key := string(f.Severity) + f.Message
		if _, told := first[key]; !told {
			first[key] = len(out)
			out = append(out, f)
		} else {
			places[key] = append(places[key], fmt.Sprintf("%s:%d:%d", f.File, f.Line, f.Column))
		}
	}
	for key, at := range first {
		if also := places[key]; len(also) > 0 {
			more := ""
			if n := len(also) - mostPlaces; n > 0 {
				also, more = also[:mostPlaces], fmt.Sprintf(" and %d more", n)
			}
			out[at].Message += ", asked for here and at " + strings.Join(also, ", ") + more
		}
	}
	return out
}
