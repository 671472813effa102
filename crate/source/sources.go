package source

// archiveSources is a hash of the code that lists archives. A test at the repository's root compares it with the code,
// and writes it again with go test . -run CacheKeys -update.
const archiveSources = "f90cbfb7f39fa5ab"
