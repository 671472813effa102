package check

// Newer are the findings that were not there before, and how many of those that were are not there any more. Findings
// are the same where name, file and message are: lines move.
func Newer(before, now []Finding) (list []Finding, mended int) {
	type key struct{ name, file, message string }
	had := map[key]int{}
	for _, f := range before {
		had[key{f.Name, f.File, f.Message}]++
	}
	list = []Finding{}
	for _, f := range now {
		k := key{f.Name, f.File, f.Message}
		if had[k] > 0 {
			had[k]--
			continue
		}
		list = append(list, f)
	}
	for _, n := range had {
		mended += n
	}
	return list, mended
}
