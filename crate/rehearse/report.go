package rehearse

// A Fault is an error that a browser's console would show for a script.
type Fault struct {
	Script  int    `json:"script"`           // in whose text the place is; OnLoad, or -1 where it can't be known
	Running int    `json:"running"`          // the script that ran, and stopped; -1 between scripts
	Module  int    `json:"module,omitempty"` // in the request, from 1: in whose text the place is
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
	Global  string `json:"global,omitempty"` // that was not there, where that is the reason
	When    string `json:"when"`             // loading, ready, load, later, clicked
	// Clicked is the start tag of the element that was clicked, Handler what its onclick attribute says.
	Clicked string `json:"clicked,omitempty"`
	Handler string `json:"handler,omitempty"`
	Sure    bool   `json:"sure"`
	Console string `json:"console,omitempty"` // error or warn: the script said it itself
}

// A Read is a global that a script read before anything had defined it.
type Read struct {
	Script int    `json:"script"`
	Global string `json:"global"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	When   string `json:"when"`
}

// A Report is the result of a rehearsal.
type Report struct {
	Faults  []Fault  `json:"faults,omitempty"`
	Reads   []Read   `json:"reads,omitempty"`
	Ran     []bool   `json:"ran"`               // of each script, whether it was run to its end
	Stopped string   `json:"stopped,omitempty"` // why the rehearsal ended early
	Guessed bool     `json:"guessed,omitempty"` // something that can't be simulated was involved in that
	Defined []string `json:"defined,omitempty"` // the globals that all scripts together made
	// Missing are the members that were asked for and were not there.
	Missing  []string      `json:"missing,omitempty"`
	Replaced []Replacement `json:"replaced,omitempty"`
	// Lacking are the wanted members that were not there when the page had loaded.
	Lacking []MissingMember `json:"lacking,omitempty"`
	// Members are those of the globals made, where they were asked for: name, fn.name and prototype.name.
	Members map[string][]string `json:"members,omitempty"`
	// Forms are what the globals and their members are, by their paths, where that was asked for: function, class,
	// method (a function that makes no objects), object or value.
	Forms map[string]string `json:"forms,omitempty"`
	Evals bool              `json:"evals,omitempty"` // a script ran a text as code, where that was to be noted
	// Asked are the addresses that scripts asked for: pictures, styles, scripts, data, workers.
	Asked []Asked `json:"asked,omitempty"`
	// Made is what scripts made, as far as a policy may forbid it, where that was to be noted.
	Made []Made `json:"made,omitempty"`
}

// Made is a style or code that a script made.
type Made struct {
	Kind   MadeKind `json:"kind"`
	Text   string   `json:"text"`
	Nonce  string   `json:"nonce,omitempty"` // of the element
	Script int      `json:"script"`
	Module int      `json:"module,omitempty"` // as in a fault
	Line   int      `json:"line"`
	Column int      `json:"column"`
	Sure   bool     `json:"sure"`
}

// MadeKind says what a script made.
type MadeKind string

// The kinds.
const (
	MadeStyle     MadeKind = "style"           // the text of a style element
	MadeAttribute MadeKind = "style attribute" // one that was set, or in markup
	MadeHandler   MadeKind = "handler"         // an attribute with code
	MadeScript    MadeKind = "script"          // the text of a script element
)

// Asked is an address that a script asked for.
type Asked struct {
	Script  int    `json:"script"`
	Module  int    `json:"module,omitempty"` // as in a fault
	Address string `json:"address"`
	By      string `json:"by"` // the element, a link's relation, or fetch, send, worker
	Nonce   string `json:"nonce,omitempty"`
	// Integrity is what a script element demands.
	Integrity string `json:"integrity,omitempty"`
	Written   bool   `json:"written,omitempty"` // in markup that document.write wrote
	Line      int    `json:"line"`
	Column    int    `json:"column"`
	Sure      bool   `json:"sure"`
}
