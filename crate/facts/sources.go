package facts

// Hashes of the code that computes what the cache keeps. A test at the repository's root compares them with the code,
// and writes them again with go test . -run CacheKeys -update.
const (
	scriptSources    = "b746fac141f85940"
	rehearsalSources = "19f305a6f793f79b"
)
