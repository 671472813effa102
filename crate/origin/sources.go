package origin

// packageSources is a hash of the code that describes packages. A test at the repository's root compares it with the
// code, and writes it again with go test . -run CacheKeys -update.
const packageSources = "09f863d4ea382a61"
