package record

// Serve says where pages have a library from.
type Serve string

// The ways to serve a library.
const (
	Local Serve = "local" // the copies in the site
	CDN   Serve = "cdn"   // links to a CDN
)

// A Build is the form of a script or stylesheet: readable or minified.
type Build string

// The builds. What comes in no builds, such as a font, has NoBuild.
const (
	NoBuild  Build = ""
	Minified Build = "minified"
	Readable Build = "readable"
)

// Arrange says how a library's files are arranged in the site.
type Arrange string

// The arrangements.
const (
	ByKind   Arrange = "kind"     // in the site's folders for each kind of file
	Together Arrange = "together" // in one folder
)

// Names says how a library's files are called in the site.
type Names string

// The habits of naming.
const (
	Shipped   Names = "shipped"   // as in the package
	Plain     Names = "plain"     // without the version
	Versioned Names = "versioned" // with it
)

// Only says where a library may be used.
type Only string

// DevOnly keeps a library to the developer's desk: it must not ship.
const DevOnly Only = "desk"

// A Role is the purpose of a taken file: tagged or kept.
type Role bool

// The roles.
const (
	Kept   Role = false // it is beside: what a page's files ask for by themselves
	Tagged Role = true  // pages refer to it
)

var (
	serveWords   = []string{string(Local), string(CDN)}
	buildWords   = []string{string(Minified), string(Readable)}
	arrangeWords = []string{string(ByKind), string(Together)}
	namesWords   = []string{string(Shipped), string(Plain), string(Versioned)}
)
