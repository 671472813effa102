package facts

// Hashes of the code that computes what the cache keeps. A test at the repository's root compares them with the code,
// and writes them again with go test . -run CacheKeys -update.
const (
	scriptSources    = "f6aad328daa600f4"
	rehearsalSources = "49feacbf85c20273"
)
