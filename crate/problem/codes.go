package problem

// A Code names a kind of error for scripts that read answers. A code is never given a new meaning.
type Code string

// The codes.
const (
	Usage        Code = "usage"
	Bug          Code = "bug"
	Cancelled    Code = "stopped"
	DiskFull     Code = "disk-full"
	DiskFault    Code = "disk-fault"
	NoPermission Code = "no-permission"

	NotStarted     Code = "not-started"     // there is no packing list here or above
	InsideAnother  Code = "inside-another"  // a project is in another
	RecordBroken   Code = "record-broken"   // a record can't be read
	RecordNewer    Code = "record-newer"    // a record is of a newer program
	RecordUneasy   Code = "record-uneasy"   // the packing list can't be edited safely
	NameBad        Code = "name-bad"        // a name can't be a file's, a library's or a CDN's
	PageUnknown    Code = "page-unknown"    // no page is meant
	PageRefused    Code = "page-refused"    // a page takes no tag there, or can't be read
	PageReaches    Code = "page-reaches"    // a page's base element leads elsewhere
	LibraryUnknown Code = "library-unknown" // it is not in the crate
	LibraryThere   Code = "library-there"   // it is in the crate in another version
	FileUnknown    Code = "file-unknown"    // there is no such file or folder
	FileInTheWay   Code = "file-in-the-way" // a file with other bytes is there
	FileChanged    Code = "file-changed"    // a file changed meanwhile, or since it was taken
	NeedUnmet      Code = "need-unmet"      // a library needs what is not there or does not fit
	Needed         Code = "needed"          // another library needs it
	Held           Code = "held"            // a hold does not allow it
	NothingThere   Code = "nothing-there"   // nothing to take, to undo or to show
	SourceRefused  Code = "source-refused"  // an archive or an address is not opened
	NotTheBytes    Code = "not-the-bytes"   // bytes differ from what was known or asked for
	PackageUnknown Code = "package-unknown" // a registry has no such package
	VersionUnknown Code = "version-unknown" // a registry has no such version
	SourceUnset    Code = "source-unset"    // no registry or CDN is set
	Offline        Code = "offline"         // a fetch would be needed and is not allowed
	Unanswered     Code = "unanswered"      // a server does not answer, or not well
	Locked         Code = "locked"          // another command changes the project
	Unfinished     Code = "unfinished"      // a change is committed, and could be neither applied nor reverted
	NotYours       Code = "not-yours"       // a record or a journal belongs to somebody else
	ProfileUnknown Code = "profile-unknown" // the packing list has no such profile
	CDNUnclear     Code = "cdn-unclear"     // no pattern explains an address
	RevisionBad    Code = "revision-bad"    // version control does not know it
	SettingsBad    Code = "settings-bad"    // the user's settings can't be used
	WatchFailed    Code = "watch-failed"    // the system does not tell of changes to files
	PortTaken      Code = "port-taken"      // nothing can listen there
	EditorFailed   Code = "editor-failed"   // an editor ended the talk, or sent what is no message
	BrowserMissing Code = "browser-missing" // no browser was found on this machine
	BrowserFailed  Code = "browser-failed"  // it did not do what it was asked
)
