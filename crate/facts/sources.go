package facts

// Hashes of the code that computes what the cache keeps. A test at the repository's root compares them with the code,
// and writes them again with go test . -run CacheKeys -update.
const (
	scriptSources    = "12f8390dbc035090"
	rehearsalSources = "49feacbf85c20273"
)
