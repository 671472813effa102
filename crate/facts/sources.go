package facts

// Hashes of the code that computes what the cache keeps. A test at the repository's root compares them with the code,
// and writes them again with go test . -run CacheKeys -update.
const (
	scriptSources    = "2752876f951e80a7"
	rehearsalSources = "f8667c85b69b737d"
)
